"""Quantiles of columns held against each other, made anew in every replicate."""

from collections.abc import Sequence
from functools import partial

import numpy as np

from even_ballot.core.estimation.quantiles_again import quantiles_over
from even_ballot.core.numerics.arrays import Bools, Floats
from even_ballot.core.sampling.case_values import ReplicateWeights
from even_ballot.core.tables.contrasts.columns import ContrastColumn
from even_ballot.core.tables.contrasts.figures import FigureRow
from even_ballot.core.tables.results import StubKey
from even_ballot.core.tables.shared import SharedCounts
from even_ballot.core.tables.statistics.positions import per_cent
from even_ballot.core.tables.table_request import Contrast, TableRequest

_AT_ONCE = 1 << 22


def positions_shown(shared: SharedCounts, request: TableRequest, name: str) -> list[FigureRow]:
    """The quantiles of a number that are shown and can be compared: where the design has replicates.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> request = TableRequest.model_validate({"id": "t", "stub": ["age"], "show": ["mean", "median"]})
    >>> positions_shown(SharedCounts(sampled(ferry(), Design(), "w")), request, "age")
    []
    """
    number = shared.head.variable(name).kind == "number"
    if not number or shared.sample.units.replicates is None:
        return []
    return [FigureRow(StubKey(name), stat) for stat in request.show if per_cent(stat) is not None]


class Positions:
    """A contrast of a number's quantiles."""

    def __init__(
        self,
        shared: SharedCounts,
        rows: Sequence[FigureRow],
        columns: Sequence[ContrastColumn],
        contrast: Contrast,
        who: Sequence[Bools],
    ) -> None:
        self.sample, self.rows, self.columns, self.contrast = shared.sample, list(rows), columns, contrast
        name = rows[0].key.variable
        self._q = [(per_cent(row.stat) or 0) / 100 for row in rows]
        found = shared.sample.each(lambda part: part.data.column(name))
        self._values = [np.asarray(of.values, np.float64) for of in found]
        self._who = [of.answered & inside for of, inside in zip(found, who, strict=True)]
        self.est = self._combined(self._each(None))[0]

    def _each(self, which: slice | None) -> Floats:
        """Every column's quantiles in some replicates, or (None) in the full sample, (R, columns, F)."""
        sets = slice(0, 1) if which is None else which

        def quantiles(column: ContrastColumn) -> Floats:
            parts = [
                partial(self._seen, number, column, which is not None)
                for number in range(len(self.sample.parts))
            ]
            return np.stack([quantiles_over(parts, sets, q, self.sample.merge) for q in self._q], 1)

        return np.stack([quantiles(column) for column in self.columns], 1)

    def _seen(self, number: int, column: ContrastColumn, again: bool, which: slice) -> tuple[Floats, Floats]:
        """A part's values in a column, (k,), and their weights in some replicates or in the full sample."""
        part = self.sample.parts[number]
        at = np.flatnonzero(self._who[number] & column.inside[number] & (part.weight > 0))
        weight = ReplicateWeights(self.sample, which).of(number, at) if again else part.weight[at, None]
        return self._values[number][at], weight

    def _combined(self, theta: Floats) -> Floats:
        times = np.array([term.times for term in self.contrast.of])
        with np.errstate(all="ignore"):
            if self.contrast.ratio:
                top, bottom = int(times.argmax()), int(times.argmin())
                ratio = theta[:, top] / theta[:, bottom]
                return np.where(ratio > 0, ratio, np.nan)
            return np.asarray(np.einsum("j,rjf->rf", times, theta))

    def variance(self) -> Floats:
        """V of each quantile's contrast, (F,); NaN where a replicate cannot make it."""
        replicates = self.sample.units.replicates
        assert replicates is not None
        step = max(1, _AT_ONCE // max(self.sample.n, 1))
        some = [slice(k, min(k + step, replicates.count)) for k in range(0, replicates.count, step)]
        again = np.concatenate([self._combined(self._each(which)) for which in some])
        if replicates.failed is not None:
            again[replicates.failed] = np.nan
        return np.asarray(replicates.c @ (again - self.est) ** 2)
