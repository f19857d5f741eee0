"""Proportions, means and quantiles, with what their variances need."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from even_ballot.core.estimation.intervals import EDGE
from even_ballot.core.numerics.arrays import Floats, Ints
from even_ballot.core.sampling.linearisation import Alike, Linear, Varied, squares_in
from even_ballot.core.sampling.tallies import Moments
from even_ballot.core.sampling.units import Units
from even_ballot.core.sampling.variance import ratio, total, variances


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
    and the terms of z taken absolutely."""
    assert units.weights is not None
    squares = sum(squares_in(own, units.weights.centre) * size**2 for own, _, size in groups)
    return Linear(
        linear.totals, np.sqrt(np.maximum(squares, 0)), tuple(Alike(own, z) for own, z, _ in groups)
    )


def totals(part: Sums, units: Units) -> Estimates:
    """Weighted totals Σ w: z is the cell itself."""
    sums, linear = total(part.w, units)
    if part.own is not None:
        linear = of_cases(linear, [(part.own, np.ones_like(sums), np.ones_like(sums))], units)
    return Estimates(sums, linear, variances(linear, units), part.n, part.n, np.full(sums.shape, np.nan))


def share_variance(p: Floats, base_n: Ints, variance: Floats) -> Floats:
    """A share's variance, 0 where it is 0 or 1 and where the variance is rounding: at or below 1e-12 · p(1
    − p)/base_n."""
    inside = (p > EDGE) & (p < 1 - EDGE)
    none = ~inside | (variance <= 1e-12 * p * (1 - p) / np.maximum(base_n, 1))
    return np.where(none & ~np.isnan(variance), 0.0, variance)


def shares(part: Sums, base: Sums, units: Units) -> Estimates:
    """Shares Σ w a/Σ w b of cells in bases that hold them: z = (a − R b)/Σ w b. base: as part, or
    broadcast to it."""
    p, linear = ratio(part.w, base.w, units)
    with np.errstate(all="ignore"):
        if part.own is not None and base.own is not None:
            whole = base.w.sum(0)
            linear = of_cases(
                linear,
                [(part.own, (1 - p) / whole, (1 + p) / whole), (base.own - part.own, -p / whole, p / whole)],
                units,
            )
        base_n = np.broadcast_to(base.n, p.shape)
        variance = share_variance(p, base_n, variances(linear, units))
        inside = (p > EDGE) & (p < 1 - EDGE)
        deff = np.where(inside & (base_n > 1), variance / (p * (1 - p) / np.maximum(base_n - 1, 1)), np.nan)
    return Estimates(p, linear, variance, part.n, base_n, deff)


@dataclass(frozen=True)
class Distribution:
    """A number's weighted values among m domains: value (k,), domain (k,), weight (k,) of the cases that
    count."""

    value: Floats
    domain: Ints
    weight: Floats
    domains: int

    def sum(self, quantity: Floats) -> Floats:
        """Σ w q by domain."""
        return np.bincount(self.domain, weights=self.weight * quantity, minlength=self.domains).astype(
            np.float64
        )


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
        # A second pass: the first mean of large values is off in their last digits.
        deviation = deviation - (values.sum(deviation) / whole)[values.domain]
        m2, m3, m4 = (values.sum(deviation**power) / whole for power in (2, 3, 4))
        # Deviations that are only rounding are none.
        scale = np.sqrt(values.sum(values.value**2) / whole)
        m2 = np.where(m2 <= (1e-14 * scale) ** 2, 0.0, m2)
        sd = np.where(n > 1, np.sqrt(m2 * n / np.maximum(n - 1, 1)), np.nan)
        return Spread(sd, np.where(m2 > 0, m3 / m2**1.5, np.nan), np.where(m2 > 0, m4 / m2**2 - 3, np.nan))


def _means(est: Floats, linear: Linear, sd: Floats, n: Ints, units: Units) -> Estimates:
    with np.errstate(all="ignore"):
        variance = variances(linear, units)
        simple = sd**2 / n
        return Estimates(est, linear, variance, n, n, np.where(simple > 0, variance / simple, np.nan))


def means(moments: Moments, sd: Floats, units: Units) -> Estimates:
    """Weighted means by domain: z = (y − ȳ)/Σ w; deff against S²/n."""
    shifted, linear = ratio(moments.wy, moments.w, units, moments.size, moments.shift)
    est = shifted + moments.shift
    if moments.own is not None:
        whole = moments.w.sum(0)
        with np.errstate(all="ignore"):
            linear = Linear(
                linear.totals,
                (root_of_squares(moments.own, moments.shift) + np.abs(est) * root_of_weights(moments.own))
                / whole,
                (Varied(moments.own, shifted, 1 / whole),),
            )
    return _means(est, linear, sd, moments.counts, units)


def root_of_weights(own: Floats) -> Floats:
    """√Σ w² by unit, from `Moments.own`."""
    n, w, _, ww, _, _ = own
    return np.asarray(np.sqrt(ww + n * w**2))


def root_of_squares(own: Floats, shift: Floats) -> Floats:
    """√Σ (w y)² by unit, from `Moments.own` about shift: w y = u + (shift + level) w."""
    n, w, level, ww, uw, uu = own
    y = shift + level
    squares = uu + 2 * y * uw + y**2 * (ww + n * w**2)
    return np.asarray(np.sqrt(np.maximum(squares, 0)))


def coded_means(codes: Floats, part: Sums, sd: Floats, units: Units) -> Estimates:
    """Means of a coded variable's codes taken as numbers. codes: (R,); part: its cells, (R, C)."""
    each = codes[:, None]
    with np.errstate(all="ignore"):
        sums = part.w.sum(0)
        whole = sums.sum(0)
        shift = np.where(whole > 0, (sums * each).sum(0) / whole, 0.0)
        shifted, linear = ratio(
            (part.w * (each - shift)).sum(1),
            part.w.sum(1),
            units,
            (part.w * np.abs(each)).sum(1)[: units.rows],
            shift,
        )
        est = shifted + shift
        if part.own is not None:
            groups = [
                (part.own[:, r], (y - est) / whole, (abs(y) + np.abs(est)) / whole)
                for r, y in enumerate(codes.tolist())
            ]
            linear = of_cases(linear, groups, units)
    return _means(est, linear, sd, part.n.sum(0), units)


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
        """The smallest value whose cumulative weight passes q of the whole; where one meets it, the mean
        with the next."""
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
