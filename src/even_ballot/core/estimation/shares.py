"""Shares and weighted counts."""

import numpy as np

from even_ballot.core.estimation.estimates import Estimates, Sums, of_cases
from even_ballot.core.estimation.intervals import EDGE
from even_ballot.core.estimation.ratios import ratio, total
from even_ballot.core.numerics.arrays import Floats, Ints
from even_ballot.core.sampling.units import Units
from even_ballot.core.sampling.variance import variances


def totals(part: Sums, units: Units) -> Estimates:
    """Weighted totals Σ w: z is the cell itself.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> units = sampled(ferry(), Design(clusters=("boat",)), "w").units
    >>> w = np.array([[2.0, 1.0], [1.0, 1.0], [1.0, 2.0], [1.0, 1.0]])
    >>> found = totals(Sums(w, None, np.array([4, 4])), units)
    >>> found.est.tolist(), np.sqrt(found.variance).round(4).tolist()
    ([5.0, 5.0], [1.0, 1.0])
    """
    sums, linear = total(part.w, units)
    if part.own is not None:
        linear = of_cases(linear, [(part.own, np.ones_like(sums), np.ones_like(sums))], units)
    return Estimates(sums, linear, variances(linear, units), part.n, part.n, np.full(sums.shape, np.nan))


def share_variance(p: Floats, base_n: Ints, variance: Floats) -> Floats:
    """A share's variance, 0 where it is 0 or 1 and where the variance is rounding: at or below 1e-12 · p(1
    − p)/base_n.

    >>> share_variance(np.array([0.5, 1.0]), np.array([10, 10]), np.array([0.02, 1e-30])).tolist()
    [0.02, 0.0]
    """
    inside = (p > EDGE) & (p < 1 - EDGE)
    none = ~inside | (variance <= 1e-12 * p * (1 - p) / np.maximum(base_n, 1))
    return np.where(none & ~np.isnan(variance), 0.0, variance)


def shares(part: Sums, base: Sums, units: Units) -> Estimates:
    """Shares Σ w a/Σ w b of cells in bases that hold them: z = (a − R b)/Σ w b. base: as part, or
    broadcast to it.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> units = sampled(ferry(), Design(clusters=("boat",)), "w").units
    >>> w = np.array([[2.0, 1.0], [1.0, 1.0], [1.0, 2.0], [1.0, 1.0]])
    >>> cells = Sums(w[:, :, None], None, np.array([[4], [4]]))
    >>> found = shares(cells, cells.over(1), units)
    >>> found.est.ravel().round(4).tolist(), np.sqrt(found.variance).ravel().round(4).tolist()
    ([0.5, 0.5], [0.0816, 0.0816])
    """
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
