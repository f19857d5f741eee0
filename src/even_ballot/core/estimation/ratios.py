"""Ratios and totals, with what their variances are made of."""

import numpy as np

from even_ballot.core.numerics.arrays import Floats
from even_ballot.core.sampling.linearisation import Linear
from even_ballot.core.sampling.replicates import EMPTY
from even_ballot.core.sampling.units import Units

TRACE = 3e-4
"""What of a level that was taken off counts as rounding: a variance is 0 below 1e-27 of the level's square,
and numbers such as 1e12 ± 1 keep theirs."""


def ratio(
    a: Floats,
    b: Floats,
    units: Units,
    own: Floats | None = None,
    shift: Floats | float = 0.0,
    absolute: Floats | None = None,
) -> tuple[Floats, Linear]:
    """Ratios R = Σ w a/Σ w b, of any shape S, NaN where the base is empty, and what their variances are made
    of: Σ w z by unit with z = (a − R b)/Σ w b, or R_r − R by replicate.

    a: (U, *S), weighted sums by unit; b: likewise, as far as it differs. own: (U, *S), Σ w |a| where it is
    not a itself. shift: what was taken off a for every b and is no term of z, of shape S: only its trace
    counts as rounding. absolute: Σ w |b|, of shape S, where b may be below 0. Where every case is its own
    PSU, groups and terms are the caller's to add.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> units = sampled(ferry(), Design(clusters=("boat",)), "w").units
    >>> a, b = np.array([[1.0], [0.0], [2.0], [1.0]]), np.array([[2.0], [2.0], [2.5], [2.5]])
    >>> r, linear = ratio(a, b, units)
    >>> r.round(4).tolist(), linear.totals.round(4).ravel().tolist()
    ([0.4444], [0.0123, -0.0988, 0.0988, -0.0123])
    """
    with np.errstate(all="ignore"):
        whole = b.sum(0)
        r = np.where(whole > 0, a.sum(0) / whole, np.nan)
        size = np.abs(r) + TRACE * np.abs(shift)
        if units.replicates is None:
            z = np.asarray(r * b)
            np.subtract(a, z, out=z)
            z /= whole
            rows = units.rows
            return r, Linear(z, np.asarray(((a[:rows] if own is None else own) + size * b[:rows]) / whole))
        bases = units.replicates.totals(b)
        # What a replicate's base is short of this is rounding: it is empty.
        least = EMPTY * (whole if absolute is None else absolute)
        again = np.where(bases > least, units.replicates.totals(a) / bases, np.nan)
        far = np.abs(shift) if units.calibrated else TRACE * np.abs(shift)
        return r, Linear(np.asarray(again - r), np.abs(again) + np.abs(r) + 2 * far)


def total(a: Floats, units: Units) -> tuple[Floats, Linear]:
    """Totals Σ w a, a ≥ 0, of any shape S, and what their variances are made of. a: (U, *S).

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> units = sampled(ferry(), Design(clusters=("boat",)), "w").units
    >>> total(np.array([[2.0], [2.0], [2.5], [2.5]]), units)[0].tolist()
    [9.0]
    """
    if units.replicates is None:
        return a.sum(0), Linear(a, np.abs(a[: units.rows]))
    apart = units.replicates.differences(a)
    return a.sum(0), Linear(apart, np.abs(apart) + 2 * a.sum(0))
