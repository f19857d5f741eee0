"""The distinct combinations of several coded variables' categories, with their base weight sums."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.data.cases import Cases
from even_ballot.core.faults import fault
from even_ballot.core.numerics.arrays import Floats, Ints
from even_ballot.core.numerics.compiled import by_arrays, compiled
from even_ballot.core.numerics.halves import in_halves
from even_ballot.core.numerics.parts import Merge, in_order, kept
from even_ballot.core.weighting.weighting import Weighting

_DENSE = 1 << 20
_BLOCK = 1 << 14


@compiled
def _extend(index: Any, positions: Any, width: int) -> None:
    """index ← index · width + position, an unknown (−1) taking the last place."""
    for k in range(index.shape[0]):
        p = positions[k]
        index[k] = index[k] * width + (p if p >= 0 else width - 1)


@by_arrays(_extend)
def _extended(index: Any, positions: Any, width: int) -> None:
    index *= width
    index += np.where(positions >= 0, positions, width - 1)


@compiled
def _add_up(index: Any, base: Any, sums: Any, cases: Any) -> None:
    """Base weight and cases of positive weight by combination."""
    for k in range(index.shape[0]):
        sums[index[k]] += base[k]
        cases[index[k]] += base[k] > 0


@by_arrays(_add_up)
def _added_up(index: Any, base: Any, sums: Any, cases: Any) -> None:
    np.add.at(sums, index, base)
    cases += np.bincount(index[base > 0], minlength=len(cases))


@compiled
def _multiply(base: Any, factor: Any, index: Any, out: Any) -> None:
    for k in range(index.shape[0]):
        out[k] = base[k] * factor[index[k]]


@by_arrays(_multiply)
def _multiplied(base: Any, factor: Any, index: Any, out: Any) -> None:
    np.multiply(base, factor[index], out=out)


def spread_out(base: Floats, factor: Floats, index: NDArray[Any]) -> Floats:
    """base · factor[index], (n,).

    >>> spread_out(np.array([1.0, 2.0]), np.array([10.0, 100.0]), np.array([1, 0])).tolist()
    [100.0, 20.0]
    """
    out = np.empty(len(base))
    in_halves(len(base), lambda lo, hi: _multiply(base[lo:hi], factor, index[lo:hi], out[lo:hi]))
    return out


@dataclass(frozen=True)
class CombinationSums:
    """Base weight and cases of positive weight by combination, (K,); keys: the combinations as numbers,
    ascending."""

    keys: Ints
    base: Floats
    cases: Ints

    def __add__(self, other: "CombinationSums") -> "CombinationSums":
        if np.array_equal(self.keys, other.keys):
            return CombinationSums(self.keys, self.base + other.base, self.cases + other.cases)
        keys, at = np.unique(np.concatenate([self.keys, other.keys]), return_inverse=True)
        base, cases = np.zeros(len(keys)), np.zeros(len(keys), np.int64)
        np.add.at(base, at.ravel(), np.concatenate([self.base, other.base]))
        np.add.at(cases, at.ravel(), np.concatenate([self.cases, other.cases]))
        return CombinationSums(keys, base, cases)


@dataclass(frozen=True)
class Combinations:
    """The distinct combinations of several coded variables' categories.

    index: for every part each case's combination, (n,). places: (K, variables), positions among the
    variable's categories, −1 unknown. base: (K,), Σ d over the cases. cases: (K,), how many of positive
    weight.
    """

    names: tuple[str, ...]
    index: Sequence[NDArray[Any]]
    places: Ints
    base: Floats
    cases: Ints

    def place(self, names: tuple[str, ...]) -> Ints:
        """The columns of `places` of some variables."""
        return self.places[:, [self.names.index(name) for name in names]]


def _summed(
    columns: Sequence[NDArray[Any]], widths: Sequence[int], base: Floats, size: int
) -> tuple[CombinationSums, NDArray[Any]]:
    """One part's sums, and each case's place among their keys.

    Goes block by block, so that a block's index stays in the processor's cache over all columns.
    """
    dense = size <= _DENSE
    index = np.zeros(len(base), np.int32 if dense else np.int64)

    def half(start: int, stop: int) -> tuple[Floats, Ints]:
        sums, cases = np.zeros(size if dense else 0), np.zeros(size if dense else 0, np.int64)
        for lo in range(start, stop, _BLOCK):
            at = slice(lo, min(lo + _BLOCK, stop))
            for positions, width in zip(columns, widths, strict=True):
                _extend(index[at], positions[at], width)
            if dense:
                _add_up(index[at], base[at], sums, cases)
        return sums, cases

    halves = in_halves(len(base), half)
    if dense:
        sums, cases = (sum(side[1:], side[0]) for side in zip(*halves, strict=True))
        return CombinationSums(np.arange(size), sums, cases), index
    keys, inverse = np.unique(index, return_inverse=True)
    index = inverse.ravel()
    sums = np.bincount(index, weights=base, minlength=len(keys)).astype(np.float64)
    return CombinationSums(keys, sums, np.bincount(index[base > 0], minlength=len(keys))), index


def combine(
    columns: Sequence[Sequence[NDArray[Any]]],
    widths: Sequence[int],
    base: Sequence[Floats],
    names: tuple[str, ...] = (),
    merge: Merge = in_order,
) -> Combinations:
    """Combinations of positions. columns: for every part those of every variable, (n,); widths: categories of
    each variable, the unknown included; base: for every part, (n,).

    >>> found = combine([[np.array([0, 1, 1])]], [3], [np.array([1.0, 2.0, 3.0])], ("isle",))
    >>> found.base.tolist(), found.cases.tolist()
    ([1.0, 5.0, 0.0], [1, 2, 0])
    """
    size = int(np.prod([float(w) for w in widths])) if widths else 1
    if size > 1 << 62:
        raise fault("These margins have too many combinations of categories.", "", "Cross fewer variables.")
    seen = kept(merge, (_summed(of, widths, d, size) for of, d in zip(columns, base, strict=True)))
    whole = merge(lambda a, b: a + b, [sums for sums, _ in seen])
    placed = (
        at if len(sums.keys) == len(whole.keys) else np.searchsorted(whole.keys, sums.keys)[at]
        for sums, at in seen
    )
    index = kept(merge, placed)
    places = np.zeros((len(whole.keys), len(widths)), np.int64)
    rest = whole.keys
    for j in range(len(widths) - 1, -1, -1):
        rest, places[:, j] = np.divmod(rest, widths[j])
        places[places[:, j] == widths[j] - 1, j] = -1
    return Combinations(names, index, places, whole.base, whole.cases)


def combinations_of(
    cases: Cases, weighting: Weighting, base: Sequence[Floats], codes: dict[str, list[int]]
) -> Combinations:
    """The combinations of all variables a weighting's margins and groups use; codes: of each, in the order of
    its positions.

    >>> from even_ballot.core.data.example import ferry
    >>> cases = Cases.of(ferry())
    >>> combinations_of(cases, Weighting(), [np.ones(8)], {"isle": [1, 2]}).cases.tolist()
    [3, 5, 0]
    """
    names = tuple(codes)
    columns = cases.each(lambda part: [part.positions(name) for name in names])
    return combine(columns, [len(codes[name]) + 1 for name in names], base, names, cases.merge)
