"""Small cells hidden so that nobody works them out: an attacker knows every figure left in sight, of all
tables together."""

import os
import subprocess
import sys
from dataclasses import replace
from itertools import product
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from builders import coded, raw
from equations import Equations
from hypothesis import example, given, settings
from hypothesis import strategies as st

from even_ballot.core.estimation.comparisons import ColumnComparison
from even_ballot.core.study.pipeline import run
from even_ballot.core.study.study_file import Study, parse_study
from even_ballot.core.tables.results import BannerKey, StubKey, TableResult
from even_ballot.formats.tables.grid import lay_out

CODES = {"q": (1, 2, 3, 4), "p": (1, 2), "sex": (1, 2), "isle": (1, 2, 3)}
OPTIONS = {1: "m1", 2: "m2", 3: "m3"}
SHARES = ("col_pct", "row_pct", "total_pct", "response_pct")
BELOW = 4


def answers(seed: int, n: int, blanks: bool) -> dict[str, list[Any]]:
    """Answers of n cases, with rare categories; None is blank."""
    rng = np.random.default_rng(seed)
    rare = {"q": (0.5, 0.35, 0.1, 0.05), "p": (0.9, 0.1), "sex": (0.5, 0.5), "isle": (0.6, 0.32, 0.08)}
    found: dict[str, list[Any]] = {
        name: rng.choice(codes, n, p=rare[name]).tolist() for name, codes in CODES.items()
    }
    for name in found:
        if blanks and name != "sex":
            found[name] = [None if rng.random() < 0.06 else code for code in found[name]]
    for part in OPTIONS.values():
        found[part] = [int(rng.random() < 0.2) for _ in range(n)]
    return found


def study_of(tables: list[dict[str, Any]], below: int | None = BELOW) -> Study:
    """A study of these tables in which small cells are hidden."""
    scales = {
        name: {"codes": [{"code": c, "label": f"{name}{c}"} for c in codes]} for name, codes in CODES.items()
    }
    variables: list[dict[str, Any]] = [{"name": name, "kind": "coded", "scale": name} for name in CODES]
    variables.append({"name": "why", "kind": "multi", "parts": list(OPTIONS.values())})
    return parse_study({
        "source": {"path": "answers.csv"}, "codebook": {"scales": scales, "variables": variables},
        "suppression": {"below": below}, "tables": [{"id": f"t{k}", **table} for k, table in enumerate(tables)],
    })  # fmt: skip


def released(
    columns: dict[str, list[Any]], tables: list[dict[str, Any]], below: int | None = BELOW
) -> tuple[TableResult, ...]:
    """The tables of a study of these answers."""
    file = raw(
        {
            name: [str(c) for c in of] if name in OPTIONS.values() else coded(of)
            for name, of in columns.items()
        }
    )
    return run(study_of(tables, below), file, {}).tables


