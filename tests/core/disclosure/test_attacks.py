"""Ways round the protection of small cells, each tried by somebody who knows the codebook, the weights'
pattern and every figure that is released: tables of combined variables, weighted counts, filters, periods
within periods, the report on weightings."""

from collections.abc import Callable
from itertools import product
from typing import Any

import numpy as np
import pytest
from builders import coded, raw
from equations import Equations
from hypothesis import given, settings
from hypothesis import strategies as st

from even_ballot.core.disclosure.dominance import contributions, dominates, most_held
from even_ballot.core.disclosure.suppression import Dominance
from even_ballot.core.study.pipeline import run
from even_ballot.core.study.results import Results
from even_ballot.core.study.study_file import parse_study
from even_ballot.core.tables.results import TableResult
from even_ballot.formats.tables.weighting_page import weighting_page

BELOW = 4
CODES = {"q": (1, 2, 3), "sex": (1, 2), "isle": (1, 2, 3), "month": (1, 2, 3, 4, 5, 6)}
RARE = {
    "q": (0.6, 0.3, 0.1),
    "sex": (0.5, 0.5),
    "isle": (0.55, 0.35, 0.1),
    "month": (0.3, 0.05, 0.3, 0.05, 0.25, 0.05),
}
Atom = dict[str, int]
WEIGHTS = {1: 1.0, 2: 2.5}


def answers(seed: int, n: int) -> list[Atom]:
    rng = np.random.default_rng(seed)
    columns = {name: rng.choice(codes, n, p=RARE[name]).tolist() for name, codes in CODES.items()}
    return [dict(zip(columns, case, strict=True)) for case in zip(*columns.values(), strict=True)]


def results(
    cases: list[Atom], tables: list[dict[str, Any]], below: int | None = BELOW, **more: Any
) -> Results:
    scales: dict[str, Any] = {
        name: {"codes": [{"code": c, "label": f"{name}{c}"} for c in CODES[name]]}
        for name in ("q", "sex", "isle")
    }
    scales["both"] = {"codes": [{"code": c, "label": f"both{c}"} for c in (1, 2, 3)]}
    columns: dict[str, list[Any]] = {
        name: coded([case[name] for case in cases]) for name in ("q", "sex", "isle")
    }
    columns["day"] = [f"2026-{case['month']:02d}-01" for case in cases]
    columns["w"] = [WEIGHTS[case["sex"]] for case in cases]
    columns["y"] = [more["numbers"][k] if "numbers" in more else k % 7 for k in range(len(cases))]
    return run(parse_study({
        "source": {"path": "answers.csv"},
        "codebook": {"scales": scales, "variables": [{"name": name, "kind": "coded", "scale": name} for name in ("q", "sex", "isle")]},
        "ledger": [{"do": "derive", "into": "both", "scale": "both", "value": "pick(q == 3 and isle == 3, 1, pick(q == 3, 2, 3))"}],
        "suppression": {"below": below, **more.get("suppression", {})}, "weightings": more.get("weightings", []),
        "design": {"weight": more.get("weight")}, "where": more.get("where"),
        "tables": [{"id": f"t{k}", "show": ["n", "count", "col_pct"], **table} for k, table in enumerate(tables)],
    }), raw(columns), {})  # fmt: skip


def has(atom: Atom, name: str, code: int, quarters: bool) -> bool:
    match name:
        case "both":
            return code == (1 if (atom["q"], atom["isle"]) == (3, 3) else 2 if atom["q"] == 3 else 3)
        case "day":
            return (
                10 * 2026 + (atom["month"] - 1) // 3 + 1 if quarters else 100 * 2026 + atom["month"]
            ) == code
        case _:
            return atom[name] == code


CONDITIONS: dict[str, Callable[[Atom], bool]] = {
    "isle == 1": lambda a: a["isle"] == 1, "isle == 2": lambda a: a["isle"] == 2, "isle == 3": lambda a: a["isle"] == 3,
    "sex == 1": lambda a: a["sex"] == 1, "isle < 3": lambda a: a["isle"] < 3, "q == 3 or isle == 3": lambda a: a["q"] == 3 or a["isle"] == 3,
}  # fmt: skip


