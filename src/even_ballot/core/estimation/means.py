"""Means of numbers, and of codes taken as numbers."""

import numpy as np

from even_ballot.core.estimation.estimates import Estimates, Sums, of_cases
from even_ballot.core.estimation.ratios import ratio
from even_ballot.core.numerics.arrays import Floats, Ints
from even_ballot.core.sampling.finishing import Moments
from even_ballot.core.sampling.linearisation import Linear, Varied
from even_ballot.core.sampling.units import Units
from even_ballot.core.sampling.variance import variances


def _means(est: Floats, linear: Linear, sd: Floats, n: Ints, units: Units) -> Estimates:
    with np.errstate(all="ignore"):
        variance = variances(linear, units)
        if units.calibrated and units.replicates is not None:
            # Replicates meet a margin to its tolerance, and no further. What that comes to is held against
            # how far the values lie apart, where they are large and alike: 1e12 ± 1 keeps its error.
            size = np.where(sd > 0, np.fmin(np.abs(est), _APART * sd), est)
            variance = unless_fixed(size, variance)
        simple = sd**2 / n
        return Estimates(est, linear, variance, n, n, np.where(simple > 0, variance / simple, np.nan))


FIXED, _APART = 1e-18, 1e3


def unless_fixed(est: Floats, variance: Floats) -> Floats:
    """A variance that is no more than a trace of the squared estimate is 0: the margins fix it.

    >>> unless_fixed(np.array([1e6, 1.0]), np.array([1e-7, 0.1])).tolist()
    [0.0, 0.1]
    """
    with np.errstate(all="ignore"):
        return np.where(variance <= FIXED * est**2, 0.0, variance)


def _level(shift: Floats, units: Units) -> Floats:
    """What was taken off, as far as it counts as rounding: terms are taken about the mean, so that 1e12 ± 1
    keeps its error."""
    return shift if units.replicates is not None else np.zeros_like(shift)


def means(moments: Moments, sd: Floats, units: Units) -> Estimates:
    """Weighted means by domain: z = (y − ȳ)/Σ w; deff against S²/n.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> from even_ballot.core.sampling.finishing import finish_number
    >>> from even_ballot.core.sampling.tallies import tally_number
    >>> sample = sampled(ferry(), Design(clusters=("boat",), variance={"method": "jackknife"}), "w")
    >>> (part,), units = sample.parts, sample.units
    >>> age, all_of = part.data.column("age"), np.zeros(8, np.int8)
    >>> t = tally_number(age.values, age.answered, all_of, part.unit, part.weight, (units.rows, 1))
    >>> found = means(finish_number(t, units), np.array([14.0]), units)
    >>> found.est.round(3).tolist(), np.sqrt(found.variance).round(3).tolist()
    ([38.062], [6.08])
    """
    shifted, linear = ratio(moments.wy, moments.w, units, moments.size, _level(moments.shift, units))
    est = shifted + moments.shift
    if moments.own is not None:
        whole = moments.w.sum(0)
        with np.errstate(all="ignore"):
            linear = Linear(
                linear.totals,
                (
                    root_of_squares(moments.own, np.zeros_like(moments.shift))
                    + np.abs(shifted) * root_of_weights(moments.own)
                )
                / whole,
                (Varied(moments.own, shifted, 1 / whole),),
            )
    return _means(est, linear, sd, moments.counts, units)


def root_of_weights(own: Floats) -> Floats:
    """√Σ w² by unit, from `Moments.own`.

    >>> root_of_weights(np.array([[2.0], [1.0], [0.0], [0.5], [0.0], [0.0]])).round(4).tolist()
    [1.5811]
    """
    n, w, _, ww, _, _ = own
    return np.asarray(np.sqrt(ww + n * w**2))


def root_of_squares(own: Floats, shift: Floats) -> Floats:
    """√Σ (w y)² by unit, from `Moments.own` about shift: w y = u + (shift + level) w.

    >>> own = np.array([[2.0], [1.0], [0.0], [0.0], [0.0], [2.0]])
    >>> root_of_squares(own, np.array([3.0])).round(4).tolist()
    [4.4721]
    """
    n, w, level, ww, uw, uu = own
    y = shift + level
    squares = uu + 2 * y * uw + y**2 * (ww + n * w**2)
    return np.asarray(np.sqrt(np.maximum(squares, 0)))


def coded_means(codes: Floats, part: Sums, sd: Floats, units: Units) -> Estimates:
    """Means of a coded variable's codes taken as numbers. codes: (R,); part: its cells, (R, C).

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> units = sampled(ferry(), Design(clusters=("boat",)), "w").units
    >>> w = np.array([[2.0, 1.0], [1.0, 1.0], [1.0, 2.0], [1.0, 1.0]])
    >>> cells = Sums(w[:, :, None], None, np.array([[4], [4]]))
    >>> coded_means(np.array([1.0, 2.0]), cells, np.array([0.5]), units).est.round(4).tolist()
    [1.5]
    """
    each = codes[:, None]
    with np.errstate(all="ignore"):
        sums = part.w.sum(0)
        whole = sums.sum(0)
        shift = np.where(whole > 0, (sums * each).sum(0) / whole, 0.0)
        shifted, linear = ratio(
            (part.w * (each - shift)).sum(1),
            part.w.sum(1),
            units,
            (part.w * np.abs(each - shift)).sum(1)[: units.rows],
            _level(shift, units),
        )
        est = shifted + shift
        if part.own is not None:
            groups = [
                (part.own[:, r], (y - est) / whole, (np.abs(y - shift) + np.abs(shifted)) / whole)
                for r, y in enumerate(codes.tolist())
            ]
            linear = of_cases(linear, groups, units)
    return _means(est, linear, sd, part.n.sum(0), units)