class Attacker(Equations):
    """Knows the codebook and what is in sight; not who is who. Every combination of answers may be held by
    any number of cases."""

    def __init__(self, tables: list[dict[str, Any]], results: tuple[TableResult, ...]) -> None:
        super().__init__()
        names = {
            name for t in tables for name in (*t["stub"], *np.hstack([*t.get("banner", []), []]).tolist())
        }
        names |= {name for t in tables for name in CODES if t.get("where", "").startswith(name)}
        self.dimensions: dict[str, list[Any]] = {
            name: [*CODES[name], None] for name in sorted(names & set(CODES))
        }
        for part in OPTIONS.values() if "why" in names else ():
            self.dimensions[part] = [0, 1]
        self.atoms = [
            dict(zip(self.dimensions, of, strict=True)) for of in product(*self.dimensions.values())
        ]
        for table, result in zip(tables, results, strict=True):
            self.look(table, result)

    def has(self, atom: dict[str, Any], name: str, key: Any, net: set[int] | None = None) -> bool:
        if name == "why":
            if key is None:
                return True
            return any(atom[OPTIONS[o]] == 1 for o in (net if net is not None else {key}))
        return (
            (atom[name] in net)
            if net is not None
            else atom[name] is not None
            if key is None
            else atom[name] == key
        )

    def who(self, table: dict[str, Any], stub: StubKey | None, banner: Any) -> np.ndarray:
        """Which atoms a cell holds."""
        nets = {net["label"]: set(net["codes"]) for net in table.get("nets", [])}
        found = []
        for atom in self.atoms:
            inside = "where" not in table or atom[table["where"][:-5]] == int(table["where"][-1])
            if inside and stub is not None:
                net = None if stub.net in (None, "All") else nets[str(stub.net)]
                inside = self.has(atom, stub.variable, stub.code if net is None else stub.net, net)
            for key in banner:
                if inside:
                    inside = self.has(
                        atom, key.variable, key.code, None if key.net is None else nets[key.net]
                    )
            found.append(float(inside))
        return np.array(found)

    def look(self, table: dict[str, Any], result: TableResult) -> None:
        if result.in_filter is not None:
            self.know(self.who(table, None, ()), result.in_filter)
        for cell in result.cells:
            mine = self.who(table, cell.stub, cell.banner)
            column = self.who(table, StubKey(cell.stub.variable), cell.banner)
            if cell.stat in ("n", "count"):
                self.know(mine, cell.est)
            elif cell.stat in ("col_pct", "response_pct"):
                if cell.stat == "response_pct":
                    column = sum(
                        (self.who(table, StubKey("why", o), cell.banner) for o in OPTIONS),
                        np.zeros(len(self.atoms)),
                    )
                self.know(mine - cell.est * column, 0)
                self.know(mine, float(cell.n or 0))
                self.know(column, float(cell.base_n or 0))
            elif cell.stat == "mean" and cell.stub.variable in CODES:
                codes = sum((c * self.who(table, StubKey(cell.stub.variable, c), cell.banner) for c in CODES[cell.stub.variable]),
                            np.zeros(len(self.atoms)))  # fmt: skip
                self.know(codes - cell.est * column, 0)
                self.know(column, float(cell.base_n or 0))

    def range(self, table: dict[str, Any], stub: StubKey, banner: Any) -> tuple[float, float]:
        """Between what a cell must lie, from all that is known."""
        return self.between(self.who(table, stub, banner))


SHOW = {"show": ["n", "col_pct"]}
PLANS: list[list[dict[str, Any]]] = [
    [{"stub": ["q"], "banner": ["sex"], **SHOW}],
    [{"stub": ["q"], "banner": ["sex", "isle"], **SHOW}],
    [{"stub": ["q"], "banner": [["sex", "isle"]], **SHOW}, {"stub": ["q"], "banner": ["isle"], **SHOW}],
    [{"stub": ["q"], "banner": ["isle"], **SHOW}, {"stub": ["isle"], "banner": ["q"], "show": ["n"]}],
    [{"stub": ["q", "p"], "banner": ["isle"], "show": ["n", "col_pct", "mean"]}, {"stub": ["isle"], "show": ["n"]}],
    [{"stub": ["q"], "banner": ["isle"], "nets": [{"label": "few", "stub": "q", "codes": [3, 4]}], "total_row": True, **SHOW}],
    [{"stub": ["q"], "banner": ["isle"], "nets": [{"label": "east", "banner": "isle", "codes": [2, 3]}], **SHOW}],
    [{"stub": ["q"], "banner": ["isle"], **SHOW}, {"stub": ["q"], "banner": ["isle"], "where": "sex == 1", **SHOW}],
    [{"stub": ["why"], "banner": ["isle"], "show": ["n", "col_pct", "response_pct"]}],
    [{"stub": ["q"], "banner": ["isle"], **SHOW}, {"stub": ["p"], "banner": ["isle"], **SHOW},
     {"stub": ["q"], "banner": ["p"], **SHOW}],
]  # fmt: skip


