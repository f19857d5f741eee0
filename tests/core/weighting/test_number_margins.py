"""Weights that meet totals and means of numbers: met, nearest, and refused with what is wrong."""

from typing import Any

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from scipy.optimize import linprog
from surveys import SCALES, VARIABLES, A, margin, survey

from even_ballot.core.data.dataset import RawTable
from even_ballot.core.faults import StudyError
from even_ballot.core.study.pipeline import run
from even_ballot.core.study.results import Results
from even_ballot.core.study.study_file import parse_study
from even_ballot.core.weighting.limit_price import limit_prices

MEAN = {"total_of": "id", "by": [], "as": "means", "targets": [{"at": {}, "value": 40.0}]}
MEANS = {"total_of": "id", "by": ["b"], "as": "means", "targets": [{"at": {"b": 1}, "value": 35.0}, {"at": {"b": 2}, "value": 40.0}]}  # fmt: skip
TOTAL = {"total_of": "i", "by": [], "as": "totals", "targets": [{"at": {}, "value": 2600.0}]}


def found(data: RawTable, **weighting: Any) -> Results:
    return run(
        parse_study(
            {
                "source": {"path": "answers.csv"},
                "codebook": {"scales": SCALES, "variables": VARIABLES},
                "weightings": [{"base": "d", "tolerance": 1e-12, **weighting}],
            }
        ),
        data,
        {},
    )


def column(of: Results, name: str) -> np.ndarray:
    return of.data.column(name).values.astype(float)


@settings(max_examples=40, deadline=None)
@given(
    st.integers(0, 10**6),
    st.sampled_from([(MEAN,), (MEANS,), (TOTAL, MEANS), (MEAN, TOTAL)]),
    st.booleans(),
    st.sampled_from([None, {"low": 0.2, "high": 3.0}, {"low": 0.5, "high": 1.8}]),
)
def test_weights_meet_numbers_and_are_the_nearest_that_do(
    seed: int, numbers: tuple[dict[str, Any], ...], sizes: bool, limits: dict[str, float] | None
) -> None:
    margins = [*numbers, *([margin("a", A)] if sizes else [])]
    more = {} if limits is None else {"limits": limits}
    of = found(survey(seed, size=8), margins=margins, scale_to=1000.0, **more)
    (report,) = of.weightings
    assume(report.converged)
    w, d, b, a = (column(of, name) for name in ("weight", "d", "b", "a"))
    assert w.sum() == pytest.approx(1000.0, rel=1e-9)
    columns = [np.ones(len(w)), *((a == c) * 1.0 for c in A if sizes)]
    for one in numbers:
        y = column(of, one["total_of"])
        for target in one["targets"]:
            x = y * np.prod([column(of, name) == code for name, code in target["at"].items()], axis=0)
            if one["as"] == "means":
                inside = x != 0 if target["at"] else np.ones(len(w), bool)
                inside = (b == target["at"]["b"]) if target["at"] else inside
                assert w[inside] @ y[inside] / w[inside].sum() == pytest.approx(target["value"], rel=1e-8)
                x = inside * (y - target["value"])
            else:
                assert w @ x == pytest.approx(target["value"], rel=1e-8)
            columns.append(x)
    # log(w/d) is of the columns alone where no limit holds, and beyond it on the side of the limit.
    x, exponent = np.stack(columns, 1), np.log(w / d)
    mean, free = w.mean(), np.ones(len(w), bool)
    if limits is not None:
        free = (w > limits["low"] * mean * (1 + 1e-9)) & (w < limits["high"] * mean * (1 - 1e-9))
    scale = np.abs(x).max(0)
    told, *_ = np.linalg.lstsq(x[free] / scale, exponent[free], rcond=None)
    expected = (x / scale) @ told
    assert exponent[free] == pytest.approx(expected[free], abs=1e-6)
    if limits is not None and np.linalg.matrix_rank(x[free] / scale) == np.linalg.matrix_rank(x / scale):
        on_low, on_high = ~free & (w < mean), ~free & (w > mean)
        assert (expected[on_low] <= exponent[on_low] + 1e-6).all()
        assert (expected[on_high] >= exponent[on_high] - 1e-6).all()


