"""Quantiles by several sets of weights over parts: passes that close in find what lies in all of them."""

from functools import partial

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from even_ballot.core.estimation.quantiles_again import quantiles_again, quantiles_over
from even_ballot.core.numerics.arrays import Floats
from even_ballot.core.numerics.parts import in_order


def seen(value: Floats, weight: Floats, which: slice) -> tuple[Floats, Floats]:
    return value, weight[:, which]


@pytest.mark.parametrize("held", [1, 40, 10**6])
@given(
    seed=st.integers(0, 10**9),
    kind=st.sampled_from(["few", "many", "two heaps", "one"]),
    q=st.sampled_from([0.1, 0.25, 0.5, 0.75, 0.9]),
    n=st.integers(1, 400),
    sets=st.integers(1, 6),
    parts=st.integers(2, 5),
)
def test_over_parts_they_are_those_of_all_values(
    held: int, seed: int, kind: str, q: float, n: int, sets: int, parts: int
) -> None:
    rng = np.random.default_rng(seed)
    value = {
        "few": rng.integers(0, 4, n).astype(np.float64),
        "many": rng.normal(size=n),
        "two heaps": rng.normal(size=n) * 1e-9 + rng.integers(0, 2, n),
        "one": np.full(n, 7.5),
    }[kind]
    # Weights that meet quantiles exactly, units that drop out, sets in which nobody is left.
    weight = rng.integers(0, 3, (n, sets)).astype(np.float64) * (rng.random(sets) < 0.9)
    of = rng.integers(0, parts, n)
    cut = [partial(seen, value[of == k], weight[of == k]) for k in range(parts)]
    found = quantiles_over(cut, slice(0, sets), q, in_order, held)
    np.testing.assert_array_equal(found, quantiles_again(value, weight, q))
    # Independently: by the definition, one set at a time.
    for r in range(sets):
        there = np.sort(np.repeat(value, weight[:, r].astype(int)))
        if not len(there):
            assert np.isnan(found[r])
            continue
        k = q * len(there)
        near = round(k)
        if abs(k - near) < 1e-9 * len(there) and near < len(there):
            assert found[r] == there[near - 1] / 2 + there[near] / 2 if near else there[0]
        else:
            assert found[r] == there[int(np.floor(k))]
