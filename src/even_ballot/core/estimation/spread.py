"""Weighted central moments, merged from those of parts."""

from collections.abc import Sequence
from dataclasses import dataclass, fields
from functools import reduce
from typing import Any

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.numerics.arrays import Floats, Ints
from even_ballot.core.numerics.compiled import by_arrays, compiled

_BLOCK = 1 << 16


@dataclass(frozen=True)
class Spread:
    """Weighted central moments by domain: sd is that of S² = Σ w (y − ȳ)²/Σ w · n/(n − 1)."""

    sd: Floats
    skewness: Floats
    kurtosis: Floats


@dataclass(frozen=True)
class CentralSums:
    """Sums over the cases of m domains, (m,) each: whole, Σ w; second, third, fourth, Σ w (y − ȳ)ᵏ; squares,
    Σ w y². ȳ = origin + level: a number near it, and what it is more, which keeps the digits that large
    numbers have no room for."""

    whole: Floats
    origin: Floats
    level: Floats
    second: Floats
    third: Floats
    fourth: Floats
    squares: Floats

    def _about(self, e: Floats) -> tuple[Floats, ...]:
        """Σ w (y − ȳ + e)ᵏ for k = 2, 3, 4."""
        return (
            self.second + self.whole * e**2,
            self.third + 3 * e * self.second + self.whole * e**3,
            self.fourth + 4 * e * self.third + 6 * e**2 * self.second + self.whole * e**4,
        )

    def merged(self, other: "CentralSums") -> "CentralSums":
        """Of two parts together, each about its own mean, so that no digits are lost."""
        here, there = self.whole > 0, other.whole > 0
        whole = self.whole + other.whole
        origin = np.where(here, self.origin, other.origin)
        a = np.where(here, self.level, 0.0)
        b = np.where(there, (other.origin - origin) + other.level, 0.0)
        share = np.divide(other.whole, whole, out=np.zeros_like(whole), where=whole > 0)
        level = np.where(here & there, a + share * (b - a), np.where(here, a, b))
        sides = self._about(np.where(here, a - level, 0.0)), other._about(np.where(there, b - level, 0.0))
        second, third, fourth = (
            np.where(here, x, 0.0) + np.where(there, y, 0.0) for x, y in zip(*sides, strict=True)
        )
        return CentralSums(whole, origin, level, second, third, fourth, self.squares + other.squares)

    def of(self, domains: "Ints | slice") -> "CentralSums":
        """Those of some domains."""
        return CentralSums(*(getattr(self, item.name)[domains] for item in fields(self)))

    @staticmethod
    def beside(parts: Sequence["CentralSums"]) -> "CentralSums":
        """Domains of several, one after the other."""
        names = [item.name for item in fields(CentralSums)]
        return CentralSums(*(np.concatenate([getattr(part, name) for part in parts]) for name in names))

    @property
    def together(self) -> "CentralSums":
        """Of all domains as one, (1,): halves merged until one is left."""
        sums, m = self, len(self.whole)
        while m > 1:
            half = m // 2
            merged = sums.of(slice(0, half)).merged(sums.of(slice(half, 2 * half)))
            sums = CentralSums.beside([merged, sums.of(slice(2 * half, m))])
            m = len(sums.whole)
        return sums


def central_sums(value: Floats, domain: NDArray[Any], weight: Floats, domains: int) -> CentralSums:
    """Of a number's weighted values among m domains: value, domain, weight: (k,), of the cases that count.

    >>> sums = central_sums(np.array([1.0, 3.0]), np.array([0, 0]), np.array([1.0, 1.0]), 1)
    >>> float(sums.origin[0] + sums.level[0]), float(sums.second[0])
    (2.0, 2.0)
    """

    blocks = [slice(start, start + _BLOCK) for start in range(0, max(len(value), 1), _BLOCK)]
    return reduce(CentralSums.merged, (_block(value[at], domain[at], weight[at], domains) for at in blocks))


def _block(value: Floats, domain: NDArray[Any], weight: Floats, domains: int) -> CentralSums:
    """The sums of cases few enough to stay in the processor's cache."""
    out = np.zeros((7, domains))
    _add_up(value, domain, weight, out)
    return CentralSums(*out)


