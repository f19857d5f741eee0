"""Linear combinations of columns' figures, and ratios of two, with their variance from the joint covariance,
whether the columns share cases or not."""

from collections.abc import Iterator, Sequence

import numpy as np

from even_ballot.core.estimation.ratios import TRACE
from even_ballot.core.numerics.arrays import Bools, Floats, Ints
from even_ballot.core.numerics.parts import plus
from even_ballot.core.sampling.case_values import (
    absolute_moments,
    covariance,
    replicate_sums,
    summed,
)
from even_ballot.core.sampling.replicates import EMPTY
from even_ballot.core.tables.contrasts.columns import ContrastColumn
from even_ballot.core.tables.contrasts.figures import FigureRow, StubFigures
from even_ballot.core.tables.shared import SharedCounts
from even_ballot.core.tables.table_request import Contrast

_ROUNDING = 1e-20


class Combined:
    """A contrast of one stub variable's figures."""

    def __init__(
        self,
        shared: SharedCounts,
        stub: StubFigures,
        columns: list[ContrastColumn],
        contrast: Contrast,
        who: Sequence[Bools],
    ) -> None:
        self.sample, self.stub, self.columns, self.contrast, self.who = (
            shared.sample,
            stub,
            columns,
            contrast,
            who,
        )
        f = len(stub.rows)
        sums = summed(self.sample, who, self._weighted, (len(columns), 4, f))
        self.above, self.below, self.absolute, there = (sums[:, k] for k in range(4))
        self.totals = np.array([row.stat == "total" for row in stub.rows])
        with np.errstate(all="ignore"):
            # A total of a column without a case is none.
            whole = np.where(there > 0, self.above, np.nan)
            self.bare = np.where(self.totals, whole, self.above / self.below)
        absent = np.array([row.stat == "row_pct" for row in stub.rows])
        for j, column in enumerate(columns):
            if column.whole:
                self.bare[j, absent] = np.nan
        self.theta = self.bare + stub.level
        self.times = np.array([term.times for term in contrast.of])

    def each(self, number: int, at: Ints) -> Iterator[tuple[Floats, Floats]]:
        """What is summed above and below for every column, (n, F) each: of a table's cell, over its base."""
        for column in self.columns:
            above, below = self.stub.figures(number, at, column.answered[number][at])
            inside = column.inside[number][at][:, None]
            # Per cents of rows and of the whole are of all columns of their entry.
            wide = np.array([row.stat in ("row_pct", "total_pct") for row in self.stub.rows])
            yield above * inside, below * (inside | wide)

    @property
    def cases(self) -> Ints:
        """How many cases of each column answered the stub, unweighted, (columns,)."""
        inside = [of.inside for of in self.columns]
        seen = [
            np.array([(who & answered & of[number]).sum() for of in inside])
            for number, (who, answered) in enumerate(zip(self.who, self.stub.answered, strict=True))
        ]
        return self.sample.merge(plus, seen)

    def _weighted(self, number: int, at: Ints) -> Floats:
        w = self.sample.parts[number].weight[at]
        found = []
        for column, (above, below) in zip(self.columns, self.each(number, at), strict=True):
            cases = column.inside[number][at] & self.stub.answered[number][at]
            there = np.full(above.shape[1], float((w * cases).sum()))
            found.append(np.stack([w @ above, w @ below, w @ np.abs(below), there]))
        return np.stack(found)

    @property
    def rows(self) -> list[FigureRow]:
        """Which figures they are, F of them."""
        return self.stub.rows

    @property
    def est(self) -> Floats:
        """(F,), NaN where a figure is absent."""
        with np.errstate(all="ignore"):
            if self.contrast.ratio:
                top, bottom = self._sides
                found: Floats = self.theta[top] / self.theta[bottom]
                return np.where(found > 0, found, np.full_like(found, np.nan))
            return np.asarray(self.times @ self.bare + self.times.sum() * self.stub.level)

    @property
    def _sides(self) -> tuple[int, int]:
        first = 0 if self.contrast.of[0].times > 0 else 1
        return first, 1 - first

    @property
    def _slopes(self) -> Floats:
        """What each column's figure counts, (columns, F)."""
        found: Floats = np.zeros_like(self.theta)
        if not self.contrast.ratio:
            return np.asarray(found + self.times[:, None])
        top, bottom = self._sides
        with np.errstate(all="ignore"):
            found[top] = 1 / self.theta[bottom]
            found[bottom] = -self.est / self.theta[bottom]
        return found

    def linearised(self, number: int, at: Ints, absolute: bool = False) -> Floats:
        """z of some cases, (n, F); absolute: the terms that it is made of, taken absolutely."""
        found = np.zeros((len(at), len(self.stub.rows)))
        slopes = np.nan_to_num(self._slopes)
        theta = np.nan_to_num(self.bare)
        for j, (above, below) in enumerate(self.each(number, at)):
            base = np.where(self.totals | (self.below[j] == 0), 1.0, self.below[j])
            expected = np.where(self.totals, 0.0, theta[j]) * below
            if absolute:
                # A total's terms are about the middle, and a trace of it.
                near = self.stub.middle * self.columns[j].inside[number][at][:, None]
                size = np.where(self.totals, np.abs(above - near) + TRACE * np.abs(near), np.abs(above))
                found += np.abs(slopes[j] / base) * (size + np.abs(expected))
            else:
                found += slopes[j] / base * (above - expected)
        return found

    def variance(self) -> Floats:
        """V of each figure's contrast, (F,); NaN where it is not known."""
        f, units = len(self.stub.rows), self.sample.units
        if units.replicates is None:
            found = np.diag(covariance(self.sample, self.who, self.linearised, f))
            most = absolute_moments(
                self.sample, self.who, self.linearised, lambda p, at: self.linearised(p, at, True), f
            )
            return np.where(found <= _ROUNDING * most, 0.0, found)

        def values(number: int, at: Ints) -> Floats:
            return np.concatenate([x for pair in self.each(number, at) for x in pair], 1)

        sums = replicate_sums(self.sample, self.who, values, 2 * f * len(self.columns))
        again = sums.reshape(len(sums), len(self.columns), 2, f)
        with np.errstate(all="ignore"):
            there = np.abs(again[:, :, 1]) > EMPTY * self.absolute
            bare = np.where(
                self.totals, again[:, :, 0], np.where(there, again[:, :, 0] / again[:, :, 1], np.nan)
            )
            if self.contrast.ratio:
                top, bottom = self._sides
                theta = bare + self.stub.level
                apart = theta[:, top] / theta[:, bottom] - self.est
            else:
                apart = np.einsum("j,rjf->rf", self.times, bare - self.bare)
            return np.asarray(units.replicates.c @ apart**2)
