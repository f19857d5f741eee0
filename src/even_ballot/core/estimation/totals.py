"""Totals of numbers, and ratios of two numbers' totals."""

import numpy as np

from even_ballot.core.estimation.estimates import Estimates
from even_ballot.core.estimation.means import root_of_squares, root_of_weights, unless_fixed
from even_ballot.core.estimation.ratios import TRACE, ratio
from even_ballot.core.numerics.arrays import Floats
from even_ballot.core.sampling.finishing import Moments
from even_ballot.core.sampling.linearisation import Linear, Varied
from even_ballot.core.sampling.units import Units
from even_ballot.core.sampling.variance import variances


def whole(moments: Moments) -> Floats:
    """Σ w y by row and column, (U, C), of what is held about a shift.

    >>> none = np.zeros(1)
    >>> one = Moments(np.array([2.0]), none, np.array([[3.0]]), np.array([[1.0]]), None, None, none)
    >>> whole(one).tolist()
    [[7.0]]
    """
    return np.asarray(moments.wy + moments.shift * moments.w)


def totals(moments: Moments, units: Units) -> Estimates:
    """Totals Σ w y by column: z = y in the column's cases.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> from even_ballot.core.sampling.finishing import finish_number
    >>> from even_ballot.core.sampling.tallies import tally_number
    >>> sample = sampled(ferry(), Design(clusters=("boat",), variance={"method": "jackknife"}), "w")
    >>> (part,), units = sample.parts, sample.units
    >>> age, all_of = part.data.column("age"), np.zeros(8, np.int8)
    >>> t = tally_number(age.values, age.answered, all_of, part.unit, part.weight, (units.rows, 1))
    >>> found = totals(finish_number(t, units), units)
    >>> found.est.round(3).tolist(), np.sqrt(found.variance).round(2).tolist()
    ([304.5], [73.15])
    """
    rows = whole(moments)
    est = rows.sum(0)
    if units.replicates is not None:
        apart = units.replicates.differences(rows)
        linear = Linear(apart, np.abs(apart) + (1.0 if units.calibrated else TRACE) * 2 * np.abs(est))
    elif moments.own is not None:
        one = np.ones(len(est))
        cases = Varied(moments.own, -moments.shift, one)
        size = root_of_squares(moments.own, np.zeros_like(moments.shift))
        size = size + TRACE * np.abs(moments.shift) * root_of_weights(moments.own)
        linear = Linear(rows, size, (cases,))
    else:
        assert moments.size is not None
        weights = moments.w[: units.rows]
        linear = Linear(rows, moments.size + TRACE * np.abs(moments.shift) * weights)
    variance = variances(linear, units)
    if units.calibrated:
        variance = unless_fixed(est, variance)
    n = moments.counts
    return Estimates(est, linear, variance, n, n, np.full(len(est), np.nan))


def ratios(
    est: Floats, apart: Moments, size: Moments, of: Moments, units: Units, absolute: Floats | None = None
) -> Estimates:
    """Ratios R = Σ w y/Σ w x by column: z = (y − R x)/Σ w x. est: R, (C,); apart: moments of y − R x; size:
    of |y| + |R x|; of: of x; absolute: Σ w |x|, (C,), where x may be below 0.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> from even_ballot.core.sampling.finishing import finish_number
    >>> from even_ballot.core.sampling.tallies import tally_number
    >>> sample = sampled(ferry(), Design(clusters=("boat",)), "w")
    >>> (part,), units = sample.parts, sample.units
    >>> one, all_of = np.ones(8), np.zeros(8, np.int8)
    >>> def moments(y):
    ...     shape = (units.rows, 1)
    ...     return finish_number(tally_number(y, one > 0, all_of, part.unit, part.weight, shape), units)
    >>> ratios(np.array([2.0]), moments(0 * one), moments(4 * one), moments(one), units).variance.tolist()
    [0.0]
    """
    a, b = whole(apart), whole(of)
    side = np.where(b.sum(0) < 0, -1.0, 1.0)
    a, b = a * side, b * side
    if units.replicates is not None:
        _, linear = ratio(a, b, units, absolute=absolute)
        linear = Linear(linear.totals, linear.terms + 2 * np.abs(est))
    elif apart.own is not None:
        assert size.own is not None
        with np.errstate(all="ignore"):
            base = b.sum(0)
            cases = Varied(apart.own, -apart.shift, side / base)
            linear = Linear(a / base, root_of_squares(size.own, size.shift) / base, (cases,))
    else:
        _, linear = ratio(a, b, units, whole(size)[: units.rows])
    est = np.where(b.sum(0) > 0, est, np.nan)
    with np.errstate(all="ignore"):
        variance = unless_fixed(est, variances(linear, units))
    n = apart.counts
    return Estimates(est, linear, variance, n, n, np.full(len(est), np.nan))