@compiled
def _add_up(value: Any, domain: Any, weight: Any, out: Any) -> None:
    """Adds to `CentralSums` row by row. A second pass: the first mean of large values is off in their last
    digits."""
    whole, first, rest, second, third, fourth, squares = (
        out[0],
        out[1],
        out[2],
        out[3],
        out[4],
        out[5],
        out[6],
    )
    for k in range(value.shape[0]):
        d = domain[k]
        whole[d] += weight[k]
        first[d] += weight[k] * value[k]
        squares[d] += weight[k] * (value[k] * value[k])
    for d in range(whole.shape[0]):
        first[d] = first[d] / whole[d] if whole[d] != 0 else np.nan
    for k in range(value.shape[0]):
        d = domain[k]
        rest[d] += weight[k] * (value[k] - first[d])
    for d in range(whole.shape[0]):
        rest[d] = rest[d] / whole[d] if whole[d] != 0 else np.nan
    for k in range(value.shape[0]):
        d = domain[k]
        deviation = value[k] - first[d] - rest[d]
        square = deviation * deviation
        second[d] += weight[k] * square
        third[d] += weight[k] * (square * deviation)
        fourth[d] += weight[k] * (square * square)


@by_arrays(_add_up)
def _added_up(value: Any, domain: Any, weight: Any, out: Any) -> None:
    def total(quantity: Floats) -> Floats:
        return np.bincount(domain, weights=weight * quantity, minlength=out.shape[1]).astype(np.float64)

    out[0] = np.bincount(domain, weights=weight, minlength=out.shape[1])
    out[1] = total(value) / out[0]
    deviation = value - out[1][domain]
    out[2] = total(deviation) / out[0]
    deviation = deviation - out[2][domain]
    square = deviation * deviation
    out[3], out[4], out[5] = total(square), total(square * deviation), total(square * square)
    out[6] = total(value * value)


def spread(sums: CentralSums, n: Ints) -> Spread:
    """sd, skewness m₃/m₂^1.5 and excess kurtosis m₄/m₂² − 3; n: unweighted bases.

    >>> sums = central_sums(np.array([1.0, 2.0, 6.0]), np.zeros(3, np.int64), np.ones(3), 1)
    >>> spread(sums, np.array([3])).sd.round(4).tolist()
    [2.6458]
    """
    with np.errstate(all="ignore"):
        m2, m3, m4 = (of / sums.whole for of in (sums.second, sums.third, sums.fourth))
        # Deviations that are only rounding are none.
        scale = np.sqrt(sums.squares / sums.whole)
        m2 = np.where(m2 <= (1e-14 * scale) ** 2, 0.0, m2)
        sd = np.where(n > 1, np.sqrt(m2 * n / np.maximum(n - 1, 1)), np.nan)
        return Spread(sd, np.where(m2 > 0, m3 / m2**1.5, np.nan), np.where(m2 > 0, m4 / m2**2 - 3, np.nan))


@dataclass(frozen=True)
class PlainSums:
    """Unweighted: n, the mean (origin + level, as in `CentralSums`), and Σ (y − mean)²."""

    n: int
    origin: float
    level: float
    second: float

    def merged(self, other: "PlainSums") -> "PlainSums":
        """Of two parts together."""
        if not self.n or not other.n:
            return self if self.n else other
        n, apart = self.n + other.n, (other.origin - self.origin) + (other.level - self.level)
        second = self.second + other.second + apart**2 * self.n * other.n / n
        return PlainSums(n, self.origin, self.level + apart * other.n / n, second)

    @property
    def mean(self) -> float:
        """Their mean, NaN of none."""
        return self.origin + self.level

    @property
    def sd(self) -> float:
        """The standard deviation, NaN of one case."""
        return float(np.sqrt(self.second / (self.n - 1))) if self.n > 1 else float("nan")


def plain_sums(values: Floats) -> PlainSums:
    """Of the cases of one part, (k,).

    >>> plain_sums(np.array([1.0, 2.0, 6.0])).mean, round(plain_sums(np.array([1.0, 2.0, 6.0])).sd, 4)
    (3.0, 2.6458)
    """
    if not len(values):
        return PlainSums(0, float("nan"), 0.0, 0.0)
    mean = values.mean()
    apart = values - mean
    level = apart.mean()
    return PlainSums(len(values), float(mean), float(level), float(((apart - level) ** 2).sum()))
