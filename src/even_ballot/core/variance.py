"""From tallies to covariances.

The variance of a smooth estimate is that of the weighted total of its linearised values z (Särndal, Swensson and
Wretman, ch. 5):

    T_hi = Σ_{k in hi} w_k z_k,   V = Σ_h (1 − f_h) n_h/(n_h − 1) Σ_i (T_hi − T̄_h)(T_hi − T̄_h)′
"""

from dataclasses import dataclass

import numpy as np

from even_ballot.core.dataset import Floats, Ints
from even_ballot.core.design import Units


@dataclass(frozen=True)
class Linear:
    """Linearised values of m estimates, summed.

    totals: float64 (U, m), Σ w z by PSU, or by stratum where every case is its own. squares: (strata, m), Σ w² z²,
    only there.
    """

    totals: Floats
    squares: Floats | None = None

    def minus(self, other: "Linear") -> "Linear":
        """Of differences between estimates whose domains have no case in common (z z′ is 0 for every case)."""
        squares = None if self.squares is None or other.squares is None else self.squares + other.squares
        return Linear(self.totals - other.totals, squares)

    def pick(self, index: Ints) -> "Linear":
        """Some of the estimates."""
        return Linear(self.totals[:, index], None if self.squares is None else self.squares[:, index])


def _centred(totals: Floats, units: Units) -> Floats:
    """T_hi − T̄_h, times the root of the stratum's factor; rows of one-unit strata are 0."""
    starts = np.flatnonzero(np.diff(units.stratum, prepend=-1))
    means = np.add.reduceat(totals, starts, axis=0) / units.psus[:, None]
    return np.asarray((totals - means[units.stratum]) * np.sqrt(units.factor)[units.stratum, None])


def _singles(totals: Floats, units: Units) -> Floats:
    """Under `centre`: T − T̄ of the one-unit strata, times the root of 1 − f_h; T̄ over all PSUs of the design."""
    mean = totals.sum(0) / units.psus.sum()
    at = np.flatnonzero(units.single) if units.own else np.flatnonzero(units.single[units.stratum])
    strata = at if units.own else units.stratum[at]
    return np.asarray((totals[at] - mean) * np.sqrt(1 - units.fraction[strata])[:, None])


def variances(linear: Linear, units: Units) -> Floats:
    """The variance of each estimate, (m,)."""
    if units.own:
        assert linear.squares is not None
        spread = np.maximum(linear.squares - linear.totals**2 / units.psus[:, None], 0)
        result = (units.factor[:, None] * spread).sum(0)
    else:
        result = (_centred(linear.totals, units) ** 2).sum(0)
    result = result * units.inflation
    if units.single_psu == "centre" and units.single.any():
        result = result + (_singles(linear.totals, units) ** 2).sum(0)
    return np.asarray(result)


def covariance_of_shares(w: Floats, ww: Floats | None, shares: Floats, units: Units) -> Floats:
    """The covariance matrix (m, m) of shares of disjoint cells in their common total.

    w: (U, m), Σ w by unit and cell; ww: Σ w² likewise, where every case is its own PSU. shares: (m,), summing to 1.
    """
    whole = w.sum()
    totals = (w - shares * w.sum(1, keepdims=True)) / whole
    if units.own:
        assert ww is not None
        ww_h = (units.factor[:, None] * ww).sum(0)
        # Σ w² z z′ with z_k = 1(cell) − shares: diag(s) − s p′ − p s′ + (Σ s) p p′
        moment = np.diag(ww_h) - np.outer(ww_h, shares) - np.outer(shares, ww_h) + ww_h.sum() * np.outer(shares, shares)
        scaled = totals * np.sqrt(units.factor / units.psus)[:, None]
        result = moment / whole**2 - scaled.T @ scaled
    else:
        centred = _centred(totals, units)
        result = centred.T @ centred
    result = result * units.inflation
    if units.single_psu == "centre" and units.single.any():
        singles = _singles(totals, units)
        result = result + singles.T @ singles
    return np.asarray(result)
