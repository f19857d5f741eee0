"""Quantiles of the same values by several sets of weights: from all of them, or by passes over parts that
close in on the range that holds them all."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial

import numpy as np

from even_ballot.core.estimation.quantiles import HELD, Bins, Ranked, met, some_values
from even_ballot.core.numerics.arrays import Floats
from even_ballot.core.numerics.parts import Looks, Merge, with_others

SeveralWeights = Callable[[slice], tuple[Floats, Floats]]
"""Gives the values of a part's cases in the domain, (k,), and their weights in some of the sets, (k, R), anew
at each pass."""


def quantiles_again(value: Floats, weight: Floats, q: float) -> Floats:
    """The same quantile by several sets of weights, (R,): value: (n,); weight: (n, R). NaN where no weight is
    left.

    >>> weights = np.array([[1.0, 0.0], [1.0, 1.0], [1.0, 1.0]])
    >>> quantiles_again(np.array([3.0, 1.0, 2.0]), weights, 0.5).tolist()
    [2.0, 1.5]
    """
    return _Values.of(value, weight).quantiles(q, np.zeros(weight.shape[1]), None)


@dataclass(frozen=True)
class _Values:
    """Distinct values in ascending order, (k,), with their weights, (k, R)."""

    value: Floats
    weight: Floats

    @classmethod
    def of(cls, value: Floats, weight: Floats) -> "_Values":
        order = np.argsort(value, kind="stable")
        value, weight = value[order], weight[order]
        first = np.flatnonzero(np.append(True, value[1:] != value[:-1])) if len(value) else _NONE
        return cls(value[first], np.add.reduceat(weight, first, axis=0) if len(first) else weight[:0])

    def merged(self, other: "_Values") -> "_Values":
        return _Values.of(
            np.concatenate([self.value, other.value]), np.concatenate([self.weight, other.weight])
        )

    def quantiles(self, q: float, before: Floats, whole: Floats | None) -> Floats:
        """Where these are those of a range: before: the weight of what is below it, (R,), whole: of all; they
        hold the quantile and the value beyond it."""
        found = np.full(self.weight.shape[1], np.nan)
        for r in range(self.weight.shape[1]):
            weight = self.weight[:, r]
            there = weight > 0
            if there.any():
                cumulative = before[r] + np.cumsum(weight[there])
                of = cumulative[-1] if whole is None else whole[r]
                found[r] = Ranked(self.value[there], cumulative).quantile(q, of)
        return found


_NONE = np.zeros(0, np.int64)


def _held(bins: Bins, first: int, last: int) -> int:
    """How many values some bins hold at most."""
    here = slice(first, last + 1)
    return int(np.where(bins.least[here] == bins.most[here], 1, bins.cases[here]).sum())


def _span(bins: Bins, q: float, before: Floats, whole: Floats) -> tuple[int, int]:
    """The first and the last bin in which some set has its quantile or the value beyond it; sets without
    weight have none."""
    has, every = bins.weight > 0, np.arange(len(bins.cases))
    first, last = len(every), -1
    for r in np.flatnonzero(has.any(0)):
        there = every[has[:, r]]
        reached = before[r] + np.cumsum(bins.weight[there, r])
        k = min(met(reached, q, whole[r]), len(there) - 1)
        # Sums made in another order may say that the last is not quite reached.
        first = min(first, int(there[max(k - 1, 0)]))
        last = max(last, int(there[min(k + 2, len(there) - 1)]))
    return first, last


def _inside(seen: tuple[Floats, Floats], low: float, high: float) -> tuple[Floats, Floats]:
    value, weight = seen
    at = (value >= low) & (value <= high)
    return value[at], weight[at]


def _bins(value: Floats, weight: Floats, pivots: Floats) -> Bins:
    at, size = np.searchsorted(pivots, value, side="left"), len(pivots) + 1
    least, most = np.full(size, np.inf), np.full(size, -np.inf)
    np.minimum.at(least, at, value)
    np.maximum.at(most, at, value)
    sums = np.stack([np.bincount(at, weights=column, minlength=size) for column in weight.T], 1)
    return Bins(sums.astype(np.float64), least, most, np.bincount(at, minlength=size))


class _Closing:
    """Closes in on a quantile of some sets of weights. held: values that may be held at once, by sets."""

    def __init__(self, parts: Sequence[SeveralWeights], sets: slice, merge: Merge, held: int) -> None:
        self.parts, self.sets, self.merge, self.held = parts, sets, merge, held

    def _count(self, pivots: Floats, low: float, high: float) -> Bins:
        def look(part: SeveralWeights) -> Bins:
            return _bins(*_inside(part(self.sets), low, high), pivots)

        return self.merge(Bins.merged, Looks(self.parts, look))

    def _pivots(self, low: float, high: float) -> Floats:
        """Some of the values, evenly over their order: what lies between two of them is ever less."""
        first = slice(self.sets.start, self.sets.start + 1)

        def look(part: SeveralWeights) -> Floats:
            return some_values(_inside(part(first), low, high)[0])

        return self.merge(lambda a, b: some_values(np.union1d(a, b)), Looks(self.parts, look))

    def quantiles(self, q: float) -> Floats:
        """(R,)"""
        low, high = -np.inf, np.inf
        bins = self._count(self._pivots(low, high), low, high)
        sets = bins.weight.shape[1]
        before, whole = np.zeros(sets), bins.weight.sum(0)
        while whole.any():
            start, end = _span(bins, q, before, whole)
            before = before + bins.weight[:start].sum(0)
            last, (low, high) = (low, high), (float(bins.least[start]), float(bins.most[end]))
            near = (low, high) == last
            if near and sets > 1:
                return self._apart(q)
            if near or _held(bins, start, end) * sets <= self.held:
                look = partial(self._values, low=low, high=high)
                return self.merge(_Values.merged, Looks(self.parts, look)).quantiles(q, before, whole)
            bins = self._count(self._pivots(low, high), low, high)
        return np.full(sets, np.nan)

    def _values(self, part: SeveralWeights, low: float, high: float) -> _Values:
        return _Values.of(*_inside(part(self.sets), low, high))

    def _apart(self, q: float) -> Floats:
        """Sets whose quantiles lie far apart, in halves."""
        middle = (self.sets.start + self.sets.stop) // 2
        halves = slice(self.sets.start, middle), slice(middle, self.sets.stop)
        return np.concatenate([_Closing(self.parts, of, self.merge, self.held).quantiles(q) for of in halves])


def quantiles_over(
    parts: Sequence[SeveralWeights], sets: slice, q: float, merge: Merge, held: int = HELD
) -> Floats:
    """The same quantile by several sets of weights over parts, (R,): NaN where no weight is left.

    >>> from even_ballot.core.numerics.parts import in_order
    >>> low = lambda of: (np.array([3.0, 1.0]), np.array([[1.0, 0.0], [1.0, 1.0]])[:, of])
    >>> high = lambda of: (np.array([2.0]), np.array([[1.0, 1.0]])[:, of])
    >>> quantiles_over([low, high], slice(0, 2), 0.5, in_order).tolist()
    [2.0, 1.5]
    """
    if len(parts) == 1 and not with_others(merge):
        return quantiles_again(*parts[0](sets), q)
    return _Closing(parts, sets, merge, held).quantiles(q)
