"""The weighted cases of a design, in parts."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.data.cases import Cases
from even_ballot.core.data.dataset import Dataset
from even_ballot.core.lazy import lazy
from even_ballot.core.numerics.arrays import Bools, Floats
from even_ballot.core.numerics.parts import InParts, plus
from even_ballot.core.sampling.replicates import CaseWeights
from even_ballot.core.sampling.units import UnitOf, Units, UnitWeights


@dataclass(frozen=True)
class OnMargins:
    """What residuals ask of a part's cases. combo: (n,), the combination of categories that each is of;
    categories: (M, K), each combination's category of each margin, −1 none; free: (n,), weights of the cases
    that B is made from; value: of each margin what its column holds in a case's category, (n,), None: 1."""

    combo: NDArray[Any]
    categories: NDArray[np.int32]
    free: Floats
    value: tuple[Floats | None, ...] = ()

    def category(self, margin: int, at: Any = slice(None)) -> NDArray[np.int32]:
        """The category of each case, or of some, of a margin; −1 none."""
        return np.asarray(self.categories[margin][self.combo[at]])

    def column(self, margin: int) -> Floats:
        """Free weights times the column of a case's category, (n,)."""
        value = self.value[margin] if self.value else None
        return self.free if value is None else self.free * value


@dataclass(frozen=True)
class SamplePart:
    """Cases of a part: unit: int32 (n,), the row of each in tallies; weight: (n,). margins: where residuals
    are wanted; again: where weights of replicates change case by case."""

    data: Dataset
    unit: NDArray[np.int32]
    weight: Floats
    margins: OnMargins | None = None
    again: CaseWeights | None = None


class Sample(InParts[SamplePart]):
    """Weighted cases, in parts, and their design."""

    def __init__(
        self,
        cases: Cases,
        units: Units,
        unit: UnitOf,
        weight: Sequence[Floats],
        margins: Sequence[OnMargins] | None = None,
        again: Sequence[CaseWeights] | None = None,
    ) -> None:
        none = (None,) * len(cases.parts)
        parts = cases.each(SamplePart, unit, weight, margins or none, again or none)
        super().__init__(parts, cases.merge)
        self.units = replace(units, weights=self._unit_weights(units.rows)) if units.own else units

    @lazy
    def head(self) -> Dataset:
        """A part, for what is the same in all: variables, scales, categories."""
        return self.parts[0].data

    @lazy
    def n(self) -> int:
        """How many cases there are."""
        found: int = self.merged(lambda part: part.data.n)
        return found

    def count(self, which: Sequence[Bools]) -> int:
        """How many cases are among some; which: for every part, (n,)."""
        return self.merge(plus, [int(np.count_nonzero(of)) for of in which])

    def _unit_weights(self, rows: int) -> UnitWeights:
        """Where every case is a PSU of its own: what its unit's weights are."""

        def sums(part: SamplePart, about: Floats | None) -> Sequence[Floats]:
            there = part.weight > 0
            unit, w = part.unit[there], part.weight[there]
            quantities: Sequence[Floats] = (np.ones_like(w), w)
            if about is not None:
                d = w - about[unit]
                quantities = (d, d * d)
            return tuple(np.bincount(unit, weights=x, minlength=rows).astype(np.float64) for x in quantities)

        none = [None] * len(self.parts)
        n, whole = self.merged(sums, none)
        centre = whole / np.maximum(n, 1)
        d1, d2 = self.merged(sums, [centre] * len(self.parts))
        return UnitWeights(n, centre, d1, d2)
