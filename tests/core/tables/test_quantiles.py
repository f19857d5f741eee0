"""Medians with Woodruff's limits, and nested banners."""

import math
from typing import Any

import numpy as np
import pytest
from builders import coded, dataset, scale
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from plain import Plain, quantile
from scipy import stats

from even_ballot.core.calibration.weighted_sample import sampled
from even_ballot.core.estimation.quantiles import ranked
from even_ballot.core.sampling.design import Design
from even_ballot.core.tables.table_request import TableRequest
from even_ballot.core.tables.tabulate import tabulate


@settings(max_examples=100)
@given(
    st.lists(st.tuples(st.integers(0, 8), st.integers(1, 5)), min_size=1, max_size=12), st.floats(0.02, 0.98)
)
def test_quantiles_follow_their_definition(pairs: list[tuple[int, int]], q: float) -> None:
    values, weights = [float(v) for v, _ in pairs], [float(w) for _, w in pairs]
    ranks = ranked(np.array(values), np.array(weights))
    assert ranks.quantile(q) == quantile(values, weights, q)


def test_a_quantile_that_meets_a_value_takes_the_mean_with_the_next() -> None:
    ranks = ranked(np.array([1.0, 2.0, 3.0, 4.0]), np.ones(4))
    assert [ranks.quantile(q) for q in (0, 0.25, 0.5, 0.6, 0.75, 1)] == [1, 1.5, 2.5, 3, 3.5, 4]


@settings(max_examples=40)
@given(st.integers(0, 10**6), st.booleans(), st.sampled_from(["both", "lower", "upper"]))
def test_medians_have_woodruffs_limits(seed: int, clustered: bool, sides: str) -> None:
    rng = np.random.default_rng(seed)
    n = int(rng.integers(12, 50))
    stratum, psu = rng.integers(0, 2, n), rng.integers(0, 4, n)
    y = rng.integers(0, 40, n)
    w = np.round(rng.gamma(3, 0.4, n) + 0.1, 3)
    data = dataset({"y": [f"{v / 4}" for v in y], "h": stratum, "i": psu, "w": w})
    design = Design(strata=("h",), clusters=("i",) if clustered else (), single_psu="add_nothing")
    request = TableRequest.model_validate(
        {"id": "t", "stub": ["y"], "show": ["median"], "interval": {"sides": sides}}
    )
    (cell,) = tabulate(sampled(data, design, "w"), request).cells
    plain = Plain(w.tolist(), stratum.tolist(), (psu if clustered else np.arange(n)).tolist())
    assume(plain.df > 0)
    values = (y / 4).tolist()
    median = quantile(values, w.tolist(), 0.5)
    below = [float(v <= median) for v in values]
    _, z = plain.ratio(below, [1.0] * n)
    tail = 0.025 if sides == "both" else 0.05
    half = stats.t.isf(tail, plain.df) * math.sqrt(max(plain.variance(z), 0))
    assert cell.est == median

    def end(q: float) -> float:
        return min(values) if q <= 0 else max(values) if q >= 1 else quantile(values, w.tolist(), q)

    assert cell.low == (None if sides == "upper" else end(0.5 - half))
    assert cell.high == (None if sides == "lower" else end(0.5 + half))


def nested(**more: Any) -> Any:
    rng = np.random.default_rng(11)
    n = 200
    columns = {name: coded(rng.integers(1, k + 1, n).tolist()) for name, k in (("q", 3), ("a", 2), ("b", 3))}
    columns["a"][:7] = [""] * 7
    data = dataset(columns, q=scale(1, 2, 3), a=scale(1, 2), b=scale(1, 2, 3))
    request = TableRequest.model_validate({"id": "t", "stub": ["q"], "banner": ["a", ["a", "b"]], **more})
    return data, tabulate(sampled(data, Design()), request)


def test_a_nested_banner_has_a_column_for_each_combination() -> None:
    data, table = nested(show=["n"])
    q, a, b = (data.column(name) for name in "qab")
    for cell in table.cells:
        path = {step.variable: step.code for step in cell.banner}
        want = (q.values == cell.stub.code) & q.answered
        for name, column in (("a", a), ("b", b)):
            if name in path:
                want &= (column.values == path[name]) & column.answered
        assert cell.est == want.sum()
    assert len({cell.banner for cell in table.cells}) == 1 + 2 + 6
    assert [h.variables for h in table.banners] == [("a",), ("a", "b")]


def test_nested_columns_are_compared_within_their_outer_categories() -> None:
    _, table = nested(show=["col_pct"], tests=["columns"], adjust="bonferroni")
    inner = [t for t in table.tests if t.banner == ("a", "b") and t.stub["code"] == 1]
    assert [(t.a, t.b) for t in inner] == [
        (x, y) for o in (1, 2) for x, y in (((o, 1), (o, 2)), ((o, 1), (o, 3)), ((o, 2), (o, 3)))
    ]
    assert all(t.p_adjusted == pytest.approx(min(1, 6 * t.p)) for t in inner)


def test_a_nested_column_needs_every_variable_answered() -> None:
    _, table = nested(show=["row_pct"])
    for code in (1, 2, 3):
        one = sum(c.est for c in table.cells if c.stub.code == code and len(c.banner) == 1)
        two = sum(c.est for c in table.cells if c.stub.code == code and len(c.banner) == 2)
        assert (one, two) == pytest.approx((1.0, 1.0))
