"""Raking within limits, solved exactly.

The weights w = clip(d · exp(x′λ), low, high) that meet the margins are the unique minimum of Σ w log(w/d)
− w + d under margins and bounds (Deville and Särndal, 1992). λ is the minimum of a convex function with
gradient Σ x w(λ) − targets and, where weights lie strictly between the bounds, curvature Σ x x′ w:
Newton's method with a line search. Within a margin combination the cases differ in nothing but their base
weight; sorted by it, those below, between and above the bounds are runs.
"""

from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np
import scipy
from numpy.typing import NDArray

from even_ballot.core.numerics.arrays import Bools, Floats, Ints
from even_ballot.core.numerics.compiled import compiled
from even_ballot.core.numerics.linear_programs import least
from even_ballot.core.weighting.solving.base_runs import Ordered

_FAR, _STEPS = 4.0, 300


@compiled
def _first(d: Any, a: int, b: int, bound: float, factor: float, strict: bool) -> int:
    """The first p in a…b with d[p] · factor ≥ bound (or > where `strict`); b where there is none."""
    while a < b:
        middle = (a + b) >> 1
        w = d[middle] * factor
        if w > bound or (not strict and w >= bound):
            b = middle
        else:
            a = middle + 1
    return a


class _Clipped(NamedTuple):
    """By combination, (K,): what base weights are multiplied by, and their bounds."""

    factor: Any
    low: Any
    high: Any


@compiled
def _clipped(runs: Any, of: Any, whole: Any, free: Any) -> None:
    """Σ w by combination, and of the cases strictly between their bounds; runs: fields of `Ordered`."""
    d, before, cases, start, sums, counts = runs
    factor, low, high = of
    for c in range(factor.shape[0]):
        a, b = start[c], start[c + 1]
        whole[c] = free[c] = 0.0
        if a == b or factor[c] == 0.0:
            continue
        under = _first(d, a, b, low[c], factor[c], True) if low[c] > 0 else a
        over = _first(d, under, b, high[c], factor[c], False) if high[c] < np.inf else b
        upto = before[over] if over < b else sums[c]
        inside = upto - before[under] if under < b else 0.0
        free[c] = inside * factor[c] if over > under else 0.0
        if cases.shape[0] == 0:
            whole[c] = free[c] + low[c] * (under - a) + (high[c] * (b - over) if over < b else 0.0)
            continue
        whole[c] = free[c] + low[c] * (cases[under] if under < b else counts[c])
        if over < b:
            whole[c] += high[c] * (counts[c] - cases[over])


@compiled
def _spread(
    index: Any, base: Any, factor: Any, low: Any, high: Any, scale: float, weights: Any, between: Any
) -> None:
    for k in range(index.shape[0]):
        c = index[k]
        w = base[k] * factor[c]
        if base[k] > 0:
            between[k] = low[c] < w < high[c]
            weights[k] = min(max(w, low[c]), high[c]) * scale


@dataclass(frozen=True)
class Bounded:
    """What each combination's base weights are multiplied by, (K,), before they are held within bounds; Σ
    w by combination, (K,); and how it went."""

    factor: Floats
    after: Floats
    low: Floats
    high: Floats
    cycles: int
    gap: float

    def weights(self, index: NDArray[Any], base: Floats, scale: float) -> tuple[Floats, Bools]:
        """Each case's weight times a constant, (n,), and whether it lies strictly between its bounds,
        (n,)."""
        weights, between = np.zeros(len(base)), np.zeros(len(base), np.bool_)
        _spread(index, base, self.factor, self.low, self.high, scale, weights, between)
        return weights, between


def solve(
    of: Ordered,
    grown: Floats,
    categories: Ints,
    targets: tuple[Floats, ...],
    low: Floats,
    high: Floats,
    tolerance: float,
    most: int,
) -> Bounded:
    """Weights between bounds that meet the margins, or come as near as the search got.

    grown: (K,), what base weights are multiplied by before the search begins. categories: (M, K), each
    combination's category of each margin, −1 without weight; targets: of each margin, (J_m,); low, high:
    (K,), bounds by combination. gap: the largest |Σ w − target|.

    >>> from even_ballot.core.weighting.solving.base_runs import base_runs, ordered
    >>> of = ordered(base_runs(np.array([0, 1]), np.ones(2), 2))
    >>> none, free = np.zeros(2), np.full(2, np.inf)
    >>> categories, targets = np.array([[0, 1]]), (np.array([0.6, 0.4]),)
    >>> found = solve(of, np.full(2, 0.5), categories, targets, none, free, 1e-10, 100)
    >>> found.after.round(6).tolist()
    [0.6, 0.4]
    """
    sizes = np.array([len(t) for t in targets], np.int64)
    starts = np.concatenate([[0], np.cumsum(sizes)[:-1]])
    target, columns = np.concatenate(targets), int(sizes.sum())
    live = np.flatnonzero((categories >= 0).all(0))
    rows = categories[:, live] + starts[:, None]
    combos = categories.shape[1]
    x = scipy.sparse.csr_matrix(
        (np.ones(rows.size), (np.repeat(np.arange(len(live)), len(sizes)), rows.T.ravel())),
        shape=(len(live), columns),
    )
    whole, free = np.zeros(combos), np.zeros(combos)
    runs = (of.d, of.before, of.cases, of.start, of.whole, of.counts)

    def at(value: Floats) -> tuple[Floats, Floats]:
        factor = np.zeros(combos)
        factor[live] = grown[live] * np.exp(np.clip(x @ value, -600, 600))
        _clipped(runs, _Clipped(factor, low, high), whole, free)
        return x.T @ whole[live] - target, factor

    lam = np.zeros(columns)
    gradient, factor = at(lam)
    gap, cycles, stuck = float(np.abs(gradient).max()), 0, 0
    while gap > tolerance and cycles < min(most, _STEPS) and stuck < 30:
        curved = (x.T @ scipy.sparse.diags(free[live]) @ x).toarray()
        ridge = 1e-10 * max(curved.trace() / columns, 1e-12)
        step = -np.linalg.lstsq(curved + ridge * np.eye(columns), gradient, rcond=None)[0]
        step *= min(1.0, _FAR / max(float(np.abs(step).max()), 1e-300))
        slope, length = float(gradient @ step), 1.0
        for _ in range(40):
            fresh, factor = at(lam + length * step)
            if float(fresh @ step) <= 0.5 * abs(slope):
                break
            length /= 2
        lam = lam + length * step
        before, gap, gradient, cycles = gap, float(np.abs(fresh).max()), fresh, cycles + 1
        stuck = stuck + 1 if gap > 0.98 * before else 0
    return Bounded(factor, whole.copy(), low, high, cycles, gap)


