"""Cases grouped by several variables."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.data.cases import Cases
from even_ballot.core.data.dataset import Dataset
from even_ballot.core.faults import fault, some
from even_ballot.core.lazy import lazy
from even_ballot.core.numerics.arrays import Ints
from even_ballot.core.numerics.grouping import numbered
from even_ballot.core.numerics.parts import bounded, kept

_MOST = 1 << 62
MOST = 20_000_000
"""Groups, and values of a variable, of all parts together."""
_MEND = "Name variables that divide the cases into fewer groups."
Key = tuple[float | str, ...]


@dataclass(frozen=True)
class Groups:
    """index: for every part the group of each case, (n,), −1 where a variable was not answered. keys: of
    each group what its cases are alike in, a value or word a variable: numbers ascending, words in the order
    of the column's words."""

    index: Sequence[Ints]
    keys: tuple[Key, ...]


@dataclass(frozen=True)
class _Occurring:
    """What a variable was answered with, ascending, and the place of each among the words of its column,
    (k,)."""

    values: NDArray[Any]
    first: Ints

    def merged(self, other: "_Occurring") -> "_Occurring":
        values, at = np.unique(np.concatenate([self.values, other.values]), return_inverse=True)
        first = np.full(len(values), np.iinfo(np.int64).max)
        np.minimum.at(first, at.ravel(), np.concatenate([self.first, other.first]))
        return _Occurring(values, first)

    @lazy
    def order(self) -> Ints:
        """The values in the order they are counted in."""
        worded = self.values.dtype.kind == "U"
        return np.argsort(self.first, kind="stable") if worded else np.arange(len(self.values))


def _occurring(data: Dataset, name: str) -> tuple[_Occurring, Ints]:
    """What a variable was answered with in a part, and each case's place among it, (n,), −1 unanswered."""
    column = data.column(name)
    there = column.answered
    found, place = numbered(column.values[there])
    first = np.zeros(len(found), np.int64)
    if data.variable(name).kind == "text":
        words, worded = np.unique(np.array([column.words[i] for i in found], np.str_), return_inverse=True)
        first = np.full(len(words), np.iinfo(np.int64).max)
        np.minimum.at(first, worded.ravel(), found)
        found, place = words, worded.ravel()[place]
    at = np.full(data.n, -1, np.int64)
    at[there] = place
    return _Occurring(found, first), at


def grouped(data: Dataset | Cases, names: Sequence[str], where: str = "") -> Groups:
    """Groups of cases alike in all of some variables: one where none is named. Raises StudyError where there
    are too many to be told apart.

    A first look says what occurs, so that the groups of all parts are the same.

    >>> from even_ballot.core.data.example import ferry
    >>> groups = grouped(ferry(), ["isle", "boat"])
    >>> groups.keys, groups.index[0].tolist()
    (((1, 1.0), (1, 2.0), (2, 3.0), (2, 4.0)), [0, 0, 1, 2, 2, 3, 3, 3])
    """
    cases = Cases.of(data)
    combined = cases.each(lambda part: np.zeros(part.n, np.int64))
    occurring: list[_Occurring] = []
    size = 1
    for name in names:
        seen = cases.each(lambda part, of=name: _occurring(part, of))
        occurring.append(cases.merge(_Occurring.merged, [found for found, _ in seen]))
        if cases.several:
            bounded(len(occurring[-1].values), MOST, f"Values of {name}", where, _MEND)
        size *= max(len(occurring[-1].values), 1)
        if size > _MOST:
            raise fault("These variables have too many groups of cases.", where, "Name fewer of them.")
        pairs = zip(combined, seen, strict=True)
        combined = kept(cases.merge, (_extended(i, found, at, occurring[-1]) for i, (found, at) in pairs))
    placed = kept(cases.merge, map(numbered, combined))
    groups = cases.merge(np.union1d, [found[found >= 0] for found, _ in placed])
    if cases.several:
        bounded(len(groups), MOST, f"Groups by {some(names)}", where, _MEND)
    index = (np.where(found >= 0, np.searchsorted(groups, found), -1)[at] for found, at in placed)
    return Groups(kept(cases.merge, index), tuple(_key(int(value), occurring) for value in groups))


def _extended(index: Ints, found: _Occurring, at: Ints, occurring: _Occurring) -> Ints:
    """Groups by one variable more; found: what occurs in the part, at: each case's place among it."""
    if not len(found.values):
        return np.full(len(index), -1, np.int64)
    counted = np.argsort(occurring.order)
    place = counted[np.searchsorted(occurring.values, found.values)]
    return np.where((index >= 0) & (at >= 0), index * len(counted) + place[np.maximum(at, 0)], -1)


def _key(value: int, occurring: Sequence[_Occurring]) -> Key:
    parts: list[float | str] = []
    for of in reversed(occurring):
        value, at = divmod(value, len(of.values))
        parts.append(of.values[of.order[at]].item())
    return tuple(reversed(parts))
