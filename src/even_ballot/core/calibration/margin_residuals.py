"""Standard errors that know the weights were raked, by linearisation: residuals on the margins."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import Any

import numpy as np
import scipy
from numpy.typing import NDArray

from even_ballot.core.numerics.arrays import Floats, Ints
from even_ballot.core.numerics.grouping import numbered
from even_ballot.core.numerics.parts import Looks, Merge, kept, plus
from even_ballot.core.sampling.case_values import add_rows, blocks
from even_ballot.core.sampling.residuals import Residuals
from even_ballot.core.sampling.sample import OnMargins
from even_ballot.core.sampling.units import UnitOf, Units, apart
from even_ballot.core.weighting.raking import Raked, RakedCases

_FEW = 1 << 22
"""Pairs of unit and combination that are counted without being looked for first."""


def _sizes(raked: Raked) -> list[int]:
    """Categories of each margin; a single one of everybody first, where no margin is of categories."""
    return [
        *([len(m.target) for m in raked.margins] or [1]),
        *(len(of.laid.target) for of in raked.frame.numbers),
    ]


def _columns(raked: Raked) -> Floats:
    """x of a case as a combination of the columns of all categories, (J, J_all): a constant, since Σ w is
    fixed, and each category, less its target's share of its group where the group's total (where an unknown
    is held, that of the known ones) is an estimate; numbers as they are."""
    sizes = _sizes(raked)
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
    first = sum(sizes[: len(sizes) - len(raked.frame.numbers)])
    return np.array([*rows, *np.eye(starts[-1])[first:]])


@dataclass(frozen=True)
class _PairSums:
    """Σ w and Σ w² of the cases of each distinct pair of unit and combination, (pairs,); key: the pairs as
    numbers, ascending."""

    key: Ints
    sums: Floats
    squares: Floats

    def __add__(self, other: "_PairSums") -> "_PairSums":
        if np.array_equal(self.key, other.key):
            return _PairSums(self.key, self.sums + other.sums, self.squares + other.squares)
        key, at = np.unique(np.concatenate([self.key, other.key]), return_inverse=True)
        sums, squares = np.zeros((2, len(key)))
        np.add.at(sums, at.ravel(), np.concatenate([self.sums, other.sums]))
        np.add.at(squares, at.ravel(), np.concatenate([self.squares, other.squares]))
        return _PairSums(key, sums, squares)


def _pairs(
    unit: NDArray[np.int32], combo: NDArray[Any], weight: Floats, combos: int, units: int
) -> _PairSums:
    of, size = unit.astype(np.int64) * combos + combo, units * combos
    # Where there could be few, all are counted, those without a case too.
    key, of = (np.arange(size), of) if size <= min(_FEW, 4 * len(unit)) else numbered(of)
    sums, squares = (np.bincount(of, weights=x, minlength=len(key)) for x in (weight, weight**2))
    return _PairSums(key, sums.astype(np.float64), squares.astype(np.float64))


def _with_units(of_margins: Residuals, units: Units, pairs: _PairSums, x: Floats) -> Residuals:
    """The residuals with Σ w x by unit; x: (combinations, J)."""
    there = np.flatnonzero(pairs.squares)
    unit, combo = np.divmod(pairs.key[there], len(x))
    sums = scipy.sparse.csr_array((pairs.sums[there], (unit, combo)), (units.rows, len(x)))
    found = replace(of_margins, by_unit=np.asarray(sums @ x), size=np.asarray(sums @ np.abs(x)))
    if not units.own:
        return found
    # A row's cases are of one combination; where all weigh nothing, there is no pair, and x may be 0.
    alike, squares = np.zeros((units.rows, x.shape[1])), np.zeros(units.rows)
    alike[unit], squares[unit] = x[combo], pairs.squares[there]
    return replace(found, x=alike, squares=squares)


def with_residuals(
    units: Units, unit: UnitOf, raked: Raked, weight: Sequence[Floats], merge: Merge
) -> tuple[Units, UnitOf, Sequence[OnMargins]]:
    """The design with the residuals of a raking, for every part the rows of its cases in it, and what is
    needed of them; weight: for every part, (n,), the final weights.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> from even_ballot.core.data.cases import Cases
    >>> from even_ballot.core.weighting.raking import rake, with_weight
    >>> from even_ballot.core.weighting.weighting import Margin, Target, Weighting
    >>> targets = tuple(Target(at={"isle": code}, value=0.5) for code in (1, 2))
    >>> weighting = Weighting(margins=(Margin(by=("isle",), targets=targets),))
    >>> raked = rake(ferry(), weighting)
    >>> cases = with_weight(Cases.of(ferry()), raked, "")
    >>> sampled(cases, Design(calibrated=True), "weight", [raked]).units.residuals.sizes
    (2,)
    """
    if raked.frame.numbers:
        return with_numbers(units, unit, raked, weight, merge)
    combos, margins = raked.combos, raked.margins
    if units.own:
        units, unit = apart(units, unit, combos.index, merge)

    categories = np.stack([m.category for m in margins]).astype(np.int32)

    def on_margins_of(index: NDArray[Any], w: Floats, of: RakedCases) -> OnMargins:
        return OnMargins(index, categories, w if of.free is None else np.where(of.free, w, 0.0))

    on_margins = kept(merge, map(on_margins_of, combos.index, weight, raked.parts))
    sizes = tuple(len(m.target) for m in margins)
    starts = np.concatenate([[0], np.cumsum(sizes)[:-1]]).astype(np.int64)
    columns = _columns(raked)
    k = len(combos.base)
    of_combo = np.zeros((k, sum(sizes)))
    for m, margin in enumerate(margins):
        there = np.flatnonzero(margin.category >= 0)
        of_combo[there, starts[m] + margin.category[there]] = 1.0
    x = of_combo @ columns.T
    free = [
        np.bincount(index, weights=of.free, minlength=k)
        for index, of in zip(combos.index, on_margins, strict=True)
    ]
    by_combo = merge(np.add, free)
    inverse = np.asarray(
        np.linalg.pinv(x.T @ (by_combo[:, None] * x), rcond=1e-12, hermitian=True), np.float64
    )
    of_parts = Looks(unit, partial(_pairs, combos=k, units=units.rows), (combos.index, weight))
    pairs: _PairSums = merge(lambda a, b: a + b, of_parts)
    residuals = _with_units(Residuals(sizes, columns, x[:0], x[:0], inverse), units, pairs, x)
    return replace(units, residuals=residuals), unit, on_margins


def _laid(raked: Raked, number: int, weight: Floats) -> OnMargins:
    """What residuals ask of a part's cases where margins fix numbers."""
    index, of = raked.combos.index[number], raked.parts[number]
    rows, values = [m.category for m in raked.margins], list[Floats | None]()
    if not rows:
        rows.append(np.zeros(len(raked.combos.base), np.int64))
    values += [None] * len(rows)
    for fixed in raked.frame.numbers:
        rows.append(fixed.laid.category)
        values.append(fixed.values[number] - fixed.centre[index])
    free = weight if of.free is None else np.where(of.free, weight, 0.0)
    return OnMargins(index, np.stack(rows).astype(np.int32), free, tuple(values))


