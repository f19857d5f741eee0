"""Standard errors that know the weights were raked, by linearisation: residuals on the margins."""

from dataclasses import replace

import numpy as np

from even_ballot.core.numerics.arrays import Floats
from even_ballot.core.sampling.residuals import Residuals
from even_ballot.core.sampling.units import Units
from even_ballot.core.weighting.raking import Raked


def _columns(raked: Raked) -> Floats:
    """x of a case as a combination of the 0/1 columns of all categories, (J, J_all): a constant, since Σ w
    is fixed, and each category, less its target's share of its group where the group's total (where an
    unknown is held, that of the known ones) is an estimate."""
    sizes = [len(m.target) for m in raked.margins]
    starts = np.concatenate([[0], np.cumsum(sizes)]).astype(int)
    whole = np.zeros(starts[-1])
    whole[: sizes[0]] = 1.0
    rows = [whole]
    for m, (given, sums) in enumerate(zip(raked.frame.laid, raked.frame.sums, strict=True)):
        held = np.isnan(given.target)
        for j in np.flatnonzero(~held).tolist():
            row = np.zeros(starts[-1])
            row[starts[m] + j] = 1.0
            group = given.group == given.group[j]
            if raked.frame.counted is None or (held & group).any():
                row[starts[m] : starts[m + 1]][group & ~held] -= given.target[j] / sums[given.group[j]]
            rows.append(row)
    return np.array(rows)


def with_residuals(units: Units, raked: Raked, weight: Floats) -> Units:
    """The design with the residuals of a raking; weight: (n,), the final weights."""
    combos, margins = raked.combos, raked.margins
    if units.own:
        units = units.apart(combos.index.astype(np.int64))
    category = np.stack([m.category[combos.index] for m in margins]).astype(np.int32)
    category[:, weight <= 0] = -1
    sizes = tuple(len(m.target) for m in margins)
    starts = np.concatenate([[0], np.cumsum(sizes)[:-1]]).astype(np.int64)
    free = np.asarray(weight if raked.free is None else np.where(raked.free, weight, 0.0))
    columns = _columns(raked)
    k = len(combos.base)
    of_combo = np.zeros((k, sum(sizes)))
    for m, margin in enumerate(margins):
        there = np.flatnonzero(margin.category >= 0)
        of_combo[there, starts[m] + margin.category[there]] = 1.0
    x = of_combo @ columns.T
    by_combo = np.bincount(combos.index, weights=free, minlength=k)
    inverse = np.asarray(
        np.linalg.pinv(x.T @ (by_combo[:, None] * x), rcond=1e-12, hermitian=True), np.float64
    )
    # Σ w x by unit, through the distinct pairs of unit and combination.
    pair, of = np.unique(units.unit.astype(np.int64) * k + combos.index, return_inverse=True)
    pair_unit, pair_combo = pair // k, pair % k
    whole = np.bincount(of.ravel(), weights=weight)
    by_unit, size = np.zeros((2, units.rows, x.shape[1]))
    np.add.at(by_unit, pair_unit, whole[:, None] * x[pair_combo])
    np.add.at(size, pair_unit, whole[:, None] * np.abs(x[pair_combo]))
    alike = squares = None
    if units.own:
        alike = x[pair_combo]
        squares = np.bincount(of.ravel(), weights=weight**2).astype(np.float64)
    return replace(
        units, residuals=Residuals(category, sizes, free, columns, by_unit, size, inverse, alike, squares)
    )
