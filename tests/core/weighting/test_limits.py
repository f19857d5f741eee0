"""Raking within limits: against a general optimiser, and what is said where no weights exist."""

from typing import Any

import numpy as np
import pytest
from builders import coded, dataset, scale, study
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from scipy.optimize import minimize

from even_ballot.core.data.dataset import Dataset
from even_ballot.core.weighting.raking import Raked, rake
from even_ballot.core.weighting.report import report
from even_ballot.core.weighting.solving.base_runs import base_runs, ordered

A, B = {1: 0.4, 2: 0.6}, {1: 0.2, 2: 0.35, 3: 0.45}


def sample(seed: int, n: int = 30) -> Dataset:
    rng = np.random.default_rng(seed)
    columns = {"a": coded(rng.integers(1, 3, n).tolist()), "b": coded([1 + k % 3 for k in range(n)]),
               "g": coded([1 + k % 2 for k in range(n)]), "d": [f"{x:.2f}" for x in rng.gamma(4, 0.25, n) + 0.05]}  # fmt: skip
    return dataset(columns, a=scale(1, 2), b=scale(1, 2, 3), g=scale(1, 2))


def raked(data: Dataset, low: float, high: float | None, turned: bool = False, **more: Any) -> Raked:
    margins = [
        {"by": [name], "targets": [{"at": {name: code}, "value": value} for code, value in targets.items()]}
        for name, targets in (("a", A), ("b", B))
    ]
    parts = {"base": "d", "tolerance": 1e-12, "limits": {"low": low, "high": high}, **more}
    return rake(
        data, study(weightings=[{"margins": margins[::-1] if turned else margins, **parts}]).weightings[0]
    )


@settings(max_examples=20, deadline=None)
@given(st.integers(0, 10**6), st.floats(0.1, 0.7), st.floats(1.4, 3))
def test_weights_are_those_of_a_general_optimiser(seed: int, low: float, high: float) -> None:
    data = sample(seed)
    found = raked(data, low, high)
    assume(found.converged)
    d = data.column("d").values / data.column("d").values.sum() * data.n
    members = [
        (data.column(name).values == code, share)
        for name, side in (("a", A), ("b", B))
        for code, share in side.items()
    ]
    meets = [{"type": "eq", "fun": lambda w, m=m, s=s: w[m].sum() - s * len(w), "jac": lambda w, m=m: m.astype(float)}
             for m, s in members[:-1]]  # fmt: skip
    # Any: its stubs know no constraints with gradients.
    minimise: Any = minimize
    best = minimise(
        lambda w: (w * np.log(w / d) - w + d).sum(), np.clip(found.weights * 0.9, low, high), jac=lambda w: np.log(w / d),
        bounds=[(low, high)] * data.n, constraints=meets, method="SLSQP", options={"maxiter": 500, "ftol": 1e-14},
    )  # fmt: skip
    assume(best.success)
    distance = (found.weights * np.log(found.weights / d) - found.weights + d).sum()
    assert distance == pytest.approx(best.fun, abs=1e-7)
    np.testing.assert_allclose(found.weights, best.x, atol=2e-4)


@settings(max_examples=25, deadline=None)
@given(st.integers(0, 10**6), st.floats(0.0, 0.7), st.one_of(st.none(), st.floats(1.3, 3)))
def test_limits_are_held_and_margins_met_whatever_the_order_and_the_scale(
    seed: int, low: float, high: float | None
) -> None:
    data = sample(seed)
    assume(low > 0 or high is not None)
    found = raked(data, low, high)
    assume(found.converged)
    w = found.weights
    assert w.mean() == pytest.approx(1)
    assert w.min() >= low - 1e-12
    assert high is None or w.max() <= high + 1e-12
    for name, targets in (("a", A), ("b", B)):
        for code, share in targets.items():
            assert w[data.column(name).values == code].sum() / data.n == pytest.approx(share, abs=1e-10)
    # A weight that limits drive towards nothing is settled by the margins absolutely, not in proportion to
    # itself.
    np.testing.assert_allclose(raked(data, low, high, turned=True).weights, w, rtol=1e-6, atol=1e-9)
    tenfold = dataset({name: coded(data.column(name).values.tolist()) for name in ("a", "b")}
                      | {"d": [f"{10 * x:.12g}" for x in data.column("d").values]}, a=scale(1, 2), b=scale(1, 2, 3))  # fmt: skip
    np.testing.assert_allclose(raked(tenfold, low, high).weights, w, rtol=1e-6, atol=1e-9)