class Attacker(Equations):
    """Equations on how many cases each atom holds."""

    def __init__(
        self, tables: list[dict[str, Any]], found: tuple[TableResult, ...], names: list[str], weighted: bool
    ) -> None:
        super().__init__()
        self.atoms = [dict(zip(names, of, strict=True)) for of in product(*(CODES[name] for name in names))]
        self.weight = np.array([WEIGHTS[a["sex"]] if weighted else 1.0 for a in self.atoms])
        for table, result in zip(tables, found, strict=True):
            if result.in_filter is not None:
                self.know(self.who(table, []), result.in_filter)
            for cell in result.cells:
                path = [(b.variable, b.code) for b in cell.banner]
                part, base = (
                    self.who(table, [(cell.stub.variable, cell.stub.code), *path]),
                    self.who(table, path),
                )
                if cell.stat == "n":
                    self.know(part, cell.est)
                elif cell.stat == "count":
                    self.know(part * self.weight, cell.est)
                elif cell.stat == "col_pct":
                    self.know((part - cell.est * base) * self.weight, 0)
                    self.know(part, float(cell.n or 0))
                    self.know(base, float(cell.base_n or 0))

    def who(self, table: dict[str, Any], states: list[tuple[str, int | None]]) -> np.ndarray:
        quarters = table.get("dates") == "quarter"
        inside = CONDITIONS.get(table.get("where", ""), lambda _: True)
        return np.array([
            float(inside(a) and all(code is None or has(a, name, code, quarters) for name, code in states)) for a in self.atoms
        ])  # fmt: skip


Q = {"stub": ["q"]}
WAYS: dict[str, tuple[list[dict[str, Any]], list[str], bool]] = {
    "a combined variable": ([{**Q, "banner": ["isle"]}, {"stub": ["both"], "banner": ["sex"]}], ["q", "sex", "isle"], False),
    "weights that are constant in a column": ([{**Q, "banner": ["sex"]}], ["q", "sex"], True),
    "weights, in a nest": ([{**Q, "banner": [["isle", "sex"]]}, {**Q, "banner": ["isle"]}], ["q", "sex", "isle"], True),
    "filters that part the cases": ([Q, *({**Q, "where": f"isle == {k}"} for k in (1, 2, 3))], ["q", "isle"], False),
    "a filter that is a banner column": (
        [{**Q, "banner": ["isle"]}, {**Q, "banner": ["sex"]}, {**Q, "banner": ["sex"], "where": "isle < 3"}], ["q", "sex", "isle"], False,
    ),
    "a filter of two variables": ([{**Q, "banner": ["isle"]}, {**Q, "where": "q == 3 or isle == 3", "banner": ["isle"]}], ["q", "isle"], False),
    "months beside quarters": (
        [{"stub": ["day"], "banner": ["sex"]}, {"stub": ["day"], "banner": ["sex"], "dates": "quarter"}], ["month", "sex"], False,
    ),
}  # fmt: skip


def counts(result: TableResult) -> dict[Any, float]:
    return {(c.stub, c.banner): c.est for c in result.cells if c.stat == "n"}


@pytest.mark.parametrize("way", WAYS)
@settings(max_examples=6, deadline=None)
@given(seed=st.integers(0, 10**6), n=st.integers(30, 120))
def test_no_way_round_narrows_a_hidden_count(way: str, seed: int, n: int) -> None:
    tables, names, weighted = WAYS[way]
    weight = "w" if weighted else None
    cases = answers(seed, n)
    released, whole = (results(cases, tables, below, weight=weight).tables for below in (BELOW, None))
    attacker = Attacker(tables, released, names, weighted)
    for table, shown, all_of in zip(tables, released, whole, strict=True):
        in_sight = counts(shown)
        assert all(not 1 <= value < BELOW for value in in_sight.values())
        for (stub, banner), value in counts(all_of).items():
            if (stub, banner) not in in_sight:
                low, high = attacker.between(
                    attacker.who(table, [(stub.variable, stub.code), *((b.variable, b.code) for b in banner)])
                )
                assert low - 1e-6 <= value <= high + 1e-6
                assert high - low > 1e-3, (stub, banner, value, low, high)
                if 1 <= value < BELOW:
                    assert low <= 1e-5, (stub, banner, value, low, high)
                    assert high >= BELOW - 1e-5, (stub, banner, value, low, high)


@pytest.mark.parametrize("way", WAYS)
def test_each_way_undoes_protection_of_single_tables(way: str) -> None:
    """That the attacker has teeth: each table protected by itself is undone by the others, or by its
    weights."""
    tables, names, weighted = WAYS[way]
    undone = 0
    for seed in range(12):
        cases = answers(seed, 70)
        weight = "w" if weighted else None
        alone = tuple(results(cases, [table], BELOW).tables[0] for table in tables)
        if weighted:
            open_ones = results(cases, tables, None, weight=weight).tables
            gone = [{(f.stub, f.banner) for f in t.hidden or () if f.stat == "n"} for t in alone]
            alone = tuple(
                TableResult(o.id, o.title, o.stubs, o.banners, o.in_filter, tuple(c for c in o.cells if (c.stub, c.banner) not in g), ())
                for o, g in zip(open_ones, gone, strict=True)
            )  # fmt: skip
        attacker = Attacker(tables, alone, names, weighted)
        for table, shown in zip(tables, alone, strict=True):
            whole = counts(results(cases, [table], None).tables[0])
            for (stub, banner), value in whole.items():
                if (stub, banner) not in counts(shown) and 1 <= value < BELOW:
                    low, high = attacker.between(
                        attacker.who(
                            table, [(stub.variable, stub.code), *((b.variable, b.code) for b in banner)]
                        )
                    )
                    undone += not (low <= 1e-5 and high >= BELOW - 1e-5)
    assert undone > 0


