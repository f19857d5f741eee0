"""A number as stub against one banner entry."""

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import asdict, replace
from functools import partial
from operator import or_
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.estimation.estimates import Estimates, Sums
from even_ballot.core.estimation.means import means
from even_ballot.core.estimation.quantiles import PartValues, Ranks, ranks_of
from even_ballot.core.estimation.ratios import TRACE
from even_ballot.core.estimation.shares import shares
from even_ballot.core.estimation.spread import (
    CentralSums,
    PlainSums,
    Spread,
    central_sums,
    plain_sums,
    spread,
)
from even_ballot.core.estimation.totals import totals
from even_ballot.core.estimation.trend import slopes
from even_ballot.core.faults import fault
from even_ballot.core.lazy import lazy
from even_ballot.core.numerics.arrays import Bools, Floats, Ints
from even_ballot.core.numerics.parts import kept
from even_ballot.core.sampling.finishing import Moments
from even_ballot.core.sampling.sample import SamplePart
from even_ballot.core.tables.banner import BannerColumns, everybody
from even_ballot.core.tables.results import Cell, StubHeading, StubKey, Test
from even_ballot.core.tables.shared import SharedCounts
from even_ballot.core.tables.statistics import statistic_of
from even_ballot.core.tables.stubs.domain import Domain
from even_ballot.core.tables.stubs.moments import laid_moments, of_varied
from even_ballot.core.tables.stubs.own_row import OwnRow
from even_ballot.core.tables.stubs.per import ratios_of
from even_ballot.core.tables.stubs.stub import StubByBanner
from even_ballot.core.tables.table_request import TableRequest

_SMALL, _LARGE = 1e-60, 1e60
_OF_UNIT = ("est", "se", "low", "high", "diff", "slope")
Figure = TypeVar("Figure", Cell, Test)


def _times(figure: Figure, unit: float) -> Figure:
    """A figure of numbers that were divided by a unit, in theirs; one that float64 does not hold is left
    out."""
    changed: dict[str, Any] = {}
    for name in _OF_UNIT:
        value = getattr(figure, name, None)
        if value is not None:
            whole = value * unit
            changed[name] = whole if math.isfinite(whole) else None
    plain = getattr(figure, "plain", None)
    if plain is not None:
        changed["plain"] = replace(plain, **{k: v * unit for k, v in asdict(plain).items() if v is not None})
    return replace(figure, **changed)


class NumberByBanner(StubByBanner):
    """A number as stub: one row of means and their like."""

    def __init__(
        self,
        shared: SharedCounts,
        domain: Domain,
        name: str,
        over: BannerColumns,
        request: TableRequest,
        where: str,
    ) -> None:
        super().__init__(domain, over, request)
        self.name, self.shared, self.where = name, shared, where.rpartition(".")[0]
        self.sample = domain.sample
        head = self.sample.head
        self.heading = StubHeading(name, head.variable(name, where).title, "number", ())
        head.column(name, where)
        self.inside = self.sample.each(lambda part, who: part.data.column(name).answered & who, domain.who)
        y = self.sample.each(
            lambda part, inside: np.where(inside, part.data.column(name).values, 0.0), self.inside
        )
        # A power of two takes no digit away; squares and fourth powers of what is left are no numbers out of
        # reach.
        largest = self.sample.merge(max, [float(np.abs(of).max(initial=0)) for of in y])
        self.unit = (
            1.0 if largest == 0 or _SMALL < largest < _LARGE else 2.0 ** math.floor(math.log2(largest))
        )
        self.y = y if self.unit == 1 else kept(self.sample.merge, (of / self.unit for of in y))

    @property
    def per(self) -> tuple[Sequence[Floats], Sequence[Bools]] | None:
        """For every part the values of the number that ratios are per, (n,), and who answered both; None
        without one."""
        name = self.request.per
        if name is None:
            return None
        if self.sample.head.variable(name, f"{self.where}.per").kind != "number":
            raise fault(f"{name} is not a number.", f"{self.where}.per", "Name a number, or leave per out.")
        both = self.sample.each(lambda part, inside: part.data.column(name).answered & inside, self.inside)
        x = self.sample.each(lambda part, who: np.where(who, part.data.column(name).values, 0.0), both)
        return x, both

    def within(self, column: int) -> Sequence[Bools]:
        """For every part which cases are in a column, (n,), the total being column 0."""
        if column == 0:
            return self.inside
        members = [column - 1] if self.over.members is None else self.over.members[column - 1]
        among = (
            inside & np.isin(index, members)
            for inside, index in zip(self.inside, self.over.index, strict=True)
        )
        return kept(self.sample.merge, among)

    def values(self, column: int) -> list[PartValues]:
        """For every part what gives the values of a column's cases, and their weights."""
        within = self.within(column)

        def of(number: int) -> tuple[Floats, Floats]:
            who = within[number]
            return self.y[number][who], self.sample.parts[number].weight[who]

        return [partial(of, number) for number in range(len(within))]

    @lazy
    def tallied(self) -> Moments:
        """Moments of every combination of the banner's categories."""
        key = (
            "moments",
            self.name,
            self.request.where,
            self.over.heading,
            self.over.first,
            self.over.columns,
        )
        return self.shared.once(
            key, lambda: self.domain.tally_number(self.y, self.inside, self.over), lambda m: 9 * m.w.nbytes
        )

    @lazy
    def moments(self) -> Moments:
        """Moments of every column."""
        return laid_moments(self.tallied, self.over)

    @lazy
    def own_row(self) -> "NumbersRow":
        """Its figures."""
        return NumbersRow(self)

    def cells(self, first: int) -> Iterator[Cell]:
        for stat in self.request.figures_for("number"):
            statistic = statistic_of(stat)
            if statistic.number_cells is not None:
                scale = self.unit != 1 and statistic.in_unit
                for cell in statistic.number_cells(self.own_row, stat, first):
                    yield _times(cell, self.unit) if scale else cell

    def tests(self) -> Iterator[Test]:
        for test in self._tests():
            yield test if self.unit == 1 else _times(test, self.unit)

    def _tests(self) -> Iterator[Test]:
        names = self.over.heading.variables
        if "trend" in self.request.tests and len(names) == 1:
            known = np.array([c.in_codebook for c in self.over.heading.categories[0]], bool)
            scores, columns = self.over.scores[known], 1 + self.over.single[known]
            m = self.moments
            w, level = m.w[:, columns], m.shift[0]
            wy = m.wy[:, columns] + (m.shift[columns] - level) * w
            if m.size is None:
                size = np.abs(wy) + TRACE * abs(level) * w
            else:
                size = m.size[:, columns] + np.abs(m.shift[columns] - level) * w[: len(m.size)]
            cells = (
                None if m.own is None else of_varied(m.own[:, :, columns], m.shift[columns] - level, level)
            )
            found = slopes(wy[:, None], w, size[:, None], scores, self.units, cells)
            yield from self._trend([StubKey(self.name)], *found)
        if "columns" in self.request.tests and len(self.paths) > 2:
            yield from self._compare(StubKey(self.name), self.own_row.means().at(slice(1, None)))
            if "ratio" in self.show and (per := self.own_row.ratios()) is not None:
                yield from self._compare(StubKey(self.name), per[0].at(slice(1, None)), stat="ratio")