def _x(on: OnMargins, at: Ints, starts: Ints, columns: Floats) -> Floats:
    """x of some cases, (n, J)."""
    found = np.zeros((len(at), columns.shape[0]))
    for m, value in enumerate(on.value):
        category = on.category(m, at)
        there = category >= 0
        of = columns.T[category[there] + starts[m]]
        found[there] += of if value is None else of * value[at[there], None]
    return found


def with_numbers(
    units: Units, unit: UnitOf, raked: Raked, weight: Sequence[Floats], merge: Merge
) -> tuple[Units, UnitOf, Sequence[OnMargins]]:
    """The same where margins fix numbers, so that cases of a combination differ in x; units: each case that
    is a PSU of its own in a row of its own.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> from even_ballot.core.data.cases import Cases
    >>> from even_ballot.core.weighting.raking import rake, with_weight
    >>> from even_ballot.core.weighting.weighting import Margin, Target, Weighting
    >>> margin = Margin(total_of="w", as_="means", targets=(Target(at={}, value=1.2),))
    >>> raked = rake(ferry(), Weighting(margins=(margin,)))
    >>> cases = with_weight(Cases.of(ferry()), raked, "")
    >>> sampled(cases, Design(calibrated=True), "weight", [raked]).units.residuals.columns.tolist()
    [[1.0, 0.0], [0.0, 1.0]]
    """
    sizes, columns = tuple(_sizes(raked)), _columns(raked)
    starts = np.concatenate([[0], np.cumsum(sizes)]).astype(np.int64)
    laid = tuple(_laid(raked, number, w) for number, w in enumerate(weight))

    def seen(number: int, of: NDArray[np.int32], w: Floats) -> tuple[Floats, Floats, Floats]:
        square = np.zeros((len(columns), len(columns)))
        by_unit, size = np.zeros((2, units.rows, len(columns)))
        for at in blocks(w > 0):
            x = _x(laid[number], at, starts, columns)
            square += (x * laid[number].free[at, None]).T @ x
            add_rows(of[at], w[at], x, by_unit)
            add_rows(of[at], w[at], np.abs(x), size)
        return square, by_unit, size

    parts = [seen(number, *part) for number, part in enumerate(zip(unit, weight, strict=True))]
    square, by_unit, size = merge(plus, parts)
    scale = np.diag(square) > 0
    scale = np.where(scale, 1 / np.sqrt(np.where(scale, np.diag(square), 1)), 0.0)
    scaled = np.linalg.pinv(square * np.outer(scale, scale), rcond=1e-12, hermitian=True)
    inverse = np.asarray(scaled * np.outer(scale, scale), np.float64)
    return replace(units, residuals=Residuals(sizes, columns, by_unit, size, inverse)), unit, laid
