"""From tallies to covariances.

The variance of a smooth estimate is that of the weighted total of its linearised values z (Särndal, Swensson
and Wretman, ch. 5):

    T_hi = Σ_{k in hi} w_k z_k,   V = Σ_h (1 − f_h) n_h/(n_h − 1) Σ_i (T_hi − T̄_h)(T_hi − T̄_h)′

A variance that is no more than rounding is 0: V ≤ 1e-20 · M, M the same without 1 − f_h and of all terms of z
taken absolutely.
"""

from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.numerics.arrays import Floats, Ints
from even_ballot.core.numerics.compiled import by_arrays, compiled
from even_ballot.core.sampling.linearisation import Alike, CaseGroup, Linear, LoneCases, squares_in
from even_ballot.core.sampling.replicates import EMPTY
from even_ballot.core.sampling.units import Units

_ROUNDING = 1e-20

_AT_ONCE = 2_000_000


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


@by_arrays(_between)
def _between_arrays(totals: Any, starts: Any, factor: Any, out: Any) -> None:
    terms = np.empty_like(totals)
    for h, (a, b) in enumerate(pairwise(starts.tolist())):
        apart = totals[a:b] - np.cumsum(totals[a:b], axis=0)[-1] / (b - a)
        terms[a:b] = factor[h] * apart * apart
    if len(terms):
        out += np.cumsum(terms, axis=0)[-1]


def _centred(totals: Floats, units: Units) -> Floats:
    """T_hi − T̄_h, times the root of the stratum's factor; rows of one-unit strata are 0."""
    means = np.add.reduceat(totals, _starts(units), axis=0) / units.psus[:, None]
    return np.asarray((totals - means[units.stratum]) * np.sqrt(units.factor)[units.stratum, None])


def _singles(totals: Floats, strata: NDArray[np.int32], units: Units) -> Floats:
    """Under `mean_of_units`: T − T̄ of the one-unit strata, times the root of 1 − f_h; T̄ over all PSUs of the
    design. totals: (U, m); strata: (U,), the stratum of each row."""
    mean = totals.sum(0) / units.psus.sum()
    at = np.flatnonzero(units.single[strata])
    return np.asarray((totals[at] - mean) * np.sqrt(1 - units.fraction[strata[at]])[:, None])


