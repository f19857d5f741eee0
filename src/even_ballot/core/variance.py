"""From tallies to covariances.

The variance of a smooth estimate is that of the weighted total of its linearised values z (Särndal, Swensson and
Wretman, ch. 5):

    T_hi = Σ_{k in hi} w_k z_k,   V = Σ_h (1 − f_h) n_h/(n_h − 1) Σ_i (T_hi − T̄_h)(T_hi − T̄_h)′
"""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.compiled import compiled
from even_ballot.core.dataset import Floats, Ints
from even_ballot.core.design import Units
from even_ballot.core.linear import Linear

_EMPTY = 1e-11


def ratio(a: Floats, b: Floats, units: Units) -> tuple[Floats, Floats]:
    """Ratios R = Σ w a/Σ w b, of any shape S, NaN where the base is empty, and what their variances are made of: Σ w z by unit with
    z = (a − R b)/Σ w b, or R_r − R by replicate. a: (U, *S), weighted sums by unit; b: likewise, as far as it differs."""
    with np.errstate(all="ignore"):
        whole = b.sum(0)
        r = np.where(whole > 0, a.sum(0) / whole, np.nan)
        if units.replicates is None:
            z = np.asarray(r * b)
            np.subtract(a, z, out=z)
            z /= whole
            return r, z
        bases = units.replicates.totals(b)
        # What a replicate's base is short of this is rounding: it is empty.
        return r, np.asarray(np.where(bases > _EMPTY * whole, units.replicates.totals(a) / bases, np.nan) - r)


def total(a: Floats, units: Units) -> tuple[Floats, Floats]:
    """Totals Σ w a, of any shape S, and what their variances are made of. a: (U, *S)."""
    return a.sum(0), a if units.replicates is None else units.replicates.differences(a)


def _starts(units: Units) -> Ints:
    return np.flatnonzero(np.diff(units.stratum, prepend=-1))


@compiled
def _between(totals: Any, starts: Any, factor: Any, out: Any) -> None:
    """out += Σ_h factor_h Σ_i (T_hi − T̄_h)², (m,), for totals (U, m) whose strata are runs of rows."""
    mean = np.empty(totals.shape[1])
    for h in range(starts.shape[0] - 1):
        a, b = starts[h], starts[h + 1]
        mean[:] = 0.0
        for i in range(a, b):
            for k in range(totals.shape[1]):
                mean[k] += totals[i, k]
        for k in range(totals.shape[1]):
            mean[k] /= b - a
        for i in range(a, b):
            for k in range(totals.shape[1]):
                apart = totals[i, k] - mean[k]
                out[k] += factor[h] * apart * apart


def _centred(totals: Floats, units: Units) -> Floats:
    """T_hi − T̄_h, times the root of the stratum's factor; rows of one-unit strata are 0."""
    means = np.add.reduceat(totals, _starts(units), axis=0) / units.psus[:, None]
    return np.asarray((totals - means[units.stratum]) * np.sqrt(units.factor)[units.stratum, None])


def _singles(totals: Floats, strata: NDArray[np.int32], units: Units) -> Floats:
    """Under `centre`: T − T̄ of the one-unit strata, times the root of 1 − f_h; T̄ over all PSUs of the design. totals: (U, m);
    strata: (U,), the stratum of each row."""
    mean = totals.sum(0) / units.psus.sum()
    at = np.flatnonzero(units.single[strata])
    return np.asarray((totals[at] - mean) * np.sqrt(1 - units.fraction[strata[at]])[:, None])


def variances(linear: Linear, units: Units) -> Floats:
    """The variance of each estimate, of their shape S; NaN where a replicate has no estimate."""
    shape = linear.totals.shape[1:]
    if units.replicates is not None:
        return np.asarray(np.tensordot(units.replicates.c, linear.totals**2, 1))
    return _variances(linear.flat(), units).reshape(shape)


def _variances(linear: Linear, units: Units) -> Floats:
    if units.residuals is not None:
        linear = units.residuals.of(linear)
    totals, strata = linear.totals, units.stratum
    if units.own:
        assert linear.squares is not None
        totals, squares = (np.add.reduceat(x, _starts(units), axis=0) for x in (totals, linear.squares))
        strata = np.arange(len(units.psus), dtype=np.int32)
        spread = np.maximum(squares - totals**2 / units.psus[:, None], 0)
        result = units.factor @ spread
    else:
        result = np.zeros(totals.shape[1])
        _between(np.ascontiguousarray(totals), np.append(_starts(units), len(totals)), units.factor, result)
    result = result * units.inflation
    if units.single_psu == "centre" and units.single.any():
        result = result + (_singles(totals, strata, units) ** 2).sum(0)
    return np.asarray(result)


def covariance_of_shares(w: Floats, ww: Floats | None, shares: Floats, units: Units) -> Floats:
    """The covariance matrix (m, m) of shares of disjoint cells in their common total.

    w: (U, m), Σ w by unit and cell; ww: Σ w² likewise, where every case is its own PSU. shares: (m,), summing to 1.
    """
    whole = w.sum()
    if units.replicates is not None:
        again = units.replicates.totals(w)
        with np.errstate(all="ignore"):
            bases = again.sum(1, keepdims=True)
            apart = again / np.where(bases > _EMPTY * whole, bases, np.nan) - shares
        return np.asarray(apart.T @ (units.replicates.c[:, None] * apart))
    totals = (w - shares * w.sum(1, keepdims=True)) / whole
    if units.own:
        assert ww is not None
        return _covariance_of_cases(totals, ww / whole**2, ww / whole, shares, units)
    if units.residuals is not None:
        totals = units.residuals.of(Linear(totals)).totals
    centred = _centred(totals, units)
    result = (centred.T @ centred) * units.inflation
    if units.single_psu == "centre" and units.single.any():
        singles = _singles(totals, units.stratum, units)
        result = result + singles.T @ singles
    return np.asarray(result)


def _covariance_of_cases(totals: Floats, ww: Floats, cross: Floats, shares: Floats, units: Units) -> Floats:
    """The same where every case is its own PSU. totals: (U, m), Σ w z; ww: (U, m), Σ w² by cell, over the square of the whole;
    cross: the same over the whole."""
    rows, residuals = units.rows, units.residuals
    factor = np.asarray(units.factor[units.stratum])
    by_cell = np.asarray(factor @ ww[:rows])
    # Σ w² z z′ with z_k = 1(cell) − shares: diag(s) − s p′ − p s′ + (Σ s) p p′
    moment = np.diag(by_cell) - np.outer(by_cell, shares) - np.outer(shares, by_cell) + by_cell.sum() * np.outer(shares, shares)
    if residuals is not None and residuals.x is not None and residuals.squares is not None:
        slope = residuals.inverse @ (residuals.columns @ totals[rows:-1])
        fitted = residuals.x @ slope
        of_z = (cross - shares * cross.sum(1, keepdims=True))[:rows]
        both = np.asarray((factor[:, None] * of_z).T @ fitted)
        moment = moment - both - both.T + (fitted * (factor * residuals.squares)[:, None]).T @ fitted
        totals = totals[:rows] - residuals.by_unit @ slope
    totals = np.add.reduceat(totals, _starts(units), axis=0)
    scaled = totals * np.sqrt(units.factor / units.psus)[:, None]
    result = (moment - scaled.T @ scaled) * units.inflation
    if units.single_psu == "centre" and units.single.any():
        singles = _singles(totals, np.arange(len(units.psus), dtype=np.int32), units)
        result = result + singles.T @ singles
    return np.asarray(result)
