"""Standard errors that know the weights were raked: residuals for linearisation, raking again for replicates."""

from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from even_ballot.core.compiled import compiled
from even_ballot.core.dataset import Floats
from even_ballot.core.design import Units
from even_ballot.core.replicates import Again, Factors, Jackknife, RakedAgain
from even_ballot.core.residuals import Residuals
from even_ballot.core.weighting.bounded import ordered, solve
from even_ballot.core.weighting.raking import Frame, Raked, bounds_of


def _columns(raked: Raked) -> Floats:
    """x of a case as a combination of the 0/1 columns of all categories, (J, J_all): a constant, since Σ w is fixed, and each
    category, less its target's share of its group where the group's total (where an unknown is held, that of the known ones) is an
    estimate."""
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
    inverse = np.asarray(np.linalg.pinv(x.T @ (by_combo[:, None] * x), rcond=1e-12, hermitian=True), np.float64)
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
    return replace(units, residuals=Residuals(category, sizes, free, columns, by_unit, size, inverse, alike, squares))


@compiled
def _rake_one(w: Any, categories: Any, targets: Any, tolerance: float, most: int, sums: Any) -> bool:
    """Rakes weights by combination (K,) in place; categories (M, K), targets (M, J); whether the margins were met."""
    margins = categories.shape[0]
    for _ in range(most):
        worst = 0.0
        for m in range(margins):
            sums[:] = 0.0
            for k in range(w.shape[0]):
                if categories[m, k] >= 0:
                    sums[categories[m, k]] += w[k]
            for j in range(targets.shape[1]):
                gap = abs(sums[j] - targets[m, j])
                if not gap <= worst:
                    worst = gap
        if worst <= tolerance:
            return True
        if not worst < np.inf:
            return False
        for m in range(margins):
            sums[:] = 0.0
            for k in range(w.shape[0]):
                if categories[m, k] >= 0:
                    sums[categories[m, k]] += w[k]
            for k in range(w.shape[0]):
                if categories[m, k] >= 0 and w[k] > 0:
                    w[k] *= targets[m, categories[m, k]] / sums[categories[m, k]]
    return False


def _again(frame: Frame, base: Floats, tolerance: float) -> Floats:
    """The factor that each combination's base weight is multiplied by, (K,); NaN where the margins cannot be met."""
    started, _, margins = frame.aimed(base)
    if not margins:
        return np.divide(started, base, out=np.zeros_like(base), where=base > 0)
    wide = max(len(m.target) for m in margins)
    targets = np.zeros((len(margins), wide))
    for m, margin in enumerate(margins):
        targets[m, : len(margin.target)] = margin.target
    w = started.copy()
    met = _rake_one(w, frame.categories, targets, tolerance, frame.weighting.max_cycles, np.zeros(wide))
    if not met:
        return np.full_like(base, np.nan)
    return np.divide(w, base, out=np.zeros_like(base), where=base > 0)


def _again_within(frame: Frame, index: NDArray[np.int32], d: Floats) -> tuple[Floats, Floats, Floats]:
    """The same within limits, for base weights d (n,) of cases in combinations index (n,): factors (K,), and bounds (K,) as
    shares of the whole."""
    k, weighting = len(frame.combos.base), frame.weighting
    base = np.bincount(index, weights=d, minlength=k).astype(np.float64)
    started, totals, margins = frame.aimed(base)
    low, high, _ = bounds_of(frame, totals, np.bincount(index[d > 0], minlength=k))
    grown = np.divide(started, base, out=np.zeros_like(started), where=base > 0)
    targets = tuple(m.target for m in margins)
    found = solve(ordered(index, d, k), grown, frame.categories, targets, low, high, weighting.tolerance, weighting.max_cycles)
    factor = found.factor if found.gap <= weighting.tolerance else np.full(k, np.nan)
    return factor, low, high


def rake_again(raked: Raked, by_unit: Jackknife | Factors, unit: NDArray[np.int32]) -> RakedAgain:
    """Every replicate raked to the same margins, from base weight times the factor of its PSU. unit: (n,), each case's PSU."""
    frame, base = raked.frame, raked.base
    combos, weighting = frame.combos, frame.weighting
    index = combos.index.astype(np.int32)
    k, factor = len(combos.base), np.ascontiguousarray(by_unit.factors().T)
    replicates = factor.shape[1]
    pair, of = np.unique(unit.astype(np.int64) * k + index, return_inverse=True)
    # Base weights of all replicates by combination at once.
    there = sparse.csr_matrix((np.bincount(of.ravel(), weights=base), (pair % k, pair // k)), shape=(k, len(factor)))
    bases = np.asarray(there @ factor)
    groups, whole = frame.groups, frame.whole()
    by_combo = np.zeros((k, replicates))
    low, high = np.zeros((groups, replicates)), np.full((groups, replicates), np.inf)
    bound = weighting.limits is not None and weighting.limits.bind and bool(raked.margins)

    def one(r: int) -> None:
        with np.errstate(all="ignore"):
            if not bound:
                by_combo[:, r] = _again(frame, bases[:, r], weighting.tolerance) * whole
                return
            by_combo[:, r], lows, highs = _again_within(frame, index, base * factor[unit, r])
            by_combo[:, r] *= whole
            low[frame.group_of, r], high[frame.group_of, r] = lows * whole, highs * whole

    with ThreadPoolExecutor(2) as pool:
        list(pool.map(one, range(replicates)))
    return RakedAgain(by_unit.c, Again(base, unit, factor, index, by_combo, frame.group_of, low, high))
