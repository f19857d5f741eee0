"""Quantiles and modes of weighted values: from all of them where they are few, else by passes that close in
on what is wanted."""

from abc import ABC, abstractmethod
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from even_ballot.core.numerics.arrays import Floats, Ints
from even_ballot.core.numerics.grouping import numbered
from even_ballot.core.numerics.parts import Looks, Merge, with_others

HELD = 2_000_000
"""Distinct values of one domain that are held at once, where cases come in parts."""
_PIVOTS = 4096
_MET = 1e-9


def met(cumulative: Floats, q: float, whole: float) -> int:
    """The first place at which cumulative weights reach q of the whole, (k,); k where none does.

    >>> met(np.array([1.0, 2.0, 4.0]), 0.5, 4.0)
    1
    """
    return int(np.searchsorted(cumulative, q * whole - _MET * whole, side="left"))


class Ranks(ABC):
    """The values of one domain in ascending order, with their weights."""

    @abstractmethod
    def distinct(self) -> Floats | None:
        """The values, (k,); None where they are too many to be held."""

    @abstractmethod
    def modes(self) -> list[float]:
        """Every value of the largest weight."""

    @abstractmethod
    def quantile(self, q: float) -> float:
        """The smallest value whose cumulative weight passes q of the whole; where one meets it (to 1e-9 of
        the whole), the mean with the next."""


@dataclass(frozen=True)
class Ranked(Ranks):
    """All of them: value, cumulative: (k,), k ≥ 1; ties joined."""

    value: Floats
    cumulative: Floats

    def distinct(self) -> Floats:
        return self.value

    def modes(self) -> list[float]:
        weight = np.diff(self.cumulative, prepend=0.0)
        return [float(v) for v in self.value[weight >= weight.max() * (1 - 1e-12)]]

    def quantile(self, q: float, of: float | None = None) -> float:
        """of: the whole weight, where these are not all."""
        whole = self.cumulative[-1] if of is None else of
        if q <= 0:
            return float(self.value[0])
        if q >= 1:
            return float(self.value[-1])
        at = min(met(self.cumulative, q, whole), len(self.value) - 1)
        if abs(self.cumulative[at] - q * whole) <= _MET * whole and at + 1 < len(self.value):
            return float(self.value[at] / 2 + self.value[at + 1] / 2)
        return float(self.value[at])


@dataclass(frozen=True)
class ValueHistogram:
    """Distinct values in ascending order, with the weight of each, (k,)."""

    value: Floats
    weight: Floats

    def merged(self, other: "ValueHistogram") -> "ValueHistogram":
        """Of two parts together."""
        value, at = np.unique(np.concatenate([self.value, other.value]), return_inverse=True)
        weight = np.bincount(at.ravel(), np.concatenate([self.weight, other.weight]), len(value))
        return ValueHistogram(value, weight.astype(np.float64))

    def ranked(self) -> Ranked:
        """With cumulative weights."""
        return Ranked(self.value, np.cumsum(self.weight))


def value_histogram(value: Floats, weight: Floats) -> ValueHistogram:
    """Of the cases of one part: value, weight: (k,).

    >>> value_histogram(np.array([2.0, 1.0, 2.0]), np.array([1.0, 1.0, 3.0])).weight.tolist()
    [1.0, 4.0]
    """
    distinct, index = numbered(value)
    weights = np.bincount(index, weights=weight, minlength=len(distinct))
    return ValueHistogram(distinct, weights.astype(np.float64))


def ranked(value: Floats, weight: Floats) -> Ranked:
    """Sorts a domain's values, joining ties.

    >>> ranked(np.array([3.0, 1.0, 2.0]), np.array([1.0, 1.0, 1.0])).quantile(0.5)
    2.0
    """
    return value_histogram(value, weight).ranked()


PartValues = Callable[[], tuple[Floats, Floats]]
"""Gives the values and weights of a part's cases in the domain, (k,) each, anew at each pass."""


@dataclass(frozen=True)
class Bins:
    """Between pivots p₀ < p₁ < …, bin j being p_j−1 < y ≤ p_j: weight, (B,), or by several sets of weights,
    (B, R); least, most: the smallest and largest value in each, ∞ and −∞ where there is none; cases: how
    many."""

    weight: Floats
    least: Floats
    most: Floats
    cases: Ints

    def merged(self, other: "Bins") -> "Bins":
        return Bins(
            self.weight + other.weight,
            np.minimum(self.least, other.least),
            np.maximum(self.most, other.most),
            self.cases + other.cases,
        )


