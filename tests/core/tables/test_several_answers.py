"""Several-answer questions against their definitions, case by case."""

import math
from typing import Any

import numpy as np
import pytest
from builders import raw, scale
from hypothesis import given, settings
from hypothesis import strategies as st
from plain import Plain, logit_interval

from even_ballot.core.calibration.weighted_sample import sampled
from even_ballot.core.data.codebook import Code, Codebook, Variable
from even_ballot.core.data.dataset import Dataset
from even_ballot.core.data.interpretation import interpret
from even_ballot.core.faults import StudyError
from even_ballot.core.sampling.design import Design
from even_ballot.core.tables.results import Cell
from even_ballot.core.tables.table_request import TableRequest
from even_ballot.core.tables.tabulate import tabulate

OPTIONS = ("work", "shop", "kin")


def several(columns: dict[str, list[str]]) -> Dataset:
    multi = Variable(
        name="why",
        kind="multi",
        parts=OPTIONS,
        options=tuple(Code(code=10 * k, label=o) for k, o in enumerate(OPTIONS, 1)),
    )
    book = Codebook(scales={"b": scale(1, 2)}, variables=(multi, Variable(name="b", kind="coded", scale="b")))
    return interpret(raw(columns), book)


@st.composite
def answers(draw: st.DrawFn) -> dict[str, Any]:
    """Cases that chose some options, none, or did not answer; blanks beside other answers."""
    rng = np.random.default_rng(draw(st.integers(0, 2**32 - 1)))
    n = draw(st.integers(10, 40))
    chosen = rng.random((n, 3)) < 0.45
    unanswered = rng.random(n) < 0.15
    gap = rng.random((n, 3)) < 0.2
    cells = [
        [
            ""
            if unanswered[k] or (gap[k, j] and not chosen[k, j] and not gap[k].all())
            else str(int(chosen[k, j]))
            for j in range(3)
        ]
        for k in range(n)
    ]
    return {
        "cells": cells,
        "b": rng.integers(1, 3, n).tolist(),
        "h": rng.integers(0, 2, n).tolist(),
        "i": rng.integers(0, 4, n).tolist(),
        "w": np.round(rng.gamma(3, 0.4, n) + 0.05, 3).tolist(),
        "clustered": draw(st.booleans()),
    }


@settings(max_examples=40)
@given(answers())
def test_per_cent_of_cases_and_of_responses_follow_their_definitions(sample: dict[str, Any]) -> None:
    cells, n = sample["cells"], len(sample["w"])
    columns = {option: [row[j] for row in cells] for j, option in enumerate(OPTIONS)}
    data = several({**columns, **{k: list(map(str, sample[k])) for k in ("b", "h", "i", "w")}})
    design = Design(strata=("h",), clusters=("i",) if sample["clustered"] else (), single_psu="add_nothing")
    request = TableRequest(id="t", stub=("why",), banner=("b",), show=("n", "col_pct", "response_pct"))
    table = tabulate(sampled(data, design, "w"), request)
    plain = Plain(sample["w"], sample["h"], sample["i"] if sample["clustered"] else list(range(n)))
    answered = [float(any(cell for cell in row)) for row in cells]
    many = [float(sum(cell == "1" for cell in row)) for row in cells]
    found: dict[tuple[Any, ...], Cell] = {
        (c.stub.code, c.banner[0].code if c.banner else None, c.stat): c for c in table.cells
    }
    for j in range(3):
        for column in (None, 1, 2):
            here = [float(column is None or b == column) for b in sample["b"]]
            chosen = [h * (row[j] == "1") for row, h in zip(cells, here, strict=True)]
            for stat, base in (("col_pct", answered), ("response_pct", many)):
                within = [x * h for x, h in zip(base, here, strict=True)]
                got = found.get((10 * (j + 1), column, stat))
                if not sum(within):
                    assert got is None
                    continue
                p, z = plain.ratio(chosen, within)
                variance = max(plain.variance(z), 0.0)
                assert got is not None
                assert got.est == pytest.approx(p)
                assert got.base_n == sum(within)
                if plain.df:
                    assert got.se == pytest.approx(math.sqrt(variance), abs=1e-7)
                    if variance > 1e-9:
                        assert (got.low, got.high) == pytest.approx(
                            logit_interval(p, variance, int(sum(within)), plain.df), abs=1e-7
                        )
                if stat == "response_pct":
                    assert got.deff is None


def test_per_cent_of_cases_may_pass_a_hundred_and_of_responses_never_does() -> None:
    data = several({"work": ["1", "1"], "shop": ["1", "1"], "kin": ["", "1"], "b": ["1", "2"]})
    request = TableRequest(id="t", stub=("why",), show=("col_pct", "response_pct"))
    table = tabulate(sampled(data, Design()), request)
    cases = [c.est for c in table.cells if c.stat == "col_pct"]
    responses = [c.est for c in table.cells if c.stat == "response_pct"]
    assert (sum(cases), sum(responses)) == pytest.approx((2.5, 1.0))


def test_nobody_chose_anything() -> None:
    data = several({"work": ["0", ""], "shop": ["0", ""], "kin": ["", ""], "b": ["1", "2"]})
    request = TableRequest(id="t", stub=("why",), show=("n", "col_pct", "response_pct"))
    table = tabulate(sampled(data, Design()), request)
    assert {c.stat for c in table.cells} == {"n", "col_pct"}
    assert [c.base_n for c in table.cells if c.stat == "col_pct"] == [1, 1, 1]


def test_parts_that_are_no_numbers_are_refused() -> None:
    data = several({"work": ["yes", "no"], "shop": ["1", "1"], "kin": ["1", "1"], "b": ["1", "2"]})
    with pytest.raises(StudyError, match="not all 0/1 columns"):
        tabulate(sampled(data, Design()), TableRequest(id="t", stub=("why",)))
