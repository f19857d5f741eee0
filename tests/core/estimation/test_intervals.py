"""Intervals and the adjustment of p-values."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from even_ballot.core.estimation.comparisons import adjusted_p_values
from even_ballot.core.estimation.intervals import Interval, Method, proportion, symmetric

METHODS: tuple[Method, ...] = ("logit", "wald", "wilson", "beta")


def limits(p: float, variance: float, n: int, df: float, **interval: object) -> tuple[float, float]:
    low, high = proportion(
        np.array([p]), np.array([variance]), np.array([n]), df, Interval.model_validate(interval)
    )
    return float(low[0]), float(high[0])


@given(
    st.floats(0.01, 0.99),
    st.floats(0.3, 4),
    st.integers(5, 5000),
    st.integers(2, 200),
    st.sampled_from(METHODS),
)
def test_an_interval_holds_its_estimate_and_widens_with_its_level(
    p: float, deff: float, n: int, df: int, method: Method
) -> None:
    variance = deff * p * (1 - p) / n
    low, high = limits(p, variance, n, df, method=method)
    wide_low, wide_high = limits(p, variance, n, df, method=method, level=0.99)
    assert low <= p <= high
    # The effective size of the beta interval depends on the level (by the ratio of two t quantiles): with few
    # cases a higher
    # level can end nearer on one side.
    if method != "beta" or n >= 100:
        assert wide_low <= low
        assert wide_high >= high
    if method != "wald":
        assert low >= 0
        assert high <= 1


def test_wilson_is_the_textbooks() -> None:
    p, n, df = 0.3, 200, 40
    m = n / 1.5
    t = stats.t.ppf(0.975, df)
    centre, half = (
        (p + t**2 / (2 * m)) / (1 + t**2 / m),
        t * math.sqrt(p * (1 - p) / m + t**2 / (4 * m**2)) / (1 + t**2 / m),
    )
    assert limits(p, 1.5 * p * (1 - p) / n, n, df, method="wilson") == pytest.approx(
        (centre - half, centre + half)
    )


def test_beta_never_takes_more_than_the_base() -> None:
    p, n = 0.2, 50
    got = limits(p, 0.1 * p * (1 - p) / n, n, 30, method="beta")
    assert got == pytest.approx((stats.beta.ppf(0.025, 10, 41), stats.beta.ppf(0.975, 11, 40)))


@pytest.mark.parametrize("method", ["logit", "beta"])
def test_a_share_of_nought_takes_the_beta_interval_of_its_base(method: Method) -> None:
    assert limits(0.0, 0.0, 40, 20, method=method) == pytest.approx((0.0, stats.beta.ppf(0.975, 1, 40)))
    assert limits(1.0, 0.0, 40, 20, method=method) == pytest.approx((stats.beta.ppf(0.025, 40, 1), 1.0))


@pytest.mark.parametrize("method", METHODS)
def test_a_share_without_variance_is_its_own_interval(method: Method) -> None:
    assert limits(0.48, 0.0, 40, 20, method=method) == (0.48, 0.48)


def test_one_side_takes_the_whole_of_what_is_left_out() -> None:
    p, variance, n, df = 0.3, 0.002, 100, 30
    both = limits(p, variance, n, df, level=0.9)
    assert limits(p, variance, n, df, sides="lower") == pytest.approx((both[0], 1.0))
    assert limits(p, variance, n, df, sides="upper") == pytest.approx((0.0, both[1]))
    low, high = limits(p, variance, n, df, method="wald", sides="lower")
    assert low == pytest.approx(p - stats.t.ppf(0.95, df) * math.sqrt(variance))
    assert math.isnan(high)


def test_means_are_symmetric() -> None:
    low, high = symmetric(np.array([10.0]), np.array([2.0]), 12, Interval())
    assert (float(low[0]), float(high[0])) == pytest.approx(
        (10 - 2 * stats.t.ppf(0.975, 12), 10 + 2 * stats.t.ppf(0.975, 12))
    )


def test_adjustments_are_the_textbooks() -> None:
    p = np.array([0.01, 0.04, 0.03, 0.5])
    assert adjusted_p_values(p, "none").tolist() == p.tolist()
    assert adjusted_p_values(p, "bonferroni") == pytest.approx([0.04, 0.16, 0.12, 1.0])
    assert adjusted_p_values(p, "holm") == pytest.approx([0.04, 0.09, 0.09, 0.5])
    assert adjusted_p_values(p, "fdr") == pytest.approx([0.04, 0.16 / 3, 0.16 / 3, 0.5])


@given(st.lists(st.floats(0, 1), min_size=1, max_size=8))
def test_adjusted_p_values_are_never_smaller_and_keep_their_order(p: list[float]) -> None:
    plain = np.array(p)
    fdr, holm, bonferroni = (adjusted_p_values(plain, how) for how in ("fdr", "holm", "bonferroni"))
    assert (fdr >= plain - 1e-15).all()
    assert (holm >= fdr - 1e-12).all()
    assert (bonferroni >= holm - 1e-12).all()
    order = np.argsort(plain, kind="stable")
    assert (np.diff(holm[order]) >= -1e-15).all()
