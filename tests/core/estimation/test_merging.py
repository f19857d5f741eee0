"""What is seen of parts, merged: as if it had been seen at once."""

from collections.abc import Callable

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from parting import RandomTree

from even_ballot.core.estimation.quantiles import Bracketed, PartValues, Ranked, ranked, ranks_of
from even_ballot.core.estimation.spread import CentralSums, PlainSums, central_sums, plain_sums, spread
from even_ballot.core.sampling.tallies import NumberTally, tally_number

SEEDS = st.integers(0, 10**6)


def values_of(rng: np.random.Generator, n: int) -> np.ndarray:
    """Numbers of all sorts: few and many, near one another and far apart, with ties."""
    return [
        rng.integers(0, 5, n).astype(float),
        np.round(rng.normal(0, 50, n), 1),
        rng.normal(0, 1, n),
        np.exp(rng.normal(0, 40, n)),
        np.where(rng.random(n) < 0.5, 7.0, rng.normal(1e9, 1e-3, n)),
        np.nextafter(1.0, rng.choice([0.0, 1.0, 2.0], n)),
    ][int(rng.integers(0, 6))]


def parts_of(rng: np.random.Generator, y: np.ndarray, w: np.ndarray) -> list[PartValues]:
    of = rng.integers(0, 4, len(y))

    def part(k: int) -> PartValues:
        return lambda: (y[of == k], w[of == k])

    return [part(k) for k in range(5)]


@settings(max_examples=150, deadline=None)
@given(SEEDS, st.sampled_from([1, 2, 7, 50]))
def test_closing_in_on_a_quantile_finds_what_sorting_finds(seed: int, held: int) -> None:
    rng = np.random.default_rng(seed)
    y = values_of(rng, int(rng.integers(1, 300)))
    # Whole weights, so that a cumulative weight can meet what is wanted.
    w = rng.integers(1, 4, len(y)).astype(float)
    parts = parts_of(rng, y, w)
    whole, closing = ranked(y, w), Bracketed(parts, RandomTree(rng), held)
    for q in [0, 0.001, 0.1, 0.25, 0.5, 0.75, 0.999, 1, *rng.random(3), *(whole.cumulative[:3] / w.sum())]:
        assert closing.quantile(q) == whole.quantile(q)
    assert closing.modes() == whole.modes()


@given(SEEDS)
@settings(max_examples=20, deadline=None)
def test_few_values_are_held_and_many_are_not(seed: int) -> None:
    rng = np.random.default_rng(seed)
    y, w = rng.integers(0, 40, 200).astype(float), np.ones(200)
    parts = parts_of(rng, y, w)
    assert isinstance(ranks_of(parts, RandomTree(rng), 1000), Ranked)
    assert isinstance(ranks_of(parts, RandomTree(rng), 3), Bracketed)
    none: list[PartValues] = [lambda: (np.zeros(0), np.zeros(0))] * 2
    assert ranks_of(none, RandomTree(rng)) is None


@settings(max_examples=60, deadline=None)
@given(SEEDS, st.sampled_from([0.0, 1e8, -1e12]))
def test_central_moments_of_parts_keep_their_digits_far_from_zero(seed: int, far: float) -> None:
    rng = np.random.default_rng(seed)
    n = int(rng.integers(4, 200))
    y, w, domain = far + rng.integers(-9, 9, n).astype(np.float64), rng.random(n) + 0.1, rng.integers(0, 3, n)
    of = rng.integers(0, 5, n)
    tree = RandomTree(rng)
    parts = [central_sums(y[of == k], domain[of == k], w[of == k], 3) for k in range(6)]
    cases = np.bincount(domain, minlength=3)
    got = spread(tree(CentralSums.merged, parts), cases)
    want = spread(central_sums(y - far, domain, w, 3), cases)
    for name in ("sd", "skewness", "kurtosis"):
        np.testing.assert_allclose(
            getattr(got, name), getattr(want, name), rtol=1e-9, atol=1e-9, equal_nan=True
        )
    plain = tree(PlainSums.merged, [plain_sums(y[of == k]) for k in range(6)])
    assert plain.sd == pytest.approx(float((y - far).std(ddof=1)), rel=1e-12)
    assert plain.mean == pytest.approx(float(y.mean()), rel=1e-12)


@settings(max_examples=60, deadline=None)
@given(SEEDS, st.booleans(), st.sampled_from([0.0, 1e8]))
def test_a_number_s_tallies_of_parts_are_that_of_the_whole(seed: int, own: bool, far: float) -> None:
    rng = np.random.default_rng(seed)
    n = int(rng.integers(1, 150))
    y, w = far + rng.integers(-4, 5, n) / 4, rng.random(n) * (rng.random(n) < 0.9)
    inside, banner = rng.random(n) < 0.8, rng.integers(0, 3, n).astype(np.int8)
    unit = rng.integers(0, 4, n).astype(np.int32)
    tally: Callable[[np.ndarray], NumberTally] = lambda of: tally_number(  # noqa: E731
        y[of], inside[of], banner[of], unit[of], w[of], (4, 3), own
    )
    of = rng.integers(0, 4, n)
    parts = RandomTree(rng)(NumberTally.merged, [tally(of == k) for k in range(5)])
    whole = tally(np.ones(n, bool)).about(parts.shift)
    np.testing.assert_array_equal(parts.counts, whole.counts)
    np.testing.assert_allclose(parts.w, whole.w, rtol=1e-12)
    np.testing.assert_allclose(parts.wy, whole.wy, rtol=1e-12, atol=1e-12 if far == 0 else 1e-6)
    if own and whole.own is not None and parts.own is not None:
        np.testing.assert_allclose(parts.own, whole.own, rtol=1e-9, atol=1e-11 if far == 0 else 1e-6)
