"""Totals and ratios of numbers against a second reading, in any design; protected where few cases are."""

from typing import Any

import numpy as np
import pytest
from designs import CLUSTERED, DESIGNS, column, sample_of
from hypothesis import given, settings
from hypothesis import strategies as st
from reading_estimates import Figure, Sample
from surveys import A, margin, results, survey

from even_ballot.core.faults import StudyError
from even_ballot.core.study.results import Results
from even_ballot.core.tables.results import Cell

NETS = [{"label": "two", "banner": "a", "codes": [1, 2]}]


def error(sample: Sample, figure: Figure) -> float:
    if sample.replicates is not None:
        return float(np.sqrt(sample.c @ (figure.again() - figure.est) ** 2))
    return float(np.sqrt(sample.variance(figure.z, figure.terms)))


@settings(max_examples=40, deadline=None)
@given(st.integers(0, 10**6), st.sampled_from(DESIGNS), st.booleans(), st.sampled_from([1.0, -3.0]))
def test_totals_and_ratios_are_what_a_second_reading_finds(
    seed: int, design: dict[str, Any], calibrated: bool, sign: float
) -> None:
    raked = calibrated and "variance" not in design
    weighting = {"margins": [margin("a", A)]} if raked else None
    asked = {**design, **({"calibrated": True} if raked else {})}
    found = results(
        survey(seed), asked, weighting, stub=["y"], banner=["a"], show=["mean", "total", "ratio"], per="id",
        nets=NETS, tests=["columns"],
    )  # fmt: skip
    sample, (table,) = sample_of(found, design, raked), found.tables
    y, x, a = column(found, "y"), column(found, "id"), column(found, "a")
    seen: dict[Any, tuple[Figure, Figure]] = {}
    for step, inside in [((), np.ones(len(y), bool)), ((1,), a == 1), ((3,), a == 3), (("two",), a < 3)]:
        there = inside & ~np.isnan(y)
        top, base = np.where(there, y, 0.0), np.where(there, x, 0.0)
        seen[step] = Figure(sample, top, None, there), Figure(sample, top, base, there)
    for cell in table.cells:
        of = tuple(key.step for key in cell.banner)
        if cell.stat == "mean" or of not in seen:
            continue
        figure = seen[of][cell.stat == "ratio"]
        assert cell.est == pytest.approx(figure.est, rel=1e-9)
        assert cell.se == pytest.approx(error(sample, figure), rel=1e-7, abs=1e-9)
        assert (cell.base_n, cell.deff) == (int(seen[of][0].inside.sum()), None)
    ratios = [test for test in table.tests if getattr(test, "stat", None) == "ratio"]
    (pair,) = [test for test in ratios if (test.a, test.b) == ((1,), (3,))]
    one, other = seen[(1,)][1], seen[(3,)][1]
    assert pair.diff == pytest.approx(one.est - other.est, rel=1e-7, abs=1e-12)
    if sample.replicates is None:
        variance = sample.variance(one.z - other.z, one.terms + other.terms)
    else:
        variance = sample.c @ (one.again() - other.again() - pair.diff) ** 2
    assert pair.se == pytest.approx(np.sqrt(variance), rel=1e-7)


def test_a_total_that_the_margins_fix_has_no_error() -> None:
    fixed = {"total_of": "id", "by": [], "as": "totals", "targets": [{"at": {}, "value": 2600.0}]}
    weighting = {"margins": [fixed], "scale_to": 72.0}
    found = results(
        survey(3), {**CLUSTERED, "calibrated": True}, weighting, stub=["id"], banner=[], show=["total", "mean"],
        tests=[],
    )  # fmt: skip
    total = next(cell for cell in found.tables[0].cells if cell.stat == "total")
    assert (total.est, total.se, total.low, total.high) == (
        pytest.approx(2600.0), 0.0, pytest.approx(2600.0), pytest.approx(2600.0),
    )  # fmt: skip


def cells(found: Results) -> dict[tuple[Any, ...], Cell]:
    return {(tuple(k.step for k in c.banner), c.stat): c for c in found.tables[0].cells}


def test_a_ratio_of_few_that_answered_both_numbers_is_hidden_and_so_is_one_that_few_did_not() -> None:
    from surveys import study

    from even_ballot.core.study.pipeline import run
    from even_ballot.core.study.study_file import parse_study

    table = {"id": "t", "stub": ["id"], "banner": ["b"], "show": ["mean", "ratio"], "per": "y"}
    plain = study({}, None, table).model_dump(mode="json", by_alias=True, exclude_defaults=True)
    shown = run(parse_study({**plain, "suppression": {"below": 2}}), survey(5), {})
    hidden = run(parse_study({**plain, "suppression": {"below": 12}}), survey(5), {})
    blanks = {at: cells(shown)[at, "mean"].base_n - cells(shown)[at, "ratio"].base_n for at in ((1,), (2,))}  # type: ignore[operator]
    assert all(2 <= n < 12 for n in blanks.values()), "the survey has few blanks in both columns"
    assert [h.stat for h in hidden.tables[0].hidden or ()] == ["ratio"] * 3


def test_a_ratio_says_what_it_is_per() -> None:
    with pytest.raises(StudyError, match="name a number in per"):
        results(survey(3), {}, None, stub=["y"], show=["ratio"])
    with pytest.raises(StudyError, match="q is not a number"):
        results(survey(3), {}, None, stub=["y"], show=["ratio"], per="q")
