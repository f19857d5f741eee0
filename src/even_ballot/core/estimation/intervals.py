"""Confidence intervals for proportions, means and totals."""

from typing import Literal

import numpy as np
import scipy
from pydantic import Field

from even_ballot.core.model import Model
from even_ballot.core.numerics.arrays import Bools, Floats, Ints

Sides = Literal["both", "lower", "upper"]
Method = Literal["logit", "wald", "wilson", "beta"]
Degrees = Literal["design", "cell"]
EDGE = 1e-12


class Interval(Model):
    """Level, method for proportions, and which sides are limited. df: the degrees of freedom of Student's t,
    the whole design's or each figure's own: units less strata with cases of its base."""

    level: float = Field(default=0.95, gt=0, lt=1)
    method: Method = "logit"
    sides: Sides = "both"
    df: Degrees = "design"

    @property
    def tail(self) -> float:
        """The probability beyond one limit."""
        return (1 - self.level) / 2 if self.sides == "both" else 1 - self.level

    def t(self, df: Floats | float) -> Floats:
        """Student's quantile that leaves `tail` beyond it."""
        return np.asarray(-scipy.special.stdtrit(df, self.tail))


IntervalEnds = tuple[Floats, Floats]


def _sided(
    low: Floats, high: Floats, interval: Interval, open_low: Floats | float, open_high: Floats | float
) -> IntervalEnds:
    """The limit not asked for is the bound of the parameter, or NaN where it has none."""
    if interval.sides == "lower":
        return low, np.full_like(high, open_high)
    if interval.sides == "upper":
        return np.full_like(low, open_low), high
    return low, high


def symmetric(est: Floats, se: Floats, df: Floats | float, interval: Interval) -> IntervalEnds:
    """est ± t·se, for means and totals; NaN where there is no limit.

    >>> low, high = symmetric(np.array([10.0]), np.array([1.0]), 30, Interval())
    >>> round(float(low[0]), 3), round(float(high[0]), 3)
    (7.958, 12.042)
    """
    half = interval.t(df) * se
    return _sided(est - half, est + half, interval, np.nan, np.nan)


def _beta(x: Floats, m: Floats | Ints, tail: float) -> IntervalEnds:
    """From Beta(x, m − x + 1) to Beta(x + 1, m − x) (Korn and Graubard, 1998)."""
    with np.errstate(all="ignore"):
        low = np.where(x > 0, scipy.special.betaincinv(np.maximum(x, 1e-300), m - x + 1, tail), 0.0)
        high = np.where(m - x > 0, scipy.special.betainccinv(x + 1, np.maximum(m - x, 1e-300), tail), 1.0)
    return low, high


def proportion(
    p: Floats, variance: Floats, base_n: Ints, df: Floats | float, interval: Interval
) -> IntervalEnds:
    """Limits of proportions p with design variances; arrays (m,). base_n: unweighted bases; df: the design's,
    or of each.

    p of 0 or 1 takes base_n as its effective size; p between them without variance is its own interval;
    one whose variance is not known (NaN) has none.

    >>> low, high = proportion(np.array([0.2]), np.array([0.0016]), np.array([100]), 99, Interval())
    >>> round(float(low[0]), 4), round(float(high[0]), 4)
    (0.1321, 0.2911)
    """
    t, se = np.broadcast_to(interval.t(df), p.shape), np.sqrt(variance)
    edge: Bools = (p <= EDGE) | (p >= 1 - EDGE)
    whole = np.where(edge, np.round(p), p)
    with np.errstate(all="ignore"):
        pq = np.where(edge, 0.0, p * (1 - p))
        effective = np.where(edge | (variance <= 0), base_n, pq / np.where(variance > 0, variance, 1))
        match interval.method:
            case "wald":
                low, high = _sided(p - t * se, p + t * se, interval, np.nan, np.nan)
                return low, high
            case "logit":
                centre = scipy.special.logit(np.where(edge, 0.5, p))
                half = t * se / np.where(edge, 1, pq)
                low, high = scipy.special.expit(centre - half), scipy.special.expit(centre + half)
                if edge.any():
                    base = np.broadcast_to(base_n, p.shape)[edge]
                    low[edge], high[edge] = _beta(whole[edge] * base, base, interval.tail)
            case "wilson":
                m = effective
                middle = (whole + t**2 / (2 * m)) / (1 + t**2 / m)
                half = t * np.sqrt(pq / m + t**2 / (4 * m**2)) / (1 + t**2 / m)
                low, high = middle - half, middle + half
            case "beta":
                ratio = (interval.t(np.maximum(base_n - 1, 1)) / t) ** 2
                m = np.where(edge, base_n, np.minimum(effective * ratio, base_n))
                low, high = _beta(whole * m, m, interval.tail)
        fixed, unknown = ~edge & (variance <= 0), np.isnan(variance)
        low, high = (np.where(unknown, np.nan, np.where(fixed, p, limit)) for limit in (low, high))
    low, high = np.clip(low, 0, 1), np.clip(high, 0, 1)
    return _sided(low, high, interval, np.where(unknown, np.nan, 0.0), np.where(unknown, np.nan, 1.0))
