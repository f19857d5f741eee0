"""Cases in parts: the figures of one part to 1e-12, however they are cut and merged."""

import random
from dataclasses import fields, is_dataclass
from typing import Any

import numpy as np
import pytest
import random_studies
from builders import raw
from hypothesis import given, settings
from hypothesis import strategies as st
from parting import MORE, Loaded, RandomTree, differing, loaded, random_parts, refused, tolerated
from reference_cases import CASES

from even_ballot.core.calibration.weighted_sample import sampled
from even_ballot.core.data.cases import Cases
from even_ballot.core.data.dataset import ANSWERED, UNPLACED, Column, Dataset, RawTable
from even_ballot.core.ledger import take_step
from even_ballot.core.sampling.design import Design
from even_ballot.core.study.graph import start
from even_ballot.core.study.nodes import Inputs
from even_ballot.core.study.pipeline import Pipeline, run
from even_ballot.core.study.study_file import parse_study
from even_ballot.core.tables.shared import SharedCounts
from even_ballot.core.tables.table_request import TableRequest
from even_ballot.core.tables.tabulate import counted_table
from even_ballot.core.weighting.comparison import compare
from even_ballot.core.weighting.limit_price import limit_prices
from even_ballot.core.weighting.raking import rake
from even_ballot.demo import FILES


def apart(of: Loaded, *seeds: int, rel: float = 1e-12) -> list[str]:
    """Where the results of parts differ from those of one, however often they are cut anew."""
    one = run(*of).document()
    return [
        wrong
        for seed in seeds
        for wrong in differing(run(*of, part=random_parts(seed)).document(), one, rel=rel)
    ]


@pytest.mark.parametrize("case", sorted(p.name for p in CASES.iterdir()))
def test_a_reference_case_in_parts_has_the_figures_of_one(case: str) -> None:
    assert apart(loaded(CASES / case / "study.json"), 0, 1, 2) == []


def test_the_demo_in_parts_hides_the_same_figures_and_shows_the_same() -> None:
    study, table, lookups = loaded(FILES / "study.json")
    hiding = study.suppression.model_copy(update={"below": 5})
    assert apart((study.model_copy(update={"suppression": hiding}), table, lookups), 0, 1) == []


@pytest.mark.parametrize("batch", range(4))
def test_a_random_study_in_parts_has_the_figures_of_one(batch: int) -> None:
    ran = 0
    for seed in range(batch * 1000, batch * 1000 + 25):
        rng = random.Random(seed)
        columns = random_studies.answers(rng)
        document = random_studies.study(rng, columns)
        document["tables"][0]["show"] = [*document["tables"][0]["show"], *MORE]
        if rng.random() < 0.7:
            document["tables"][0]["tests"].remove("wald")
        of: Loaded = parse_study(document), raw(columns), {}
        faults = refused(of), refused(of, part=random_parts(seed))
        assert faults[0] == faults[1]
        if not faults[0]:
            wrong = apart(of, seed, rel=tolerated(document))
            assert wrong == [], f"seed {seed}: {wrong[:5]}"
            ran += 1
    assert ran > 15


def test_a_study_of_every_way_to_weight_in_parts_has_the_figures_of_one() -> None:
    rng = random.Random(5)
    n = 90
    columns: dict[str, list[Any]] = {
        "id": list(range(n)), "s": [rng.choice(["north", "south"]) for _ in range(n)],
        "a": [rng.randint(1, 3) for _ in range(n)], "b": [rng.randint(1, 2) for _ in range(n)],
        "i": [rng.randint(1, 12) for _ in range(n)], "y": [round(rng.gauss(50, 9), 1) for _ in range(n)],
        "people": [0] * n, "replied": [int(rng.random() < 0.8) for _ in range(n)], "day": [f"2026-0{rng.randint(1, 9)}-11" for _ in range(n)],
    }  # fmt: skip
    columns["people"] = [900 if s == "north" else 700 for s in columns["s"]]
    scales = {
        "a": {"codes": [{"code": c, "label": f"a{c}"} for c in (1, 2)]},
        "b": {"codes": [{"code": c, "label": f"b{c}"} for c in (1, 2)]},
    }
    halves = [{"at": {"b": 1}, "value": 0.4}, {"at": {"b": 2}, "value": 0.6}]
    thirds = [{"at": {"a": c}, "value": v} for c, v in ((1, 0.5), (2, 0.3), (3, 0.2))]
    document: dict[str, Any] = {
        "source": {"path": "x.csv"},
        "codebook": {"scales": scales, "variables": [
            {"name": "a", "kind": "coded", "scale": "a"}, {"name": "b", "kind": "coded", "scale": "b"}]},
        "weightings": [
            {"base": {"stratum_population": "people", "by": ["s"]}, "save_as": "first", "margins": [],
             "nonresponse": {"responded": "replied == 1", "cells": ["b"], "smallest": 2}},
            {"base": {"times": ["first"], "sum_to": "cases"}, "save_as": "second", "margins": [{"by": ["b"], "targets": halves}],
             "limits": {"low": 0.1, "high": 5}, "tolerance": 1e-13},
            {"base": "second", "save_as": "third", "margins": [{"by": ["a"], "targets": thirds}], "within": ["b"], "tolerance": 1e-13},
        ],
        "design": {"strata": ["s"], "clusters": ["i"], "single_psu": "add_nothing", "calibrated": True},
        "tables": [{
            "id": "t", "stub": ["a", "y", "day"], "banner": [["b", "a"], "day", "a"], "dates": "month", "plain": True,
            "show": ["n", "col_pct", "row_pct", "mean", "sd", *MORE], "tests": ["columns"],
            "nets": [{"label": "few", "banner": "a", "codes": [1, 2]}, {"label": "low", "stub": "a", "codes": [1, 2]}],
        }],
    }  # fmt: skip
    for k, method in enumerate(("linearised", "jackknife", "bootstrap")):
        design: dict[str, Any] = {**document["design"], "variance": {"method": method}}
        if method == "bootstrap":
            design["clusters"], design["variance"]["count"] = [], 20
        study = parse_study({**document, "design": design})
        assert apart((study, raw(columns), {}), k, rel=1e-10) == []


