"""The cases a table is made of, counted part by part: each part tallied, the tallies merged, and laid out as
their design's variances need them."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.numerics.arrays import Bools, Floats
from even_ballot.core.numerics.halves import in_halves
from even_ballot.core.numerics.parts import kept
from even_ballot.core.sampling.finishing import Moments, Tallied, degrees, finish, finish_number
from even_ballot.core.sampling.sample import OnMargins, Sample, SamplePart
from even_ballot.core.sampling.tallies import NumberTally, Tally, tally, tally_number
from even_ballot.core.sampling.units import Units
from even_ballot.core.tables.banner import BannerColumns

_MOST_CELLS = 1 << 19
"""Sums by combination of margin categories and cell that stay in the processor's cache."""


@dataclass(frozen=True)
class Domain:
    """The cases of a table: weighted, and (for one filter) which of them count; inside: for every part,
    (n,)."""

    sample: Sample
    inside: Sequence[Bools] | None

    @property
    def units(self) -> Units:
        """Their design."""
        return self.sample.units

    @property
    def who(self) -> Sequence[Bools]:
        """For every part cases in the filter, those of weight 0 left out, (n,)."""
        if self.inside is None:
            return self.sample.each(lambda part: part.weight > 0)
        return self.sample.each(lambda part, inside: inside & (part.weight > 0), self.inside)

    @property
    def cases(self) -> int:
        """How many they are."""

        def of(part: SamplePart, inside: Bools | None) -> int:
            def half(lo: int, hi: int) -> int:
                there = part.weight[lo:hi] > 0
                return int(np.count_nonzero(there if inside is None else there & inside[lo:hi]))

            return sum(in_halves(len(part.weight), half))

        return self.sample.merged(of, self.inside or (None,) * len(self.sample.parts))

    def stub(self, positions: Sequence[NDArray[Any]]) -> Sequence[NDArray[Any]]:
        """For every part positions, (n,), of the cases of the filter; below 0 for all others."""
        if self.inside is None:
            return positions
        placed = (
            np.where(inside, at, -1).astype(at.dtype)
            for at, inside in zip(positions, self.inside, strict=True)
        )
        return kept(self.sample.merge, placed)

    def tally(self, stub: Sequence[NDArray[Any]], over: BannerColumns, height: int) -> Tallied:
        """Sums by row × stub category × banner category, the last that of cases without an answer there.
        stub: for every part, (n,), below 0 for cases that do not count."""
        shape = (height, over.columns + 1)
        whole = self.sample.merged(
            lambda part, at, index: _tally(part, self.units, at, index, shape), stub, over.index
        )
        return finish(whole, self.units)

    def tally_number(self, y: Sequence[Floats], inside: Sequence[Bools], over: BannerColumns) -> Moments:
        """Sums of a number by row × banner category. y, and inside, who counts: for every part, (n,)."""
        width = over.columns + 1
        whole = self.sample.merged(
            lambda part, of, who, index: _tally_number(part, self.units, of, who, index, width),
            y,
            inside,
            over.index,
            add=NumberTally.merged,
        )
        moments = finish_number(whole, self.units)
        return replace(moments, df=degrees(over.laid(moments.present), self.units))


def _tally(
    part: SamplePart, units: Units, stub: NDArray[Any], banner: NDArray[Any], shape: tuple[int, int]
) -> Tally:
    """The tally of a part, with what replicates and residuals need of its cases."""
    height, width = shape
    centre = units.weights.centre if units.weights else None
    t = tally(stub, banner, part.unit, part.weight, (units.rows, height, width), centre)
    if part.again is not None:
        cell = np.where(stub >= 0, stub.astype(np.int64) * width + banner, -1)
        return replace(t, again=part.again.sums(cell, None, height * width))
    if units.residuals is None or part.margins is None:
        return t
    on, sizes = part.margins, units.residuals.sizes
    if (gather := _by_combination(on, sizes, height * width)) is not None:
        of = tally(stub, banner, on.combo, on.free, (len(gather.T), height, width))
        return replace(t, margins=(gather @ of.w.reshape(len(gather.T), -1)).reshape(-1, height, width))
    below = []
    for m, size in enumerate(sizes):
        category = on.category(m)
        counted = np.where(category >= 0, stub, -1).astype(stub.dtype)
        below.append(tally(counted, banner, category, on.column(m), (size, height, width)).w)
    return replace(t, margins=np.concatenate(below))


def _by_combination(on: OnMargins, sizes: Sequence[int], cells: int) -> Floats | None:
    """What makes sums by category of the margins of those by combination, (J, K); None where there are too
    many of these, or the columns are not the same in all margins."""
    combinations = on.categories.shape[1]
    if on.value or combinations * cells > _MOST_CELLS:
        return None
    found, starts = np.zeros((sum(sizes), combinations)), np.cumsum([0, *sizes])
    for start, category in zip(starts.tolist(), on.categories, strict=False):
        there = np.flatnonzero(category >= 0)
        found[start + category[there], there] = 1.0
    return found


def _tally_number(
    part: SamplePart, units: Units, y: Floats, inside: Bools, banner: NDArray[Any], width: int
) -> NumberTally:
    """The same of a number."""
    t = tally_number(y, inside, banner, part.unit, part.weight, (units.rows, width), units.own)
    if units.replicates is not None:
        if part.again is None:
            return t
        cell = np.where(inside, banner, -1).astype(np.int64)
        sums = [part.again.sums(cell, of, width) for of in (None, y - t.shift[banner])]
        return replace(t, again=np.stack(sums))
    if units.residuals is None or part.margins is None:
        return t
    on, sizes = part.margins, units.residuals.sizes
    if (gather := _by_combination(on, sizes, width)) is not None:
        of = tally_number(y, inside, banner, on.combo, on.free, (len(gather.T), width), shift=t.shift)
        return replace(t, margins=np.stack([gather @ of.w, gather @ of.wy]))
    below = []
    for m, size in enumerate(sizes):
        category, column = on.category(m), on.column(m)
        counted = inside & (category >= 0)
        of = tally_number(y, counted, banner, category, column, (size, width), shift=t.shift)
        below.append(np.stack([of.w, of.wy]))
    return replace(t, margins=np.concatenate(below, 1))
