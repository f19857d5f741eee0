"""Base weights in runs: within a combination of margin categories cases differ in nothing else, so that
sorted by it those below, between and above any bounds are runs."""

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.numerics.arrays import Floats, Ints
from even_ballot.core.numerics.compiled import compiled
from even_ballot.core.numerics.parts import bounded

_PARALLEL_FROM = 400_000
MOST = 20_000_000
"""Runs of several parts that come together: 16 bytes each."""


@compiled
def _gather(index: Any, base: Any, next_: Any, d: Any) -> None:
    """Base weights of cases, combination by combination; next_: (K,), where each begins."""
    for k in range(index.shape[0]):
        if base[k] > 0:
            c = index[k]
            d[next_[c]] = base[k]
            next_[c] += 1


@compiled
def _runs(start: Any, d: Any, value: Any, times: Any, ends: Any) -> int:
    """Ascending values of every combination as runs of equal ones: value, times (how often), and where each
    combination's runs end; how many there are."""
    k = 0
    for c in range(start.shape[0] - 1):
        first = k
        for p in range(start[c], start[c + 1]):
            if k > first and value[k - 1] == d[p]:
                times[k - 1] += 1
            else:
                value[k] = d[p]
                times[k] = 1
                k += 1
        ends[c] = k
    return k


@compiled
def _summed(start: Any, value: Any, before: Any, whole: Any) -> None:
    """before[p]: Σ d of those that come before p in its combination; whole[c]: Σ d of all."""
    for c in range(start.shape[0] - 1):
        total = 0.0
        for p in range(start[c], start[c + 1]):
            before[p] = total
            total += value[p]
        whole[c] = total


@compiled
def _summed_runs(start: Any, value: Any, times: Any, before: Any, cases: Any, whole: Any) -> None:
    """The same of runs; cases[p]: how many come before run p."""
    for c in range(start.shape[0] - 1):
        total, many = 0.0, 0
        for p in range(start[c], start[c + 1]):
            before[p] = total
            cases[p] = many
            total += value[p] * times[p]
            many += times[p]
        whole[c] = total


@dataclass(frozen=True)
class BaseRuns:
    """Base weights above 0 in ascending order within each of K combinations: value, and how many cases have
    it (times; None: one each, a value may come again), (R,); start: (K + 1,), where each combination's runs
    begin."""

    value: Floats
    times: Ints | None
    start: Ints

    def joined(self) -> "BaseRuns":
        """Equal values as one run."""
        value, times = np.empty_like(self.value), np.empty(len(self.value), np.int64)
        ends = np.zeros(len(self.start) - 1, np.int64)
        n = _runs(self.start, self.value, value, times, ends)
        return BaseRuns(value[:n], times[:n], np.concatenate([[0], ends]))

    def merged(self, other: "BaseRuns") -> "BaseRuns":
        """Those of two parts together."""
        combos = len(self.start) - 1
        sides = [x if x.times is not None else x.joined() for x in (self, other)]
        of = np.concatenate([np.repeat(np.arange(combos), np.diff(x.start)) for x in sides])
        value = np.concatenate([x.value for x in sides])
        times = np.concatenate([x.times for x in sides if x.times is not None])
        order = np.lexsort((value, of))
        of, value, times = of[order], value[order], times[order]
        fresh = np.ones(len(of), bool)
        fresh[1:] = (np.diff(of) != 0) | (np.diff(value) != 0)
        at = np.flatnonzero(fresh)
        bounded(
            len(at),
            MOST,
            "Limits need all distinct base weights of each combination of categories",
            "weightings",
            "Round the base weights, or rake without limits.",
        )
        counts = np.bincount(of[at], minlength=combos)
        together = np.add.reduceat(times, at) if len(at) else times
        return BaseRuns(value[at], together, np.concatenate([[0], np.cumsum(counts)]))


def base_runs(index: NDArray[Any], base: Floats, combos: int) -> BaseRuns:
    """The runs of a part: base weights (n,) of cases in combinations index (n,).

    >>> runs = base_runs(np.array([0, 1, 1, 1]), np.array([2.0, 3.0, 1.0, 3.0]), 2)
    >>> runs.value.tolist(), runs.joined().value.tolist(), runs.joined().times.tolist()
    ([2.0, 1.0, 3.0, 3.0], [2.0, 1.0, 3.0], [1, 1, 2])
    """
    counts = np.bincount(index[base > 0], minlength=combos)
    start = np.concatenate([[0], np.cumsum(counts)])
    d = np.empty(int(start[-1]))
    _gather(index, base, start[:-1].copy(), d)

    def sort(combo: range) -> None:
        for c in combo:
            d[start[c] : start[c + 1]].sort()

    if len(d) < _PARALLEL_FROM:
        sort(range(combos))
    else:
        half = int(np.searchsorted(start, len(d) // 2))
        with ThreadPoolExecutor(2) as pool:
            list(pool.map(sort, (range(half), range(half, combos))))
    return BaseRuns(d, None, start)


@dataclass(frozen=True)
class Ordered:
    """Runs of base weights with what comes before each in its combination, so that the weights between any
    bounds are sums of a run: what a factor makes of all cases of a combination takes two searches, however
    many they are. d, before, cases: (R,), a base weight, Σ d and how many before it (cases: empty where every
    run is one case); start (K + 1,); whole, counts: (K,), Σ d and cases of a combination."""

    d: Floats
    before: Floats
    cases: Ints
    start: Ints
    whole: Floats
    counts: Ints


def ordered(runs: BaseRuns) -> Ordered:
    """Runs of all parts, summed up.

    >>> of = ordered(base_runs(np.array([0, 0]), np.array([2.0, 1.0]), 1))
    >>> of.d.tolist(), of.before.tolist(), of.whole.tolist()
    ([1.0, 2.0], [0.0, 1.0], [3.0])
    """
    combos = len(runs.start) - 1
    before, whole = np.empty_like(runs.value), np.zeros(combos)
    if runs.times is None:
        _summed(runs.start, runs.value, before, whole)
        counts = np.diff(runs.start)
        return Ordered(runs.value, before, np.zeros(0, np.int64), runs.start, whole, counts)
    cases = np.empty_like(runs.times)
    _summed_runs(runs.start, runs.value, runs.times, before, cases, whole)
    of = np.repeat(np.arange(combos), np.diff(runs.start))
    counts = np.bincount(of, weights=runs.times, minlength=combos).astype(np.int64)
    return Ordered(runs.value, before, cases, runs.start, whole, counts)
