"""Weights made again in every replicate, from base weight to final weight: non-response adjustment in its
cells, earlier weightings that a later one starts from, raking."""

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.numerics.arrays import Floats, Ints
from even_ballot.core.numerics.compiled import compiled
from even_ballot.core.sampling.replicates import Again, Factors, Jackknife, MadeAgain
from even_ballot.core.weighting.limits import ordered, solve
from even_ballot.core.weighting.raking import Frame, Raked, bounds_of
from even_ballot.core.weighting.request import ProductBase

_FINE = 1e-13


def chain_of(raked: Sequence[Raked], last: Raked) -> tuple[Raked, ...]:
    """The weightings that the last one comes from, first to last."""
    base = last.frame.weighting.base
    names = (base,) if isinstance(base, str) else base.times if isinstance(base, ProductBase) else ()
    for earlier in raked:
        if earlier is not last and earlier.frame.weighting.save_as in names:
            return (*chain_of(raked, earlier), last)
    return (last,)


def adjusts(chain: Sequence[Raked]) -> bool:
    """Whether anything in a chain depends on who is in the sample."""
    return any(raked.margins or raked.response is not None for raked in chain)


# A compiled loop: a call inside it costs more than it explains.
@compiled
def _rake_one(w: Any, categories: Any, targets: Any, tolerance: float, most: int, sums: Any) -> float:  # noqa: C901
    """Rakes weights by combination (K,) in place; categories (M, K), targets (M, J); the largest gap that
    is left."""
    margins = categories.shape[0]
    worst = np.inf
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
        if worst <= tolerance or not worst < np.inf:
            return worst
        for m in range(margins):
            sums[:] = 0.0
            for k in range(w.shape[0]):
                if categories[m, k] >= 0:
                    sums[categories[m, k]] += w[k]
            for k in range(w.shape[0]):
                if categories[m, k] >= 0 and w[k] > 0:
                    w[k] *= targets[m, categories[m, k]] / sums[categories[m, k]]
    return worst


def _again(frame: Frame, base: Floats, tolerance: float) -> Floats:
    """The factor that each combination's base weight is multiplied by, (K,); NaN where the margins cannot
    be met."""
    started, _, margins = frame.aimed(base)
    if not margins:
        return np.divide(started, base, out=np.zeros_like(base), where=base > 0)
    wide = max(len(m.target) for m in margins)
    targets = np.zeros((len(margins), wide))
    for m, margin in enumerate(margins):
        targets[m, : len(margin.target)] = margin.target
    w = started.copy()
    # Finer than the weights themselves, so that a figure they fix is not seen to move.
    fine = min(tolerance, _FINE)
    if (
        not _rake_one(w, frame.categories, targets, fine, frame.weighting.max_cycles, np.zeros(wide))
        <= tolerance
    ):
        return np.full_like(base, np.nan)
    return np.divide(w, base, out=np.zeros_like(base), where=base > 0)


def _again_within(frame: Frame, index: NDArray[np.int32], d: Floats) -> tuple[Floats, Floats, Floats]:
    """The same within limits, for base weights d (n,) of cases in combinations index (n,): factors (K,),
    and bounds (K,) as shares of the whole."""
    k, weighting = len(frame.combos.base), frame.weighting
    base = np.bincount(index, weights=d, minlength=k).astype(np.float64)
    started, totals, margins = frame.aimed(base)
    low, high, _ = bounds_of(frame, totals, np.bincount(index[d > 0], minlength=k))
    grown = np.divide(started, base, out=np.zeros_like(started), where=base > 0)
    targets = tuple(m.target for m in margins)
    found = solve(
        ordered(index, d, k),
        grown,
        frame.categories,
        targets,
        low,
        high,
        weighting.tolerance,
        weighting.max_cycles,
    )
    factor = found.factor if found.gap <= weighting.tolerance else np.full(k, np.nan)
    return factor, low, high


def made_again(chain: Sequence[Raked], by_unit: Jackknife | Factors, unit: NDArray[np.int32]) -> MadeAgain:
    """Every replicate taken through a chain of weightings, from the first one's base weight times the
    factor of its PSU; each keeps the full sample's Σ w. unit: (n,), each case's PSU."""
    by_psu = np.ascontiguousarray(by_unit.factors().T)
    n, count = len(unit), by_psu.shape[1]
    none = np.zeros((0, count))
    again = Again(
        chain[0].given, unit, by_psu, np.zeros((0, n), np.int32), np.zeros((0, n)), none, none, none
    )
    with np.errstate(all="ignore"):
        times = np.ones(n)
        for k, raked in enumerate(chain):
            if k:
                before = chain[k - 1].weights
                times = np.divide(raked.given, before, out=np.zeros(n), where=before > 0)
            if raked.response is not None:
                again, times = _answered(again, raked, times), np.ones(n)
            again = _raked(again, raked, times)
    return MadeAgain(by_unit.c, again)


def _stage(
    again: Again,
    index: Ints,
    times: Floats,
    factor: Floats,
    low: Floats | None = None,
    high: Floats | None = None,
) -> Again:
    """A chain with one stage more; index: (n,), rows of factor, (K, R)."""
    rows = np.where(index >= 0, index + len(again.factor), -1).astype(np.int32)
    low = np.zeros_like(factor) if low is None else low
    high = np.full_like(factor, np.inf) if high is None else high
    return replace(
        again,
        index=np.vstack([again.index, rows[None]]),
        times=np.vstack([again.times, times[None]]),
        factor=np.vstack([again.factor, factor]),
        low=np.vstack([again.low, low]),
        high=np.vstack([again.high, high]),
    )


def _sums(again: Again, index: Ints, times: Floats, rows: int) -> Floats:
    """Weights so far by row, (rows, R); index: (n,), below 0 for cases that do not count."""
    out = np.zeros((rows, again.by_psu.shape[1]))
    again.add_to(index, times, out)
    return out


def _answered(again: Again, raked: Raked, times: Floats) -> Again:
    """In each cell those who answered take over the weight of those who did not, in every replicate."""
    assert raked.response is not None
    cell, responded = raked.response
    size = int(cell.max(initial=0)) + 1
    all_of, answered = (_sums(again, index, times, size) for index in (cell, np.where(responded, cell, -1)))
    factor = np.where(answered > 0, all_of / answered, np.where(all_of > 0, np.nan, 1.0))
    return _stage(again, np.where(responded, cell, -1), times, factor)


def _raked(again: Again, raked: Raked, times: Floats) -> Again:
    """Raked to the margins in every replicate, within the limits."""
    frame = raked.frame
    index, k, whole = frame.combos.index.astype(np.int64), len(frame.combos.base), frame.whole()
    bases = _sums(again, index, times, k)
    factor = np.zeros_like(bases)
    low, high = np.zeros_like(bases), np.full_like(bases, np.inf)
    limits = frame.weighting.limits
    bound = limits is not None and limits.bind and bool(raked.margins)

    def one(r: int) -> None:
        with np.errstate(all="ignore"):
            if not np.isfinite(bases[:, r]).all():
                factor[:, r] = np.nan
            elif not bound:
                factor[:, r] = _again(frame, bases[:, r], frame.weighting.tolerance) * whole
            else:
                found, lows, highs = _again_within(frame, index.astype(np.int32), again.of(r) * times)
                factor[:, r], low[:, r], high[:, r] = found * whole, lows * whole, highs * whole

    with ThreadPoolExecutor(2) as pool:
        list(pool.map(one, range(bases.shape[1])))
    return _stage(again, index, times, factor, low, high)
