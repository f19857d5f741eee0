"""Merged tallies laid out in the rows that the variances of a design are made of.

Every layout adds up over its rows to the totals of the cases. Its rows are those of units; where there are
replicates, those that stand for them; where residuals are wanted, of units, then of the categories of the
margins, with a last one that takes these out of the sum again.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.numerics.arrays import Floats, Ints
from even_ballot.core.sampling.replicates import ByCase, ByUnit
from even_ballot.core.sampling.tallies import NumberTally, Tally
from even_ballot.core.sampling.units import Units


@dataclass(frozen=True)
class Tallied:
    """A finished tally: counts (R, C); w, Σ w by row, (U, R, C); own as in `Tally`; present: (U, R, C), by
    unit how many cases where every case is its own PSU, else whether there are."""

    counts: Ints
    w: Floats
    own: Floats | None
    present: NDArray[Any]


@dataclass(frozen=True)
class Moments:
    """Finished sums of a number y less `shift`, (C,), as in `NumberTally`; present: (U, C), as in `Tallied`.
    df: (1 + C,), PSUs less strata among the cases of everybody, then of each column."""

    shift: Floats
    counts: Ints
    w: Floats
    wy: Floats
    size: Floats | None
    own: Floats | None
    present: NDArray[Any]
    df: Ints | None = None

    def at(self, column: int) -> "Moments":
        """One of its columns."""
        of = slice(column, column + 1)
        parts = (self.shift[of], self.counts[of], self.w[:, of], self.wy[:, of])
        size = None if self.size is None else self.size[:, of]
        own = None if self.own is None else self.own[:, :, of]
        return Moments(*parts, size, own, self.present[:, of])

    @classmethod
    def beside(cls, columns: "Sequence[Moments]") -> "Moments":
        """Columns beside one another."""

        def side(name: str) -> Any:
            of = [getattr(column, name) for column in columns]
            return None if of[0] is None else np.concatenate(of, -1)

        return cls(*map(side, ("shift", "counts", "w", "wy", "size", "own", "present")))


def finish(t: Tally, units: Units) -> Tallied:
    """A tally of all cases in the rows of its design.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> from even_ballot.core.sampling.tallies import tally
    >>> sample = sampled(ferry(), Design(clusters=("boat",)), "w")
    >>> (part,), units = sample.parts, sample.units
    >>> one = np.zeros(8, np.int8)
    >>> done = finish(tally(one, one, part.unit, part.weight, (units.rows, 1, 1)), units)
    >>> done.w.ravel().tolist(), done.present.ravel().tolist()
    ([2.0, 2.0, 2.5, 2.5], [True, True, True, True])
    """
    present = np.asarray(t.w > 0 if t.own is None else t.own[: units.rows])
    if isinstance(units.replicates, ByCase):
        assert t.again is not None
        w = units.replicates.rows(t.again, t.w.sum(0).ravel()).reshape(-1, *t.w.shape[1:])
        return Tallied(t.counts, w, None, present)
    if isinstance(units.replicates, ByUnit):
        return Tallied(t.counts, units.replicates.rows(t.w), None, present)
    return Tallied(t.counts, t.w if t.margins is None else _beside(t.w, t.margins), t.own, present)


def finish_number(t: NumberTally, units: Units) -> Moments:
    """A number's tally of all cases in the rows of its design.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> from even_ballot.core.sampling.tallies import tally_number
    >>> sample = sampled(ferry(), Design(clusters=("boat",)), "w")
    >>> (part,), units = sample.parts, sample.units
    >>> age = part.data.column("age")
    >>> all_of, shape = np.zeros(8, np.int8), (units.rows, 1)
    >>> t = tally_number(age.values, age.answered, all_of, part.unit, part.weight, shape)
    >>> finish_number(t, units).shift.round(2).tolist()
    [38.06]
    """
    present = (t.w > 0).astype(np.int64) if t.own is None else t.own[0]
    w, wy = t.w, t.wy
    if units.replicates is not None:
        if isinstance(units.replicates, ByCase):
            assert t.again is not None
            w, wy = (
                units.replicates.rows(again, of.sum(0)) for again, of in zip(t.again, (w, wy), strict=True)
            )
        elif isinstance(units.replicates, ByUnit):
            w, wy = units.replicates.rows(w), units.replicates.rows(wy)
        return Moments(t.shift, t.counts, w, wy, None, None, present)
    if t.margins is not None:
        w, wy = _beside(w, t.margins[0]), _beside(wy, t.margins[1])
    return Moments(t.shift, t.counts, w, wy, t.size, t.own, present)


def degrees(present: NDArray[Any], units: Units) -> Ints:
    """PSUs less strata of each of S sets of cases. present: (U, *S), PSUs with such cases: how many where
    every case is its own, else whether there are.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> sample = sampled(ferry(), Design(strata=("isle",), clusters=("boat",)), "w")
    >>> degrees(np.ones((4, 1)), sample.units).tolist()
    [2]
    """
    there = np.asarray(present) > 0
    starts = np.flatnonzero(np.diff(units.stratum, prepend=-1))
    strata = np.logical_or.reduceat(there, starts, axis=0).sum(0)
    psus = present.sum(0).astype(np.int64) if units.own else there.sum(0)
    return np.asarray(psus - strata)


def _beside(rows: Floats, below: Floats) -> Floats:
    """Rows with those of categories below, and one that makes the sum what it was."""
    return np.concatenate([rows, below, -below.sum(0, keepdims=True)])