def test_groups_are_calibrated_alone_and_the_report_tells_target_before_and_after() -> None:
    of = found(survey(4, size=8), margins=[MEAN], within=["b"])
    (report,) = of.weightings
    (numbers,) = report.margins
    assert (numbers.total_of, numbers.fixes, [row.at for row in numbers.rows]) == (
        "id",
        "means",
        [{"b": 1}, {"b": 2}],
    )
    w, d, b, y = (column(of, name) for name in ("weight", "d", "b", "id"))
    for code, row in zip((1, 2), numbers.rows, strict=True):
        at = b == code
        assert w[at] @ y[at] / w[at].sum() == pytest.approx(40.0)
        assert (row.target, row.n) == (40.0, int(at.sum()))
        assert row.after == pytest.approx(40.0)
        assert row.before == pytest.approx(d[at] @ y[at] / d[at].sum())
        assert w[at].sum() / w.sum() == pytest.approx(d[at].sum() / d.sum())


@pytest.mark.parametrize(
    ("margins", "more", "said"),
    [
        ([{**MEAN, "targets": [{"at": {}, "value": 999.0}]}], {}, "all its values are between 1 and 96"),
        ([{**MEANS, "targets": MEANS["targets"][:1]}], {}, "which has no target"),
        ([{**MEANS, "targets": [*MEANS["targets"], {"at": {"b": 7}, "value": 0.0}]}], {}, None),
        ([{**MEAN, "total_of": "y"}], {}, "no value on y"),
        ([{**MEAN, "total_of": "q"}], {}, "q is a coded, not a number"),
        ([MEAN, {**MEAN, "targets": [{"at": {}, "value": 41.0}]}], {}, "No weights meet all margins: the mean of id"),
        ([TOTAL], {}, "totals of a number need a population size"),
        ([{**MEAN, "unknown": "hold"}], {}, "an unknown cannot be held"),
        ([{**MEAN, "as": "shares"}], {}, "must be in totals or means"),
        ([{"by": ["b"], "as": "means", "targets": []}], {}, "name it in total_of"),
        ([{"by": [], "targets": []}], {}, "a margin is over variables"),
        ([{"by": ["b"], "targets": [{"at": {"b": 1}, "value": -1}]}], {}, "is negative"),
    ],
)  # fmt: skip
def test_what_cannot_be_is_refused_with_what_would_do(
    margins: list[dict[str, Any]], more: dict[str, Any], said: str | None
) -> None:
    if said is None:
        found(survey(4, size=8), margins=margins, **more)
        return
    with pytest.raises(StudyError, match=said):
        found(survey(4, size=8), margins=margins, **more)


def test_limits_that_leave_no_room_are_reported_as_not_met() -> None:
    of = found(
        survey(4, size=8), margins=[{**MEAN, "targets": [{"at": {}, "value": 80.0}]}], limits={"high": 1.2}
    )
    (report,) = of.weightings
    assert not report.converged and report.max_gap > 1e-3


@settings(max_examples=8, deadline=None)
@given(st.integers(0, 10**6), st.floats(1.05, 1.5))
def test_prices_of_limits_go_down_to_what_a_number_leaves_room_for(seed: int, far: float) -> None:
    """Against the least limit that a linear program finds."""
    data = survey(seed, size=8)
    plain = found(data, margins=[margin("a", A)])
    y, a = column(plain, "id"), column(plain, "a")
    assume(column(plain, "d").min() > 0)
    # A mean that takes large weights on the upper cases.
    value = y.mean() * far
    assume(value < np.quantile(y, 0.9))
    mean = {"total_of": "id", "by": [], "as": "means", "targets": [{"at": {}, "value": float(value)}]}
    of = found(data, margins=[mean, margin("a", A)])
    assume(of.weightings[0].converged)
    n = len(y)
    shares = margin("a", A)["targets"]
    rows = [np.ones(n), y - value, *(a == t["at"]["a"] for t in shares)]
    aims = [n, 0.0, *(n * t["value"] for t in shares)]
    equal = np.column_stack([np.array(rows, float), np.zeros(len(rows))])
    above = np.column_stack([np.eye(n), -np.ones(n)])
    least = float(linprog(np.r_[np.zeros(n), 1.0], above, np.zeros(n), equal, aims).fun or 0.0)
    asked = parse_study(
        {"source": {"path": "a.csv"}, "weightings": [{"base": "d", "margins": [mean, margin("a", A)]}]}
    ).weightings[0]
    prices = limit_prices(of.data, asked, ["q"], "weightings[0]")
    assert all(price.met for price in prices)
    highs = [price.high for price in prices[1:] if price.high is not None]
    assert highs == sorted(highs, reverse=True)
    if highs:
        assert least * (1 - 1e-6) <= highs[-1] <= least * 1.02