class Bracketed(Ranks):
    """Values too many to be held at once: every pass over the parts counts weights between pivots, and closes
    in on the bin that holds what is wanted until few enough are left in it. Memory: parts × pivots, and
    `held` values."""

    def __init__(self, parts: Sequence[PartValues], merge: Merge, held: int = HELD) -> None:
        self._parts, self._merge, self._held = parts, merge, held
        self._pivots = merge(
            lambda a, b: some_values(np.union1d(a, b)), [some_values(of()[0]) for of in parts]
        )
        self._bins = self._count(self._pivots)
        self._whole = float(self._bins.weight.sum())

    def distinct(self) -> None:
        return None

    def _count(self, pivots: Floats, low: float = -np.inf, high: float = np.inf) -> Bins:
        """Of the values low < y ≤ high."""

        def of(part: PartValues) -> Bins:
            value, weight = part()
            inside = (value > low) & (value <= high)
            value, weight = value[inside], weight[inside]
            at, size = np.searchsorted(pivots, value, side="left"), len(pivots) + 1
            least, most = np.full(size, np.inf), np.full(size, -np.inf)
            np.minimum.at(least, at, value)
            np.maximum.at(most, at, value)
            weights = np.bincount(at, weights=weight, minlength=size).astype(np.float64)
            return Bins(weights, least, most, np.bincount(at, minlength=size))

        return self._merge(Bins.merged, [of(part) for part in self._parts])

    def _values(self, low: float, high: float) -> ValueHistogram:
        """The values low < y ≤ high."""

        def of(part: PartValues) -> ValueHistogram:
            value, weight = part()
            inside = (value > low) & (value <= high)
            return value_histogram(value[inside], weight[inside])

        return self._merge(ValueHistogram.merged, [of(part) for part in self._parts])

    def _next(self, after: float) -> float | None:
        """The smallest value beyond another."""
        least = self._count(np.array([after])).least[1]
        return float(least) if np.isfinite(least) else None

    def quantile(self, q: float) -> float:
        if q <= 0:
            return float(self._bins.least.min())
        if q >= 1:
            return float(self._bins.most.max())
        aim, slack = q * self._whole, _MET * self._whole
        before, pivots, bins = 0.0, self._pivots, self._bins
        while True:
            reached = before + np.cumsum(bins.weight)
            # The last bins may fall short of the whole by rounding.
            at = min(int(np.searchsorted(reached, aim - slack)), int(np.flatnonzero(bins.cases)[-1]))
            before = before if at == 0 else float(reached[at - 1])
            low, high = float(bins.least[at]), float(bins.most[at])
            if low == high or bins.cases[at] <= self._held:
                break
            pivots = _between(low, high)
            bins = self._count(pivots, np.nextafter(low, -np.inf), high)
        values = self._values(np.nextafter(low, -np.inf), high)
        reached = before + np.cumsum(values.weight)
        k = min(int(np.searchsorted(reached, aim - slack)), len(values.value) - 1)
        found = float(values.value[k])
        if abs(reached[k] - aim) <= slack:
            after = float(values.value[k + 1]) if k + 1 < len(values.value) else self._next(found)
            return found if after is None else (found + after) / 2
        return found

    def modes(self) -> list[float]:
        best, found = 0.0, list[tuple[float, float]]()
        for low, high in self._ranges(self._bins):
            values = self._values(np.nextafter(low, -np.inf), high)
            best = max(best, float(values.weight.max()))
            near = values.weight >= best * (1 - 1e-12)
            found = [(v, w) for v, w in found if w >= best * (1 - 1e-12)]
            found += list(zip(values.value[near].tolist(), values.weight[near].tolist(), strict=True))
        return [value for value, _ in found]

    def _ranges(self, bins: Bins) -> list[tuple[float, float]]:
        """Ranges of values that can be held at once, ascending, from their smallest to their largest."""
        found: list[tuple[float, float]] = []
        room = 0
        for least, most, cases in zip(bins.least, bins.most, bins.cases, strict=True):
            if not cases:
                continue
            if cases > self._held and least < most:
                finer = self._count(_between(least, most), np.nextafter(least, -np.inf), most)
                found += self._ranges(finer)
                room = 0
            elif found and cases <= room:
                found[-1] = (found[-1][0], float(most))
                room -= int(cases)
            else:
                found.append((float(least), float(most)))
                room = self._held - int(cases)
        return found


def some_values(values: Floats) -> Floats:
    """At most so many of the values as there are pivots, spread evenly over their order.

    >>> some_values(np.array([2.0, 1.0, 2.0])).tolist()
    [1.0, 2.0]
    """
    ordered = np.unique(values)
    if len(ordered) <= _PIVOTS:
        return ordered
    return np.asarray(ordered[np.linspace(0, len(ordered) - 1, _PIVOTS).astype(np.int64)])


def _between(low: float, high: float) -> Floats:
    """Pivots that part a range evenly."""
    return np.unique(low + (high - low) * np.linspace(0, 1, _PIVOTS + 1)[1:-1])


def ranks_of(parts: Sequence[PartValues], merge: Merge, held: int = HELD) -> Ranks | None:
    """The values of a domain; None where it has no case.

    >>> from even_ballot.core.numerics.parts import in_order
    >>> low, high = (lambda: (np.array([1.0, 2.0]), np.ones(2))), (lambda: (np.array([3.0]), np.ones(1)))
    >>> ranks_of([low, high], in_order).quantile(0.5)
    2.0
    """
    if len(parts) == 1 and not with_others(merge):
        value, weight = parts[0]()
        return ranked(value, weight) if len(value) else None

    def seen(of: PartValues) -> ValueHistogram | None:
        found = value_histogram(*of())
        return found if len(found.value) <= held else None

    def add(a: ValueHistogram | None, b: ValueHistogram | None) -> ValueHistogram | None:
        """None where they are too many to be held."""
        if a is None or b is None or len(a.value) + len(b.value) > held:
            return None
        return a.merged(b)

    whole = merge(add, Looks(parts, seen))
    if whole is None:
        return Bracketed(parts, merge, held)
    return whole.ranked() if len(whole.value) else None


def unweighted_quantile(ranks: Ranks, n: int, q: float) -> float:
    """Of n values that weigh 1 each: between the two that it lies between, as NumPy puts it.

    >>> unweighted_quantile(ranked(np.array([3.0, 1.0]), np.ones(2)), 2, 0.25)
    1.5
    """
    at, rest = divmod(q * (n - 1), 1)
    two = [ranks.quantile((min(k, n - 1) + 0.5) / n) for k in (at, at + 1)]
    return float(np.quantile(two, rest))
