"""A second reading of estimates, their variances and limits, from vectors over the cases."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from scipy import stats

Vector = Any
"""An array, whatever it holds."""
EDGE, NOTHING = 1e-12, 1e-30
"""A weight that raking has driven to less than NOTHING of the whole is none in a test of a table."""


@dataclass
class Sample:
    """Cases: weight, stratum, PSU; population: PSUs of each case's stratum there; x, free: what weights
    were calibrated to, and the weights B is made of; replicates: (n, R) weights, each counting c;
    raked_again: to the margins."""

    w: Vector
    stratum: Vector
    psu: Vector
    policy: str = "add_nothing"
    population: Vector = None
    x: Vector = None
    free: Vector = None
    replicates: Vector = None
    c: Vector = None
    given_df: int | None = None
    raked_again: bool = False

    def __post_init__(self) -> None:
        self.units = {
            h: sorted(set(self.psu[self.stratum == h].tolist())) for h in sorted(set(self.stratum.tolist()))
        }

    @property
    def df(self) -> int:
        return (
            self.given_df
            if self.given_df is not None
            else sum(map(len, self.units.values())) - len(self.units)
        )

    def totals(self, z: Vector) -> dict[Any, Vector]:
        return {
            h: np.array([(self.w * z)[(self.stratum == h) & (self.psu == i)].sum() for i in units])
            for h, units in self.units.items()
        }

    def _formula(self, of: dict[Any, Vector], centred: bool, other: dict[Any, Vector] | None = None) -> float:
        other = of if other is None else other
        every, every2 = np.concatenate(list(of.values())), np.concatenate(list(other.values()))
        total, singles = 0.0, 0
        for h, t in of.items():
            u, n = other[h], len(t)
            f = n / self.population[self.stratum == h][0] if self.population is not None else 0.0
            if n == 1:
                singles += f < 1
                if f < 1 and self.policy == "mean_of_units":
                    total += (1 - f) * ((t - every.mean() * centred) @ (u - every2.mean() * centred))
            else:
                total += (1 - f) * n / (n - 1) * ((t - t.mean() * centred) @ (u - u.mean() * centred))
        return total * len(of) / (len(of) - singles) if self.policy == "mean_of_strata" else total

    def residual(self, z: Vector) -> tuple[Vector, Vector]:
        """z less x′B, and |x′B|."""
        if self.x is None or self.free is None:
            return z, np.zeros_like(z)
        b = np.linalg.pinv(self.x.T @ (self.free[:, None] * self.x), rcond=1e-12) @ (
            self.x.T @ (self.free * z)
        )
        return z - self.x @ b, np.abs(self.x @ b)

    def covariance(self, z: Vector, y: Vector) -> float:
        return self._formula(self.totals(self.residual(z)[0]), True, self.totals(self.residual(y)[0]))

    def variance(self, z: Vector, terms: Vector) -> float:
        e, fitted = self.residual(z)
        v, most = self._formula(self.totals(e), True), self._formula(self.totals(terms + fitted), False)
        return 0.0 if v <= 1e-20 * most else v


@dataclass
class Figure:
    """An estimate: Σ w a/Σ w b, or Σ w a where there is no b; z and the terms of z. shift: worked with a −
    shift · b, for digits."""

    sample: Sample
    a: Vector
    b: Vector | None
    inside: Vector
    shift: float = 0.0
    est: float = field(init=False)

    def __post_init__(self) -> None:
        w = self.sample.w
        self.base = 1.0 if self.b is None else float(w @ self.b)
        self.raw = self.a
        if self.b is not None:
            self.a = np.where(self.b > 0, self.a - self.shift * self.b, 0.0)
        self.moved = float(w @ self.a) / self.base if self.base > 0 else math.nan
        self.est = self.moved + self.shift
        self.base_n = int(((w > 0) & self.inside).sum())
        r, moved = (0.0, 0.0) if self.b is None else (self.est, self.moved)
        b = np.zeros_like(self.a) if self.b is None else self.b
        self.z, self.terms = (self.a - moved * b) / self.base, (np.abs(self.raw) + np.abs(r * b)) / self.base

    def again(self) -> Vector:
        """By replicate, NaN where it cannot be made."""
        w = self.sample.replicates
        assert w is not None
        top = w.T @ self.a
        if self.b is None:
            return top
        base = w.T @ self.b
        return np.where(base > 1e-11 * self.base, top / np.where(base > 0, base, 1), np.nan) + self.shift

    def size_again(self) -> Vector:
        return np.abs(self.again()) + abs(self.est)


class Slope:
    """The weighted least-squares slope of y on x over a base."""

    def __init__(self, sample: Sample, y: Vector, x: Vector, base: Vector, shift: float = 0.0) -> None:
        self.raw = np.where(base, np.abs(y + shift), 0.0)
        self.shift = abs(shift)
        self.sample, self.y, self.x, self.of = sample, np.where(base, y, 0.0), np.where(base, x, 0.0), base
        self.est, mean_y, mean_x, self.spread = self._line(sample.w)
        if self.spread > EDGE:
            apart = np.where(base, self.x - mean_x, 0.0) / self.spread
            self.z = apart * (self.y - mean_y - self.est * (self.x - mean_x))
            self.terms = np.abs(apart) * (
                self.raw + self.shift + abs(mean_y) + np.abs(self.est * (self.x - mean_x))
            )

    def _line(self, w: Vector) -> tuple[float, float, float, float]:
        w = w * self.of
        if not w.sum() > 0:
            return math.nan, math.nan, math.nan, 0.0
        mean_x, mean_y = float(w @ self.x) / w.sum(), float(w @ self.y) / w.sum()
        spread = float(w @ (self.x - mean_x) ** 2)
        return (
            (float(w @ ((self.x - mean_x) * (self.y - mean_y))) / spread if spread > 0 else math.nan),
            mean_y,
            mean_x,
            spread,
        )

    def again(self) -> Vector:
        assert self.sample.replicates is not None
        lines = [self._line(w) if np.isfinite(w).all() else (math.nan,) * 4 for w in self.sample.replicates.T]
        return np.array([b if spread > 1e-11 * self.spread else math.nan for b, _, _, spread in lines])

    def size_again(self) -> Vector:
        size = np.abs(self.again()) + abs(self.est)
        for r, w in enumerate(self.sample.replicates.T):
            if not math.isnan(size[r]):
                _, _, mean_x, spread = self._line(w)
                size[r] += float((w * self.of) @ np.abs((self.raw + self.shift) * (self.x - mean_x))) / spread
        return size


def variance_of(
    parts: Sequence[tuple[float, "Figure | Slope"]], terms: Sequence[float] | None = None
) -> float:
    """The variance of a sum of estimates, each times a number; terms: the sizes of what each number is
    made of."""
    sizes = [abs(k) for k, _ in parts] if terms is None else terms
    s = parts[0][1].sample
    if s.replicates is None:
        return s.variance(
            sum(k * f.z for k, f in parts), sum(k * f.terms for k, (_, f) in zip(sizes, parts, strict=True))
        )
    apart = sum(k * (f.again() - f.est) for k, f in parts)
    size = sum(k * f.size_again() for k, (_, f) in zip(sizes, parts, strict=True))
    v, most = float(s.c @ apart**2), float(s.c @ size**2)
    if not s.raked_again and s.c.sum() > 0:
        most /= s.c.sum() * min(sum(map(len, s.units.values())), 10_000)
    return 0.0 if v <= 1e-20 * most else v


def share_variance(f: Figure) -> float:
    if f.est <= EDGE or f.est >= 1 - EDGE:
        v = variance_of([(1, f)])
        return v if math.isnan(v) else 0.0
    v = variance_of([(1, f)])
    return 0.0 if v <= 1e-12 * f.est * (1 - f.est) / f.base_n else v


def limits(
    f: Figure, v: float, df: int, interval: dict[str, Any], share: bool
) -> tuple[float | None, float | None]:
    if df < 1 or math.isnan(v):
        return None, None
    sides, level = interval.get("sides", "both"), interval.get("level", 0.95)
    tail = (1 - level) / 2 if sides == "both" else 1 - level
    t, se, p, n = float(stats.t.isf(tail, df)), math.sqrt(v), f.est, f.base_n
    method = interval.get("method", "logit") if share else "wald"
    edge = share and (p <= EDGE or p >= 1 - EDGE)
    if share and not edge and v <= 0:
        low, high = p, p
    elif method == "wald":
        low, high = p - t * se, p + t * se
    elif method == "wilson":
        m, q = (n, round(p)) if edge else (p * (1 - p) / v, p)
        pq = 0.0 if edge else p * (1 - p)
        centre, half = (
            (q + t * t / (2 * m)) / (1 + t * t / m),
            t * math.sqrt(pq / m + t * t / (4 * m * m)) / (1 + t * t / m),
        )
        low, high = centre - half, centre + half
    elif method == "logit" and not edge:
        centre, half = math.log(p / (1 - p)), t * se / (p * (1 - p))
        low, high = 1 / (1 + math.exp(-(centre - half))), 1 / (1 + math.exp(-(centre + half)))
    else:
        m = float(n) if edge else min(p * (1 - p) / v * (float(stats.t.isf(tail, max(n - 1, 1))) / t) ** 2, n)
        x = (round(p) if edge else p) * m
        low = float(stats.beta.ppf(tail, x, m - x + 1)) if x > 0 else 0.0
        high = float(stats.beta.isf(tail, x + 1, m - x)) if m - x > 0 else 1.0
    if share and method != "wald":
        low, high = min(max(low, 0), 1), min(max(high, 0), 1)
    bounds = (0.0, 1.0) if share and method != "wald" else (None, None)
    return (bounds[0] if sides == "upper" else low), (bounds[1] if sides == "lower" else high)