def test_the_report_on_weightings_hides_what_tables_hide() -> None:
    cases = [
        {"q": 1 + k % 2, "sex": 1 + k % 2, "isle": 1 if k < 40 else 2 if k < 77 else 3, "month": 1}
        for k in range(80)
    ]
    targets = [{"at": {"isle": code}, "value": value} for code, value in ((1, 0.5), (2, 0.4), (3, 0.1))]
    weighting = {"margins": [{"by": ["isle"], "targets": targets}], "save_as": "weight"}
    found = results(cases, [{"stub": ["isle"], "banner": ["sex"]}], weightings=[weighting], weight="weight")
    (margin,) = found.weightings[0].margins
    hidden = {row.at["isle"]: row.target for row in margin.hidden or ()}
    assert hidden[3] == 0.1
    assert len(hidden) >= 2
    assert {row.at["isle"] for row in margin.rows} == {1, 2, 3} - set(hidden)
    study = parse_study({"source": {"path": "a"}, "weightings": [weighting]})
    page = weighting_page(study, found.weightings, found.units)
    assert "×" in page
    document = found.document()
    assert document["disclosure_control"]["below"] == BELOW
    assert document["disclosure_control"]["hidden"] > 0
    assert all(row["at"] != {"isle": 3} for row in document["weightings"][0]["margins"][0]["rows"])


def test_a_share_of_nearly_all_is_hidden_with_its_rest() -> None:
    cases = [{"q": 1 if k else 3, "sex": 1, "isle": 1, "month": 1} for k in range(40)]
    (table,) = results(
        cases, [{"stub": ["q"], "nets": [{"label": "most", "codes": [1, 2]}], "show": ["n", "col_pct"]}]
    ).tables
    assert {c.est for c in table.cells if c.stat == "n"} <= {0}


def test_no_difference_of_hidden_shares_is_released() -> None:
    found = results(
        answers(3, 60),
        [
            {
                **Q,
                "banner": ["isle"],
                "tests": ["columns", "against_total", "against_rest", "independence", "trend"],
            }
        ],
    )
    (table,) = found.tables
    hidden = {(f.stub.code, f.banner[0].code) for f in table.hidden or () if f.stat == "col_pct" and f.banner}
    assert hidden
    for test in table.tests:
        assert test.kind == "columns"
        assert not {(test.stub.get("code"), test.a[0]), (test.stub.get("code"), test.b[0])} & hidden


def test_extremes_of_numbers_are_not_released() -> None:
    found = results(
        answers(1, 60), [{"stub": ["y"], "banner": ["sex"], "show": ["mean", "median", "q0", "q100"]}]
    )
    (table,) = found.tables
    assert {c.stat for c in table.cells} == {"mean", "median"}
    assert {f.stat for f in table.hidden or ()} == {"q0", "q100"}


@pytest.mark.parametrize(
    ("rule", "values", "told"),
    [
        ({"n": 1, "k": 75}, [80, 10, 10], True), ({"n": 1, "k": 85}, [80, 10, 10], False), ({"n": 2, "k": 89}, [80, 10, 10], True),
        ({"p": 15}, [80, 10, 10], True), ({"p": 10}, [80, 10, 10], False), ({"p": 50}, [10] * 20, False), ({"p": 5}, [7], True),
    ],
)  # fmt: skip
def test_dominance_is_the_largest_cases_share(rule: dict[str, Any], values: list[float], told: bool) -> None:
    asked = Dominance.model_validate(rule)
    of = [contributions(np.array(some, float), most_held(asked)) for some in (values[:1], values[1:], [])]
    assert dominates(of[2].merged(of[1].merged(of[0])), asked) is told


def test_a_number_that_one_case_makes_up_is_hidden_in_every_table() -> None:
    cases = answers(5, 80)
    numbers = [5000 if k == 3 else 1 + k % 5 for k in range(80)]
    tables = [
        {"stub": ["y"], "banner": ["sex"], "show": ["mean"]},
        {"stub": ["y"], "show": ["mean", "median"]},
    ]
    found = results(cases, tables, numbers=numbers, suppression={"dominance": {"n": 1, "k": 80}})
    assert [t.cells for t in found.tables] == [(), ()]
    assert all(t.hidden for t in found.tables)
    assert results(cases, tables, numbers=numbers).tables[0].cells


def test_a_wider_range_hides_no_less() -> None:
    cases = answers(8, 90)
    tables = [{**Q, "banner": ["isle", "sex"]}]
    narrow, wide = (results(cases, tables, suppression={"range": r}).tables[0].hidden for r in (2, 25))
    assert len(wide or ()) >= len(narrow or ()) > 0