@pytest.mark.parametrize("plan", range(len(PLANS)))
@settings(max_examples=6, deadline=None)
@given(seed=st.integers(0, 10**6), n=st.integers(30, 120), blanks=st.booleans())
@example(seed=18791, n=30, blanks=False)
def test_an_attacker_recovers_no_hidden_cell(plan: int, seed: int, n: int, blanks: bool) -> None:
    tables = PLANS[plan]
    columns = answers(seed, n, blanks)
    results = released(columns, tables)
    attacker = Attacker(tables, results)
    open_results = released(columns, tables, below=None)
    for table, result, whole in zip(tables, results, open_results, strict=True):
        counts = {(c.stub, c.banner): c.est for c in whole.cells if c.stat == "n"}
        gone = {(f.stub, f.banner) for f in result.hidden or () if f.stat == "n"}
        in_sight = {(c.stub, c.banner): c.est for c in result.cells if c.stat == "n"}
        assert all(not 1 <= value < BELOW for value in in_sight.values())
        assert in_sight == {key: value for key, value in counts.items() if key not in gone}
        for stub, banner in gone:
            low, high = attacker.range(table, stub, banner)
            assert low - 1e-6 <= counts[stub, banner] <= high + 1e-6
            assert high - low >= 1e-3, (stub, banner, low, high)
            if 1 <= counts[stub, banner] < BELOW:
                # Nobody, as far as is released, or enough to be shown.
                assert low <= 1e-6, (stub, banner, low, high)
                assert high >= BELOW - 1e-6, (stub, banner, low, high)


def test_hiding_the_small_ones_alone_would_be_undone() -> None:
    """That the attacker has teeth."""
    tables, undone = PLANS[1], 0
    for seed in range(5):
        results = released(answers(seed, 60, False), tables, below=None)
        small = {(c.stub, c.banner) for c in results[0].cells if c.stat == "n" and 1 <= c.est < BELOW}
        bare = replace(
            results[0], cells=tuple(c for c in results[0].cells if (c.stub, c.banner) not in small)
        )
        attacker = Attacker(tables, (bare,))
        ranges = [attacker.range(tables[0], *key) for key in small]
        undone += sum(high - low < 1e-6 for low, high in ranges)
    assert undone > 0


def test_nothing_is_hidden_where_no_cell_is_small() -> None:
    columns = {name: [c for c in codes for _ in range(20)][:80] for name, codes in CODES.items()}
    columns |= {part: [k % 2 for k in range(40)] for part in OPTIONS.values()}
    columns = {name: (of * 3)[:40] if name in OPTIONS.values() else of[:40] for name, of in columns.items()}
    (result,) = released(columns, [{"stub": ["p"], "show": ["n", "col_pct"]}])
    assert result.hidden is None


def test_figures_that_would_tell_are_hidden_with_a_cell_and_listed_in_the_notes() -> None:
    columns = answers(7, 80, False)
    table = {"id": "t", "stub": ["q"], "banner": ["isle"], "show": ["n", "col_pct", "row_pct", "mean", "median"],
             "tests": ["independence", "columns", "trend"]}  # fmt: skip
    (result,) = released(columns, [table])
    assert result.hidden
    touched = {(f.stub.code, f.banner) for f in result.hidden if f.stat == "n"}
    columns_touched = {banner for _, banner in touched}
    for cell in result.cells:
        assert (cell.stub.code, cell.banner) not in touched
        if cell.stat in ("mean", "median"):
            assert cell.banner not in columns_touched
    for test in result.tests:
        assert isinstance(test, ColumnComparison)
        assert all(
            (test.stub.get("code"), (BannerKey.of("isle", path[0]),)) not in touched
            for path in (test.a, test.b)
        )
    grid = lay_out(
        result, study_of([table]).tables[0], study_of([table]).marks, study_of([table]).suppression
    )
    (note,) = [note for note in grid.notes if note.startswith("×")]
    (said,) = [note for note in grid.notes if note.startswith("Protection: ")]
    assert f"is 0, {BELOW} or anything between" in said
    assert note.startswith(f"× suppressed ({len(result.hidden)} figures): fewer than {BELOW} cases, or other")
    lines = [line for section in grid.sections for line in section.lines if line.hidden is not None]
    assert sum(line.hidden.count(True) for line in lines if line.strong and line.hidden is not None) == len(
        result.hidden
    )


def test_the_same_study_hides_the_same_figures_in_every_process() -> None:
    asked = "from test_hiding import *; print([r.hidden for r in released(answers(5, 60, True), PLANS[7])])"
    folders = [str(Path(__file__).parent), str(Path(__file__).parents[2] / "support")]
    said = [
        subprocess.run(
            [sys.executable, "-c", asked], env={**os.environ, "PYTHONPATH": ":".join([*folders, os.environ.get("PYTHONPATH", "")]), "PYTHONHASHSEED": seed},
            capture_output=True, text=True, check=True,
        ).stdout
        for seed in ("1", "2")
    ]  # fmt: skip
    assert "HiddenFigure" in said[0]
    assert said[0] == said[1]
