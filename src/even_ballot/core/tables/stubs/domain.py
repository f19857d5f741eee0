"""The cases a table is made of, counted in the layout that their design's variances need."""

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.data.dataset import Dataset
from even_ballot.core.numerics.arrays import Bools, Floats, Ints
from even_ballot.core.sampling.replicates import ByCase, ByUnit
from even_ballot.core.sampling.tallies import Moments, Tally, in_halves, tally, tally_number
from even_ballot.core.sampling.units import Units
from even_ballot.core.tables.banner import BannerColumns


@dataclass(frozen=True)
class Domain:
    """The cases of a table: their design, weight and (for one filter) which of them count.

    Every tally adds up over its rows to the totals of the cases. Its rows are those of units; where there
    are replicates, those that stand for them; where residuals are wanted, of units, then of the categories
    of the margins, with a last one that takes these out of the sum again.
    """

    data: Dataset
    units: Units
    weight: Floats
    inside: Bools | None

    @property
    def who(self) -> Bools:
        """Cases in the filter, those of weight 0 left out."""
        return self.weight > 0 if self.inside is None else self.inside & (self.weight > 0)

    @property
    def cases(self) -> int:
        """How many they are."""
        inside = self.inside

        def part(lo: int, hi: int) -> int:
            there = self.weight[lo:hi] > 0
            return int(np.count_nonzero(there if inside is None else there & inside[lo:hi]))

        return sum(in_halves(len(self.weight), part))

    def tally(self, stub: NDArray[Any], over: BannerColumns, height: int) -> Tally:
        """Sums by row × stub category × banner category, the last that of cases without an answer there.
        stub: (n,), below 0 for cases that do not count."""
        units, weight = self.units, self.weight
        banner, width = over.index, over.columns + 1
        shape = (units.rows, height, width)
        t = tally(stub, banner, units.unit, weight, shape, units.weights.centre if units.weights else None)
        present = t.w > 0 if t.own is None else t.own[: units.rows]
        t = replace(t, present=present)
        if isinstance(units.replicates, ByCase):
            cell = np.where(stub >= 0, stub.astype(np.int64) * width + banner, -1)
            rows = units.replicates.rows(cell, None, t.w.sum(0).ravel())
            return replace(t, w=rows.reshape(-1, height, width), own=None)
        if isinstance(units.replicates, ByUnit):
            return replace(t, w=units.replicates.rows(t.w), own=None)
        if units.residuals is None:
            return t
        extra = []
        for category, size in zip(units.residuals.category, units.residuals.sizes, strict=True):
            counted = np.where(category >= 0, stub, -1).astype(stub.dtype)
            extra.append(tally(counted, banner, category, units.residuals.free, (size, height, width)).w)
        return replace(t, w=_beside(t.w, extra))

    def tally_number(self, y: Floats, inside: Bools, over: BannerColumns) -> Moments:
        """Sums of a number by row × banner category. y: (n,); inside: (n,), who counts."""
        units, weight = self.units, self.weight
        banner, width = over.index, over.columns + 1
        m = tally_number(y, inside, banner, units.unit, weight, (units.rows, width), units.own)
        m = replace(
            m, df=degrees(over.laid((m.w > 0).astype(np.int64) if m.own is None else m.own[0]), units)
        )
        if isinstance(units.replicates, ByCase):
            cell = np.where(inside, banner, -1).astype(np.int64)
            shifted = y - m.shift[banner]
            w, wy = (
                units.replicates.rows(cell, of, full.sum(0)) for of, full in ((None, m.w), (shifted, m.wy))
            )
            return replace(m, w=w, wy=wy, own=None)
        if isinstance(units.replicates, ByUnit):
            return replace(m, w=units.replicates.rows(m.w), wy=units.replicates.rows(m.wy), own=None)
        m = replace(m, size=self._size(y, inside, over, m))
        if units.residuals is None:
            return m
        extra = []
        for category, size in zip(units.residuals.category, units.residuals.sizes, strict=True):
            counted = inside & (category >= 0)
            extra.append(
                tally_number(y, counted, banner, category, units.residuals.free, (size, width), shift=m.shift)
            )
        return replace(m, w=_beside(m.w, [x.w for x in extra]), wy=_beside(m.wy, [x.wy for x in extra]))

    def _size(self, y: Floats, inside: Bools, over: BannerColumns, m: Moments) -> Floats | None:
        """Σ w |y| by unit and column, (U, C)."""
        if m.own is not None:
            return None
        if not len(y) or y.min() >= 0 or y.max() <= 0:
            return np.abs(m.wy + m.shift * m.w)
        none = np.zeros_like(m.shift)
        units = self.units
        return tally_number(np.abs(y), inside, over.index, units.unit, self.weight, m.w.shape, shift=none).wy


def degrees(present: NDArray[Any], units: Units) -> Ints:
    """PSUs less strata of each of S sets of cases. present: (U, *S), PSUs with such cases: how many where
    every case is its own, else whether there are."""
    there = np.asarray(present) > 0
    starts = np.flatnonzero(np.diff(units.stratum, prepend=-1))
    strata = np.logical_or.reduceat(there, starts, axis=0).sum(0)
    psus = present.sum(0).astype(np.int64) if units.own else there.sum(0)
    return np.asarray(psus - strata)


def _beside(rows: Floats, extra: list[Floats]) -> Floats:
    """Rows with those of categories below, and one that makes the sum what it was."""
    below = np.concatenate(extra) if extra else np.zeros((0, *rows.shape[1:]))
    return np.concatenate([rows, below, -below.sum(0, keepdims=True)])