@settings(max_examples=20, deadline=None)
@given(st.integers(0, 10**6))
def test_limits_that_bind_nobody_change_nothing(seed: int) -> None:
    data = sample(seed)
    np.testing.assert_allclose(raked(data, 1e-6, 1e6).weights, raked(data, 0, None).weights, rtol=1e-8)


@settings(max_examples=20, deadline=None)
@given(st.integers(0, 10**6))
def test_limits_that_nobody_can_meet_say_which_would_do(seed: int) -> None:
    data = sample(seed)
    low, high = 0.9, 1.1
    found = raked(data, low, high)
    assume(not found.converged)
    assert found.max_gap > 1e-12
    assert found.weights.min() >= low - 1e-12
    assert found.possible is not None
    if (least := found.possible.high) is not None:
        assert raked(data, low, least + 1e-4, max_cycles=5000).converged
        assert not raked(data, low, max(least - 1e-3, 1.0001)).converged
    if found.possible.both is not None:
        least, most = found.possible.both.low, found.possible.both.high
        assert raked(data, max(least - 1e-4, 0), most + 1e-4, max_cycles=5000).converged
        assert not raked(data, least + 1e-3, max(most - 1e-3, 1.0001)).converged
    if (lowest := found.possible.low) is not None:
        assert raked(data, max(lowest - 1e-4, 0), high, max_cycles=5000).converged
        assert not raked(data, lowest + 1e-3, high).converged


def test_limits_are_relative_to_the_mean_of_each_group() -> None:
    data = sample(3, 60)
    found = raked(data, 0.4, 2, within=["g"])
    assert found.converged
    for code in (1, 2):
        w = found.weights[data.column("g").values == code]
        assert w.min() >= 0.4 * w.mean() - 1e-9
        assert w.max() <= 2 * w.mean() + 1e-9


def test_the_report_says_how_many_weights_lie_on_a_limit() -> None:
    data = sample(8)
    request = study(weightings=[{"base": "d", "limits": {"low": 0.5, "high": 1.5}}]).weightings[0]
    assert report(data, rake(data, request), request).at_limits is None  # No margins: nothing to hold.
    found = raked(data, 0.7, 1.5)
    (free,) = [of.free for of in found.parts]
    assert free is not None
    held = (np.abs(found.weights - 0.7) < 1e-9) | (np.abs(found.weights - 1.5) < 1e-9)
    assert held.any()
    np.testing.assert_array_equal(~free, held)


@given(st.integers(0, 10**6))
@settings(max_examples=20, deadline=None)
def test_base_weights_are_ordered_and_summed_within_their_combination(seed: int) -> None:
    rng = np.random.default_rng(seed)
    index, base = rng.integers(0, 7, 60), rng.integers(0, 5, 60) / 4
    parts = np.sort(rng.integers(0, 61, 2))
    runs = [base_runs(i, d, 8) for i, d in zip(np.split(index, parts), np.split(base, parts), strict=True)]
    of = ordered(runs[2].merged(runs[0]).merged(runs[1]))
    for c in range(8):
        mine = np.sort(base[(index == c) & (base > 0)])
        values, first, times = np.unique(mine, return_index=True, return_counts=True)
        run = slice(of.start[c], of.start[c + 1])
        np.testing.assert_array_equal(of.d[run], values)
        np.testing.assert_array_equal(of.cases[run], first)
        np.testing.assert_allclose(of.before[run], (np.cumsum(mine) - mine)[first])
        assert of.whole[c] == pytest.approx(mine.sum())
        assert of.counts[c] == times.sum()