@dataclass(frozen=True)
class Both:
    """A lower and an upper limit."""

    low: float
    high: float


@dataclass(frozen=True)
class Possible:
    """Limits that could be met, None where none could: the smallest upper one with the lower as it is, the
    largest lower one with the upper as it is, and both, moved away from the mean in the same proportion
    (the lower one no further than 0)."""

    high: float | None
    low: float | None
    both: Both | None


class _Room:
    """The room that margins leave for the totals of combinations: categories (M, K); targets of each
    margin, (J_m,); cases, mean: (K,), cases of positive weight and the mean final weight of the
    combination's group."""

    def __init__(self, categories: Ints, targets: tuple[Floats, ...], cases: Ints, mean: Floats) -> None:
        sizes = [len(t) for t in targets]
        starts = np.concatenate([[0], np.cumsum(sizes)[:-1]]).astype(np.int64)
        live = np.flatnonzero((categories >= 0).all(0) & (cases > 0))
        self.k, rows = len(live), categories[:, live] + starts[:, None]
        self.targets, self.share = np.concatenate(targets), (cases * mean)[live]
        at = (rows.ravel(), np.tile(np.arange(self.k), len(sizes)))
        margins = scipy.sparse.csr_matrix((np.ones(rows.size), at), shape=(sum(sizes), self.k))
        self.meets = scipy.sparse.hstack([margins, scipy.sparse.csr_matrix((sum(sizes), 1))])

    def nearest(
        self, sides: list[tuple[float, float, float]], within: list[Any], sign: float
    ) -> float | None:
        """The smallest v · sign with s · W + share · (a + b v) ≤ 0 for every side: sides holds (s, a, b)."""
        eye = scipy.sparse.eye(self.k)
        rows = [
            scipy.sparse.hstack([s * eye, scipy.sparse.csr_matrix(b * self.share[:, None])])
            for s, _, b in sides
        ]
        upto = np.concatenate([-a * self.share for _, a, _ in sides])
        cost = np.zeros(self.k + 1)
        cost[-1] = sign
        bounds, upper = [*within, (0, None)], scipy.sparse.vstack(rows)
        found = least(cost, bounds, (self.meets, self.targets), (upper, upto))
        return None if found is None else float(found[-1])


def least_high(
    categories: Ints, targets: tuple[Floats, ...], cases: Ints, mean: Floats, low: float
) -> float | None:
    """The smallest upper limit that the margins leave room for above a lower one.

    >>> shares, cases, mean = (np.array([0.8, 0.2]),), np.array([1, 1]), np.full(2, 0.5)
    >>> round(least_high(np.array([[0, 1]]), shares, cases, mean, 0.0), 6)
    1.6
    """
    room = _Room(categories, targets, cases, mean)
    return room.nearest([(1.0, 0.0, -1.0)], [(low * s, None) for s in room.share], 1.0)


def possible(
    categories: Ints, targets: tuple[Floats, ...], cases: Ints, mean: Floats, low: float, high: float | None
) -> Possible:
    """The nearest limits that the margins leave room for, by linear programming over the combinations'
    totals.

    >>> shares, cases, mean = (np.array([0.8, 0.2]),), np.array([1, 1]), np.full(2, 0.5)
    >>> round(possible(np.array([[0, 1]]), shares, cases, mean, 0.0, 1.2).high, 6)
    1.6
    """
    room = _Room(categories, targets, cases, mean)
    upper = (
        None if high is None else room.nearest([(1.0, 0.0, -1.0)], [(low * s, None) for s in room.share], 1.0)
    )
    top = [(0.0, None if high is None else high * s) for s in room.share]
    lower = room.nearest([(-1.0, 0.0, 1.0)], top, -1.0) if low > 0 else None
    both = None
    if high is not None and low > 0:
        # W ≤ share · (1 + v (high − 1)) and W ≥ share · (1 − v (1 − low)).
        sides = [(1.0, -1.0, 1.0 - high), (-1.0, 1.0, low - 1.0)]
        wider = room.nearest(sides, [(0.0, None)] * room.k, 1.0)
        both = None if wider is None else Both(max(1 - wider * (1 - low), 0.0), 1 + wider * (high - 1))
    return Possible(upper, lower, both)