@settings(max_examples=30, deadline=None)
@given(st.integers(0, 10**6))
def test_weights_compared_and_priced_in_parts_are_those_of_one(seed: int) -> None:
    study, table, lookups = loaded(CASES / "raked-limits" / "study.json")
    whole = Pipeline(study, _Inputs(table, lookups)).cases.value
    parts = random_parts(seed)(whole)
    weighting = study.weightings[0]
    raked = {name for margin in weighting.margins for name in margin.by}
    watched = [name for name, v in whole.variables.items() if v.kind == "coded" and name not in raked]
    assert watched
    one, many = rake(whole, weighting), rake(parts, weighting)
    assert (
        list(
            differing(
                _plain(compare(parts, [many], watched)), _plain(compare(whole, [one], watched)), rel=1e-9
            )
        )
        == []
    )
    prices = [limit_prices(of, weighting, watched, "") for of in (parts, whole)]
    assert list(differing(_plain(prices[0]), _plain(prices[1]), rel=1e-8)) == []


def _plain(value: Any) -> Any:
    if isinstance(value, tuple | list):
        return [_plain(item) for item in value]
    return {f.name: _plain(getattr(value, f.name)) for f in fields(value)} if is_dataclass(value) else value


class _Inputs(Inputs):
    source_key = lookups_key = ""

    def __init__(self, table: RawTable, lookups: dict[str, RawTable]) -> None:
        self._table, self._lookups = table, lookups

    def source(self) -> RawTable:
        return self._table

    def lookups(self) -> dict[str, RawTable]:
        return self._lookups


def alone(part: Dataset) -> Dataset:
    """A part as if it had been read by itself: with no words but its own."""

    def own(column: Column, text: bool) -> Column:
        worded = np.isin(column.state, (ANSWERED, UNPLACED) if text else (UNPLACED,))
        found, at = np.unique(column.values[worded].astype(np.int64), return_inverse=True)
        values = column.values.copy()
        values[worded] = at.ravel()
        return Column(values, column.state, tuple(column.words[i] for i in found))

    columns = {
        name: own(column, part.variables[name].kind == "text") for name, column in part.columns.items()
    }
    return Dataset(part.rows, columns, part.variables, part.scales, part.reversed_, part.pending)


def cells(data: Dataset) -> dict[str, list[Any]]:
    """Every cell as what it says."""
    found: dict[str, list[Any]] = {}
    for name, column in data.columns.items():
        text = data.variables[name].kind == "text"
        found[name] = [
            (
                int(s),
                (column.words[int(v)] if s == UNPLACED or (text and s == ANSWERED) else float(v))
                if s != 1
                else None,
            )
            for v, s in zip(column.values, column.state, strict=True)
        ]
    return found


@pytest.mark.parametrize("seed", range(3))
def test_steps_that_go_row_by_row_do_the_same_to_parts(seed: int) -> None:
    study, table, lookups = loaded(FILES / "study.json")
    data = start(study, table)
    rng = np.random.default_rng(seed)
    rows = 0
    for at, step in enumerate(study.ledger):
        after, effect = take_step(data, step, at, lookups)
        if step.reach == "row":
            of = rng.integers(0, 3, data.n)
            done = [take_step(alone(data.where(of == k)), step, at, lookups) for k in range(3)]
            joined = Cases([part for part, _ in done]).whole()
            assert cells(joined) == cells(after), step.sentence()
            assert joined.variables == after.variables
            assert sum(of.cells_changed for _, of in done) == effect.cells_changed
            assert sum(of.cases_after for _, of in done) == effect.cases_after
            rows += 1
        data = after
    assert rows > 10


@pytest.mark.parametrize("held", [1, 20, 10_000])
def test_values_too_many_to_be_held_give_the_same_quantiles_and_modes(held: int) -> None:
    study, table, lookups = loaded(FILES / "study.json")
    whole = Pipeline(study, _Inputs(table, lookups)).cases.value
    number = next(name for name, v in whole.variables.items() if v.kind == "number" and v.role is None)
    request = TableRequest(
        id="t", stub=(number,), banner=("sex",), show=("median", "q10", "mode", "q0", "q100")
    )
    found = [
        counted_table(SharedCounts(sampled(of, Design()), held=held), request)
        for of in (random_parts(held)(whole), whole)
    ]
    assert found[0].cells
    assert list(differing(*(_plain(table.cells) for table in found))) == []


def test_a_merge_takes_any_order_and_any_tree() -> None:
    tree = RandomTree(np.random.default_rng(1))
    orders = {tree(lambda a, b: f"({a}{b})", list("abcd")) for _ in range(50)}
    assert len(orders) > 20
