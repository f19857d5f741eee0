"""Quantiles of columns held against each other, made anew in every replicate."""

from collections.abc import Sequence

import numpy as np

from even_ballot.core.estimation.quantiles import quantiles_again
from even_ballot.core.numerics.arrays import Bools, Floats
from even_ballot.core.sampling.case_values import ReplicateWeights
from even_ballot.core.tables.contrasts.columns import ContrastColumn
from even_ballot.core.tables.contrasts.figures import FigureRow
from even_ballot.core.tables.request import Contrast, TableRequest
from even_ballot.core.tables.results import StubKey
from even_ballot.core.tables.shared import SharedCounts
from even_ballot.core.tables.statistics.positions import per_cent

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


def _below(a: tuple[Floats, Floats], b: tuple[Floats, Floats]) -> tuple[Floats, Floats]:
    return np.concatenate([a[0], b[0]]), np.concatenate([a[1], b[1]])


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
        weights = None if which is None else ReplicateWeights(self.sample, which)
        found = []
        for column in self.columns:
            seen = []
            for number, part in enumerate(self.sample.parts):
                inside = self._who[number] & column.inside[number] & (part.weight > 0)
                at = np.flatnonzero(inside)
                weight = part.weight[at, None] if weights is None else weights.of(number, at)
                seen.append((self._values[number][at], weight))
            v, w = self.sample.merge(_below, seen)
            found.append(np.stack([quantiles_again(v, w, q) for q in self._q], 1))
        return np.stack(found, 1)

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
        again = np.concatenate(
            [self._combined(self._each(slice(k, k + step))) for k in range(0, replicates.count, step)]
        )
        if replicates.failed is not None:
            again[replicates.failed] = np.nan
        return np.asarray(replicates.c @ (again - self.est) ** 2)
