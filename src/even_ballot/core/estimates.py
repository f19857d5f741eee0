"""Proportions, means and quantiles, with what their variances need."""

from dataclasses import dataclass
from typing import Any

import numpy as np

from even_ballot.core.dataset import Floats, Ints
from even_ballot.core.design import Units
from even_ballot.core.intervals import EDGE
from even_ballot.core.linear import Linear
from even_ballot.core.tallies import Moments
from even_ballot.core.variance import ratio, total, variances


@dataclass(frozen=True)
class Sums:
    """Weighted sums of quantities of any shape S by unit, (U, *S); `squares` where every case is its own PSU; unweighted n, S."""

    w: Floats
    squares: Floats | None
    n: Ints

    def at(self, *index: Any) -> "Sums":
        """Some of them, by an index of S."""
        squares = None if self.squares is None else self.squares[(slice(None), *index)]
        return Sums(self.w[(slice(None), *index)], squares, self.n[index])

    def over(self, axis: int) -> "Sums":
        """Their sums over an axis of (U, *S), which is kept."""
        squares = None if self.squares is None else self.squares.sum(axis, keepdims=True)
        return Sums(self.w.sum(axis, keepdims=True), squares, self.n.sum(axis - 1, keepdims=True))

    def beside(self, other: "Sums", times: int) -> "Sums":
        """These, and beside them on the last axis others, repeated."""

        def joined(a: Any, b: Any) -> Any:
            return np.concatenate([a, np.broadcast_to(b, (*b.shape[:-1], times))], -1)

        squares = None if self.squares is None or other.squares is None else joined(self.squares, other.squares)
        return Sums(joined(self.w, other.w), squares, joined(self.n, other.n))


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
            self.est[index], self.linear.at(*index), self.variance[index], self.n[index], self.base_n[index], self.deff[index]
        )  # fmt: skip


def totals(part: Sums, units: Units) -> Estimates:
    """Weighted totals Σ w: z is the cell itself."""
    sums, rows = total(part.w, units)
    linear = Linear(rows, part.squares, part.squares)
    return Estimates(sums, linear, variances(linear, units), part.n, part.n, np.full(sums.shape, np.nan))


def shares(part: Sums, base: Sums, units: Units) -> Estimates:
    """Shares Σ w a/Σ w b of cells in bases that hold them: z = (a − R b)/Σ w b. base: as part, or broadcast to it.

    A variance at or below 1e-12 · p(1 − p)/base_n is rounding, and 0.
    """
    p, rows = ratio(part.w, base.w, units)
    with np.errstate(all="ignore"):
        squares = cross = None
        if part.squares is not None and base.squares is not None:
            whole = base.w.sum(0)
            outside = np.maximum(base.squares - part.squares, 0)
            squares = (part.squares * (1 - p) ** 2 + outside * p**2) / whole**2
            cross = (part.squares - p * base.squares) / whole
        linear = Linear(rows, squares, cross)
        variance, base_n = variances(linear, units), np.broadcast_to(base.n, p.shape)
        inside = (p > EDGE) & (p < 1 - EDGE)
        simple = p * (1 - p)
        none = ~inside | (variance <= 1e-12 * simple / base_n)
        variance = np.where(none & ~np.isnan(variance), 0.0, variance)
        deff = np.where(inside & (base_n > 1), variance / (simple / np.maximum(base_n - 1, 1)), np.nan)
    return Estimates(p, linear, variance, part.n, base_n, deff)


@dataclass(frozen=True)
class Distribution:
    """A number's weighted values among m domains: value (k,), domain (k,), weight (k,) of the cases that count."""

    value: Floats
    domain: Ints
    weight: Floats
    domains: int

    def sum(self, quantity: Floats) -> Floats:
        """Σ w q by domain."""
        return np.bincount(self.domain, weights=self.weight * quantity, minlength=self.domains).astype(np.float64)


@dataclass(frozen=True)
class Spread:
    """Weighted central moments by domain: sd is that of S² = Σ w (y − ȳ)²/Σ w · n/(n − 1)."""

    sd: Floats
    skewness: Floats
    kurtosis: Floats