def variances(linear: Linear, units: Units) -> Floats:
    """The variance of each estimate, of their shape S; NaN where a replicate has no estimate.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> units = sampled(ferry(), Design(clusters=("boat",)), "w").units
    >>> totals = np.array([[2.0], [2.0], [2.5], [2.5]])
    >>> variances(Linear(totals, totals), units).round(4).tolist()
    [0.3333]
    """
    shape = linear.totals.shape[1:]
    if units.replicates is not None:
        c = units.replicates.c
        found = np.asarray(np.tensordot(c, linear.totals**2, 1))
        most = np.tensordot(units.replicates.of_rounding(int(units.psus.sum())), linear.terms**2, 1)
    else:
        flat = linear.flat()
        width = max(_AT_ONCE // max(len(flat.totals), 1), 1)
        with np.errstate(all="ignore"):
            parts = [
                _linearised(flat.at(slice(k, k + width)), units)
                for k in range(0, flat.totals.shape[1], width)
            ]
        found, most = (
            (np.concatenate(side).reshape(shape) for side in zip(*parts, strict=True))
            if parts
            else (np.zeros(shape),) * 2
        )
    with np.errstate(invalid="ignore"):
        return np.where(found <= _ROUNDING * most, 0.0, found)


def _linearised(linear: Linear, units: Units) -> tuple[Floats, Floats]:
    """Variances (m,), and what they are of all terms taken absolutely."""
    known = units.residuals
    slope = None
    if known is not None:
        slope = known.slope(linear.totals)
        linear = known.of(linear, slope)
    if units.own:
        return _of_cases(linear, units, slope)
    totals, terms, strata = linear.totals, linear.terms, units.stratum
    result = np.zeros(totals.shape[1])
    _between(np.ascontiguousarray(totals), np.append(_starts(units), len(totals)), units.factor, result)
    most = units.whole_factor[strata] @ terms**2
    if units.single_psu == "mean_of_units" and units.single.any():
        result = result + (_singles(totals, strata, units) ** 2).sum(0)
        most = most + (terms[units.single[strata]] ** 2).sum(0)
    return np.asarray(result * units.inflation), np.asarray(most * units.inflation)


def _of_cases(linear: Linear, units: Units, slope: Floats | None) -> tuple[Floats, Floats]:
    """The same where every case is its own PSU: Σ_k (f_k − f̄_h)² with f = w z, in sums of squares only, so
    that nothing cancels.

    slope: B, (J, m), where z is a residual.
    """
    assert units.weights is not None
    starts, strata, n_h = _starts(units), units.stratum, units.psus
    groups = [group.cases(units.weights.centre) for group in linear.groups]
    of_x = None
    if slope is not None:
        assert units.residuals is not None
        assert units.residuals.x is not None
        of_x = units.residuals.x @ slope
        groups = [group.less(of_x) for group in [*groups, _outside(groups, units)]]
    totals = np.add.reduceat(sum(group.n * group.f for group in groups), starts, axis=0)
    mean = totals / n_h[:, None]
    each = mean[strata]
    spread = np.add.reduceat(sum(g.ff + g.n * (g.f - each) ** 2 for g in groups), starts, axis=0)
    rest = np.maximum(n_h[:, None] - np.add.reduceat(sum(g.n for g in groups), starts, axis=0), 0)
    spread = spread + rest * mean**2
    result = units.factor @ spread
    most = units.whole_factor[strata] @ linear.terms**2
    if units.single_psu == "mean_of_units" and units.single.any():
        result = result + (_singles(totals, np.arange(len(n_h), dtype=np.int32), units) ** 2).sum(0)
        most = most + (linear.terms[units.single[strata]] ** 2).sum(0)
    return np.asarray(result * units.inflation), np.asarray(most * units.inflation)


def _outside(groups: list[LoneCases], units: Units) -> LoneCases:
    """The cases of positive weight whose z is 0."""
    assert units.weights is not None
    own = units.weights
    n, d1, d2 = (
        x[:, None] - sum(getattr(g, name) for g in groups)
        for name, x in (("n", own.n), ("d1", own.d1), ("d2", own.d2))
    )
    each = np.where(n > 0, d1 / np.maximum(n, 1), 0.0)
    ww = np.where(n > 0, np.maximum(d2 - d1 * each, 0), 0.0)
    none = np.zeros_like(ww)
    return LoneCases(
        np.maximum(n, 0), none, np.where(n > 0, own.centre[:, None] + each, 0.0), none, none, ww, d1, d2
    )


def covariance_of_shares(w: Floats, own: Floats | None, shares: Floats, units: Units) -> Floats:
    """The covariance matrix (m, m) of shares of disjoint cells in their common total.

    w: (U, m), Σ w by unit and cell; own: (3 U, m), of the cases where every case is its own PSU. shares:
    (m,), summing to 1.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> units = sampled(ferry(), Design(clusters=("boat",)), "w").units
    >>> w = np.array([[2.0, 1.0], [1.0, 1.0], [1.0, 2.0], [1.0, 1.0]])
    >>> covariance_of_shares(w, None, w.sum(0) / w.sum(), units).round(5).tolist()
    [[0.00667, -0.00667], [-0.00667, 0.00667]]
    """
    whole = w.sum()
    if units.replicates is not None:
        apart = _replicated_shares(w, shares, units)
        return np.asarray(apart.T @ (units.replicates.c[:, None] * apart))
    totals = (w - shares * w.sum(1, keepdims=True)) / whole
    if units.own:
        assert own is not None
        assert units.weights is not None
        ww = squares_in(own, units.weights.centre)
        return _covariance_of_cases(totals, ww / whole**2, ww / whole, shares, units)
    if units.residuals is not None:
        totals = totals[: units.rows] - units.residuals.by_unit @ units.residuals.slope(totals)
    return covariance_of_totals(totals, units)


def covariance_of_totals(totals: Floats, units: Units) -> Floats:
    """The covariance matrix (m, m) of estimates from Σ w z by PSU, (U, m), residuals taken already.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> units = sampled(ferry(), Design(clusters=("boat",)), "w").units
    >>> covariance_of_totals(np.array([[2.0], [2.0], [2.5], [2.5]]), units).round(4).tolist()
    [[0.3333]]
    """
    centred = _centred(totals, units)
    return _with_singles((centred.T @ centred) * units.inflation, totals, units.stratum, units)


def covariance_of_own(moment: Floats, totals: Floats, units: Units) -> Floats:
    """The same where every case is its own PSU. moment: (m, m), Σ factor_h f f′ over the cases, f = w z;
    totals: (H, m), Σ f by stratum.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> sample = sampled(ferry(), Design(), "w")
    >>> f = sample.parts[0].weight[:, None] - 1.125
    >>> moment = sample.units.factor[0] * f.T @ f
    >>> covariance_of_own(moment, f.sum(0, keepdims=True), sample.units).round(4).tolist()
    [[1.5714]]
    """
    scaled = totals * np.sqrt(units.factor / units.psus)[:, None]
    strata = np.arange(len(units.psus), dtype=np.int32)
    return _with_singles((moment - scaled.T @ scaled) * units.inflation, totals, strata, units)


def _with_singles(result: Floats, totals: Floats, strata: NDArray[np.int32], units: Units) -> Floats:
    """With what strata of one PSU add under `mean_of_units`."""
    if units.single_psu == "mean_of_units" and units.single.any():
        singles = _singles(totals, strata, units)
        result = result + singles.T @ singles
    return np.asarray(result)


def _replicated_shares(w: Floats, shares: Floats, units: Units) -> Floats:
    """Shares less the full sample's, by replicate, (R, m)."""
    assert units.replicates is not None
    again = units.replicates.totals(w)
    with np.errstate(all="ignore"):
        bases = again.sum(1, keepdims=True)
        return np.asarray(again / np.where(bases > EMPTY * w.sum(), bases, np.nan) - shares)


def variances_of_contrasts(
    w: Floats, own: Floats | None, shares: Floats, contrasts: Floats, terms: Floats, units: Units
) -> Floats:
    """The variance of each contrast l′π of shares π, (k,). contrasts: (k, m); terms: (k, m), what they are
    made of, taken absolutely; the rest as above. What is only rounding is 0.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> units = sampled(ferry(), Design(clusters=("boat",)), "w").units
    >>> w = np.array([[2.0, 1.0], [1.0, 1.0], [1.0, 2.0], [1.0, 1.0]])
    >>> contrast = np.array([[1.0, -1.0]])
    >>> variances_of_contrasts(w, None, w.sum(0) / w.sum(), contrast, abs(contrast), units).round(5).tolist()
    [0.02667]
    """
    whole, middle = w.sum(), contrasts @ shares
    if units.replicates is not None:
        apart = _replicated_shares(w, shares, units)
        size = np.abs(apart + shares) @ terms.T + np.abs(middle)
        return variances(Linear(apart @ contrasts.T, size), units)
    z = (contrasts - middle[:, None]) / whole
    size = (terms + np.abs(middle)[:, None]) / whole
    totals = w @ z.T
    if not units.own:
        return variances(Linear(totals, w[: units.rows] @ size.T), units)
    assert own is not None
    assert units.weights is not None
    groups: list[CaseGroup] = [
        Alike(np.broadcast_to(own[:, c, None], (len(own), len(z))), z[:, c]) for c in range(len(shares))
    ]
    with np.errstate(all="ignore"):
        most = np.sqrt(squares_in(own, units.weights.centre) @ (size.T**2))
    return variances(Linear(totals, most, tuple(groups)), units)


def _covariance_of_cases(totals: Floats, ww: Floats, cross: Floats, shares: Floats, units: Units) -> Floats:
    """The same where every case is its own PSU. totals: (U, m), Σ w z; ww: (U, m), Σ w² by cell, over the
    square of the whole; cross: the same over the whole."""
    rows, residuals = units.rows, units.residuals
    factor = np.asarray(units.factor[units.stratum])
    by_cell = np.asarray(factor @ ww)
    # Σ w² z z′ with z_k = 1(cell) − shares: diag(s) − s p′ − p s′ + (Σ s) p p′
    moment = (
        np.diag(by_cell)
        - np.outer(by_cell, shares)
        - np.outer(shares, by_cell)
        + by_cell.sum() * np.outer(shares, shares)
    )
    if residuals is not None and residuals.x is not None and residuals.squares is not None:
        slope = residuals.slope(totals)
        fitted = residuals.x @ slope
        of_z = cross - shares * cross.sum(1, keepdims=True)
        both = np.asarray((factor[:, None] * of_z).T @ fitted)
        moment = moment - both - both.T + (fitted * (factor * residuals.squares)[:, None]).T @ fitted
        totals = totals[:rows] - residuals.by_unit @ slope
    return covariance_of_own(moment, np.add.reduceat(totals, _starts(units), axis=0), units)
