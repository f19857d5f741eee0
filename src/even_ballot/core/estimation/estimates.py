"""Estimates of one kind, and the sums they are made of."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from even_ballot.core.numerics.arrays import Floats, Ints
from even_ballot.core.sampling.linearisation import Alike, Linear, squares_in
from even_ballot.core.sampling.units import Units


@dataclass(frozen=True)
class Sums:
    """Weighted sums of quantities of any shape S by unit, (U, *S); own: (3 U, *S), of their cases, where
    every case is its own PSU (`Tally.own`); unweighted n, S."""

    w: Floats
    own: Floats | None
    n: Ints

    def at(self, *index: Any) -> "Sums":
        """Some of them, by an index of S."""
        own = None if self.own is None else self.own[(slice(None), *index)]
        return Sums(self.w[(slice(None), *index)], own, self.n[index])

    def over(self, axis: int) -> "Sums":
        """Their sums over an axis of (U, *S), which is kept."""
        own = None if self.own is None else self.own.sum(axis, keepdims=True)
        return Sums(self.w.sum(axis, keepdims=True), own, self.n.sum(axis - 1, keepdims=True))

    def beside(self, other: "Sums", times: int) -> "Sums":
        """These, and beside them on the last axis others, repeated."""

        def joined(a: Any, b: Any) -> Any:
            return np.concatenate([a, np.broadcast_to(b, (*b.shape[:-1], times))], -1)

        own = None if self.own is None or other.own is None else joined(self.own, other.own)
        return Sums(joined(self.w, other.w), own, joined(self.n, other.n))


@dataclass(frozen=True)
class Estimates:
    """Estimates of one kind, of any shape S. NaN where there is none; deff NaN where it has no meaning."""

    est: Floats
    linear: Linear
    variance: Floats
    n: Ints
    base_n: Ints
    deff: Floats

    def at(self, *index: Any) -> "Estimates":
        """Some of them."""
        return Estimates(
            self.est[index],
            self.linear.at(*index),
            self.variance[index],
            self.n[index],
            self.base_n[index],
            self.deff[index],
        )


def of_cases(linear: Linear, groups: Sequence[tuple[Floats, Floats, Floats]], units: Units) -> Linear:
    """The same where every case is its own PSU. groups: of cases that share a z: their sums (3 U, *S), z,
    and the terms of z taken absolutely.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> units = sampled(ferry(), Design(), "w").units
    >>> own = np.array([[2.0], [0.5], [0.3]])
    >>> linear, one = Linear(np.zeros((1, 1)), np.zeros((1, 1))), np.ones(1)
    >>> of_cases(linear, [(own, one, one)], units).terms.round(4).tolist()
    [[1.989]]
    """
    assert units.weights is not None
    squares = sum(squares_in(own, units.weights.centre) * size**2 for own, _, size in groups)
    return Linear(
        linear.totals, np.sqrt(np.maximum(squares, 0)), tuple(Alike(own, z) for own, z, _ in groups)
    )
