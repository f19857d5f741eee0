"""Proportions, means and quantiles, with what their variances need."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.dataset import Bools, Floats, Ints
from even_ballot.core.design import Units
from even_ballot.core.intervals import EDGE
from even_ballot.core.tallies import Moments
from even_ballot.core.variance import Linear, variances


@dataclass(frozen=True)
class Sums:
    """Weighted sums of m quantities by unit, (U, m); `squares` where every case is its own PSU; unweighted n (m,)."""

    w: Floats
    squares: Floats | None
    n: Ints

    def over(self, n: int) -> "Sums":
        """One column repeated n times, as the base of several shares."""
        squares = None if self.squares is None else np.broadcast_to(self.squares, (len(self.squares), n))
        return Sums(np.broadcast_to(self.w, (len(self.w), n)), squares, np.broadcast_to(self.n, (n,)))


@dataclass(frozen=True)
class Estimates:
    """m estimates of one kind. NaN where there is none; deff NaN where it has no meaning."""

    est: Floats
    linear: Linear
    variance: Floats
    n: Ints
    base_n: Ints
    deff: Floats


def totals(part: Sums, units: Units) -> Estimates:
    """Weighted totals Σ w: z is the cell itself."""
    linear = Linear(part.w, part.squares)
    nothing = np.full(part.w.shape[1], np.nan)
    return Estimates(part.w.sum(0), linear, variances(linear, units), part.n, part.n, nothing)


def shares(part: Sums, base: Sums, units: Units) -> Estimates:
    """Shares Σ w a/Σ w b of cells in bases that hold them: z = (a − R b)/Σ w b.

    A variance at or below 1e-12 · p(1 − p)/base_n is rounding, and 0.
    """
    whole = base.w.sum(0)
    with np.errstate(all="ignore"):
        p = np.where(whole > 0, part.w.sum(0) / whole, np.nan)
        z = (part.w - p * base.w) / whole
        squares = None
        if part.squares is not None and base.squares is not None:
            outside = np.maximum(base.squares - part.squares, 0)
            squares = (part.squares * (1 - p) ** 2 + outside * p**2) / whole**2
        linear = Linear(z, squares)
        variance = variances(linear, units)
        inside = (p > EDGE) & (p < 1 - EDGE)
        simple = p * (1 - p)
        variance = np.where(~inside | (variance <= 1e-12 * simple / base.n), 0.0, variance)
        deff = np.where(inside & (base.n > 1), variance / (simple / np.maximum(base.n - 1, 1)), np.nan)
    return Estimates(p, linear, variance, part.n, base.n, deff)


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
    whole = moments.w.sum(0)
    n = moments.counts
    with np.errstate(all="ignore"):
        shifted = np.where(whole > 0, moments.wy.sum(0) / whole, np.nan)
        z = (moments.wy - shifted * moments.w) / whole
        squares = None
        if moments.ww is not None and moments.wwy is not None and moments.wwyy is not None:
            squares = (moments.wwyy - 2 * shifted * moments.wwy + shifted**2 * moments.ww) / whole**2
            squares = np.maximum(squares, 0)
        linear = Linear(z, squares)
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


def own_squares(stratum: NDArray[np.int32], weight: Floats, strata: int, inside: Bools) -> Floats:
    """Σ w² by stratum over some cases, (strata, 1)."""
    return np.bincount(stratum[inside], weights=weight[inside] ** 2, minlength=strata).astype(np.float64)[:, None]