class NumbersRow(OwnRow):
    """A number's figures."""

    def __init__(self, part: NumberByBanner) -> None:
        super().__init__(part, part.name)
        self.of = part

    @property
    def degrees(self) -> Ints | None:
        return self.of.moments.df

    @lazy
    def _spread(self) -> Spread:
        part, n = self.of, self.of.moments.counts
        combinations = part.over.columns + 1

        def by_combination(of: SamplePart, y: Floats, inside: Bools, index: NDArray[Any]) -> CentralSums:
            if inside.all():
                return central_sums(y, index, of.weight, combinations)
            return central_sums(y[inside], index[inside], of.weight[inside], combinations)

        sums = part.sample.merged(
            by_combination, part.y, part.inside, part.over.index, add=CentralSums.merged
        )
        columns = [sums.together, sums.of(slice(0, combinations - 1))]
        if part.over.members is not None:
            columns[1:] = [sums.of(members).together for members in part.over.members]
        return spread(CentralSums.beside(columns), n)

    @lazy
    def _means(self) -> Estimates:
        return means(self.of.moments, self._spread.sd, self.units)

    def means(self) -> Estimates:
        return self._means

    def totals(self) -> Estimates:
        return totals(self.of.moments, self.units)

    def ratios(self) -> tuple[Estimates, Ints] | None:
        return self._ratios

    @lazy
    def _ratios(self) -> tuple[Estimates, Ints] | None:
        return None if self.of.per is None else ratios_of(self.of, *self.of.per)

    def spread(self) -> Spread:
        return self._spread

    def means_of(self, function: Callable[[Floats], Floats]) -> Estimates:
        part, columns = self.of, len(self.paths)
        values = [np.where(inside, function(y), 0.0) for y, inside in zip(part.y, part.inside, strict=True)]
        fits = [np.isfinite(of) for of in values]
        numbers = [np.where(ok, of, 0.0) for of, ok in zip(values, fits, strict=True)]
        moments = part.domain.tally_number(numbers, part.inside, part.over)
        found = means(laid_moments(moments, part.over), np.full(columns, np.nan), self.units)
        merge, gone = part.sample.merge, []
        for column in range(columns):
            lost = [bool((who & ~ok).any()) for who, ok in zip(part.within(column), fits, strict=True)]
            gone.append(merge(or_, lost))
        return replace(found, est=np.where(gone, np.nan, found.est))

    def ranks(self) -> list[Ranks | None]:
        merge, held = self.of.sample.merge, self.of.shared.held
        return [ranks_of(self.of.values(column), merge, held) for column in range(len(self.paths))]

    def below(self, value: float, column: int) -> Estimates:
        within = self.of.within(column)
        part = [who & (y <= value) for who, y in zip(within, self.of.y, strict=True)]
        return shares(self._sum(part), self._sum(within), self.units)

    def _sum(self, who: Sequence[Bools]) -> Sums:
        stub = [np.where(of, 0, -1).astype(np.int8) for of in who]
        t = self.of.domain.tally(stub, everybody(self.of.sample), 1)
        return Sums(t.w, t.own, t.counts)

    def unweighted(self) -> tuple[list[float], list[float]]:
        merge = self.of.sample.merge
        found = []
        for column in range(len(self.paths)):
            values = [of()[0] for of in self.of.values(column)]
            found.append(merge(PlainSums.merged, [plain_sums(y) for y in values]))
        return [of.mean for of in found], [of.sd for of in found]
