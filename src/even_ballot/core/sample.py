"""The cases a table is made of, counted in the layout that their design's variances need."""

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.across import Across
from even_ballot.core.dataset import Bools, Dataset, Floats, Ints
from even_ballot.core.design import Units
from even_ballot.core.replicates import ByCase, ByUnit
from even_ballot.core.tallies import Moments, Tally, in_halves, tally, tally_number


@dataclass(frozen=True)
class Sample:
    """The cases of a table: their design, weight and (for one filter) which of them count.

    Every tally adds up over its rows to the totals of the cases. Its rows are those of units; where there are replicates, those
    that stand for them; where residuals are wanted, of units, then of the categories of the margins, with a last one that
    takes these out of the sum again.
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

    def tally(self, stub: NDArray[Any], over: Across, height: int) -> Tally:
        """Sums by row × stub category × banner category, the last that of cases without an answer there. stub: (n,), below 0 for
        cases that do not count."""
        units, weight = self.units, self.weight
        banner, width = over.index, over.columns + 1
        if isinstance(units.replicates, ByCase):
            df = self._df(tally(stub, banner, units.unit, weight, (units.rows, height, width)), over)
            whole = tally(stub, banner, np.zeros(len(weight), np.int32), weight, (1, height, width))
            cell = np.where(stub >= 0, stub.astype(np.int64) * width + banner, -1)
            rows = units.replicates.rows(cell, None, whole.w.ravel())
            return Tally(whole.counts, rows.reshape(-1, height, width), None, df)
        t = tally(stub, banner, units.unit, weight, (units.rows, height, width), units.own)
        df = self._df(t, over)
        if isinstance(units.replicates, ByUnit):
            return Tally(t.counts, units.replicates.rows(t.w), None, df)
        if units.residuals is None:
            return replace(t, df=df)
        extra = []
        for category, size in zip(units.residuals.category, units.residuals.sizes, strict=True):
            counted = np.where(category >= 0, stub, -1).astype(stub.dtype)
            extra.append(tally(counted, banner, category, units.residuals.free, (size, height, width)).w)
        return Tally(t.counts, _beside(t.w, extra), None if t.ww is None else _beside(t.ww, None, units.residuals.extra), df)

    def _df(self, t: Tally, over: Across) -> Ints:
        """PSUs less strata among the cases that count: of everybody, and of each column, (1 + C,)."""
        there = over.laid((t.w.sum(1) > 0).astype(np.int64)) > 0
        starts = np.flatnonzero(np.diff(self.units.stratum, prepend=-1))
        strata = np.logical_or.reduceat(there, starts, axis=0).sum(0)
        psus = over.laid(t.counts.sum(0)) if self.units.own else there.sum(0)
        return np.asarray(psus - strata)

    def tally_number(self, y: Floats, inside: Bools, over: Across) -> Moments:
        """Sums of a number by row × banner category. y: (n,); inside: (n,), who counts."""
        units, weight = self.units, self.weight
        banner, width = over.index, over.columns + 1
        if isinstance(units.replicates, ByCase):
            df = self._df_of(tally_number(y, inside, banner, units.unit, weight, (units.rows, width)), over)
            whole = tally_number(y, inside, banner, np.zeros(len(weight), np.int32), weight, (1, width))
            cell = np.where(inside, banner, -1).astype(np.int64)
            w, wy = (
                units.replicates.rows(cell, of, full[0]) for of, full in ((None, whole.w), (y - whole.shift, whole.wy))
            )  # fmt: skip
            return Moments(whole.shift, whole.counts, w, wy, None, None, None, df)
        m = tally_number(y, inside, banner, units.unit, weight, (units.rows, width), units.own)
        df = self._df_of(m, over)
        if isinstance(units.replicates, ByUnit):
            return Moments(m.shift, m.counts, units.replicates.rows(m.w), units.replicates.rows(m.wy), None, None, None, df)
        if units.residuals is None:
            return replace(m, df=df)
        extra = []
        for category, size in zip(units.residuals.category, units.residuals.sizes, strict=True):
            counted = inside & (category >= 0)
            extra.append(tally_number(y, counted, banner, category, units.residuals.free, (size, width), shift=m.shift))
        ww, wwy, wwyy = (None if x is None else _beside(x, None, units.residuals.extra) for x in (m.ww, m.wwy, m.wwyy))
        w, wy = _beside(m.w, [x.w for x in extra]), _beside(m.wy, [x.wy for x in extra])
        return Moments(m.shift, m.counts, w, wy, ww, wwy, wwyy, df)

    def _df_of(self, m: Moments, over: Across) -> Ints:
        return self._df(Tally(m.counts[None], m.w[:, None], None), over)


def _beside(rows: Floats, extra: list[Floats] | None, empty: int = 0) -> Floats:
    """Rows with those of categories below, and one that makes the sum what it was; or with `empty` rows of 0."""
    if extra is None:
        return np.concatenate([rows, np.zeros((empty, *rows.shape[1:]))])
    below = np.concatenate(extra) if extra else np.zeros((0, *rows.shape[1:]))
    return np.concatenate([rows, below, -below.sum(0, keepdims=True)])