def spread(values: Distribution, n: Ints) -> Spread:
    """sd, skewness m₃/m₂^1.5 and excess kurtosis m₄/m₂² − 3; n: unweighted bases."""
    with np.errstate(all="ignore"):
        whole = values.sum(np.ones_like(values.value))
        deviation = values.value - (values.sum(values.value) / whole)[values.domain]
        m2, m3, m4 = (values.sum(deviation**power) / whole for power in (2, 3, 4))
        # Deviations that are only rounding are none.
        scale = np.sqrt(values.sum(values.value**2) / whole)
        m2 = np.where(m2 <= (1e-14 * scale) ** 2, 0.0, m2)
        sd = np.where(n > 1, np.sqrt(m2 * n / np.maximum(n - 1, 1)), np.nan)
        return Spread(sd, np.where(m2 > 0, m3 / m2**1.5, np.nan), np.where(m2 > 0, m4 / m2**2 - 3, np.nan))


def means(moments: Moments, sd: Floats, units: Units) -> Estimates:
    """Weighted means by domain: z = (y − ȳ)/Σ w; deff against S²/n."""
    n = moments.counts
    shifted, rows = ratio(moments.wy, moments.w, units)
    with np.errstate(all="ignore"):
        squares = cross = None
        if moments.ww is not None and moments.wwy is not None and moments.wwyy is not None:
            whole = moments.w.sum(0)
            squares = np.maximum((moments.wwyy - 2 * shifted * moments.wwy + shifted**2 * moments.ww) / whole**2, 0)
            cross = (moments.wwy - shifted * moments.ww) / whole
        linear = Linear(rows, squares, cross)
        variance = variances(linear, units)
        simple = sd**2 / n
        variance = np.where(variance <= 1e-12 * simple, 0.0, variance)
        deff = np.where(simple > 0, variance / simple, np.nan)
    return Estimates(shifted + moments.shift, linear, variance, n, n, deff)


def coded_moments(codes: Floats, w: Floats, ww: Floats | None, counts: Ints) -> Moments:
    """A coded variable's codes taken as numbers, from its cells: codes (R,), w and ww (U, R, C), counts (R, C)."""
    whole = w.sum()
    shift = float((w.sum((0, 2)) * codes).sum() / whole) if whole > 0 else 0.0
    y = (codes - shift)[None, :, None]
    if ww is None:
        return Moments(shift, counts.sum(0), w.sum(1), (w * y).sum(1), None, None, None)
    return Moments(
        shift, counts.sum(0), w.sum(1), (w * y).sum(1), ww.sum(1), (ww * y).sum(1), (ww * y**2).sum(1)
    )  # fmt: skip


@dataclass(frozen=True)
class Ranked:
    """Values of one domain in ascending order with their weights; ties joined. value, weight: (k,)."""

    value: Floats
    cumulative: Floats

    def modes(self) -> list[float]:
        """Every value of the largest weight."""
        weight = np.diff(self.cumulative, prepend=0.0)
        return [float(v) for v in self.value[weight >= weight.max() * (1 - 1e-12)]]

    def quantile(self, q: float) -> float:
        """The smallest value whose cumulative weight passes q of the whole; where one meets it, the mean with the next."""
        whole = self.cumulative[-1]
        if q <= 0:
            return float(self.value[0])
        if q >= 1:
            return float(self.value[-1])
        at = int(np.searchsorted(self.cumulative, q * whole - 1e-9 * whole, side="left"))
        at = min(at, len(self.value) - 1)
        if abs(self.cumulative[at] - q * whole) <= 1e-9 * whole and at + 1 < len(self.value):
            return float((self.value[at] + self.value[at + 1]) / 2)
        return float(self.value[at])


def ranked(value: Floats, weight: Floats) -> Ranked:
    """Sorts a domain's values, joining ties."""
    distinct, index = np.unique(value, return_inverse=True)
    return Ranked(distinct, np.cumsum(np.bincount(index.ravel(), weights=weight, minlength=len(distinct))))
