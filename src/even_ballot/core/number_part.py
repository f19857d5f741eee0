"""A number as stub against one banner entry."""

from collections.abc import Iterator
from functools import cached_property

import numpy as np

from even_ballot.core import estimates as est
from even_ballot.core.blocks import Across, columns_of
from even_ballot.core.dataset import Bools
from even_ballot.core.estimates import Distribution, Estimates, Spread, Sums
from even_ballot.core.part import Part, quantile_of
from even_ballot.core.request import TableRequest
from even_ballot.core.results import Cell, StubHeading, StubKey, Test
from even_ballot.core.sample import Sample
from even_ballot.core.tallies import Moments
from even_ballot.core.trend import slopes


class NumberPart(Part):
    """A number as stub: one row of means and their like."""

    def __init__(self, sample: Sample, name: str, over: Across, request: TableRequest, where: str) -> None:
        super().__init__(sample, over, request)
        self.name = name
        self.heading = StubHeading(name, sample.data.variable(name, where).title, "number", ())
        column = sample.data.column(name, where)
        self.inside = column.answered & sample.who
        self.y = np.where(self.inside, column.values, 0.0)

    @cached_property
    def _measured(self) -> tuple[Estimates, Spread]:
        """Means and spread of every column, the total first."""
        m = self.sample.tally_number(self.y, self.inside, self.over.index, self.over.columns + 1)
        squares = (None if x is None else columns_of(x) for x in (m.ww, m.wwy, m.wwyy))
        moments = Moments(m.shift, columns_of(m.counts), columns_of(m.w), columns_of(m.wy), *squares)
        self.df_of = m.df
        self.moments = moments
        who = self.inside
        y, weight, index = self.y[who], self.sample.weight[who], self.over.index[who].astype(np.int64)
        whole = est.spread(Distribution(y, np.zeros(len(y), np.int64), weight, 1), moments.counts[:1])
        each = est.spread(Distribution(y, index, weight, self.over.columns + 1), m.counts)
        spread = Spread(*(np.append(getattr(whole, s), getattr(each, s)[:-1]) for s in ("sd", "skewness", "kurtosis")))
        return est.means(moments, spread.sd, self.units), spread

    def _domain(self, column: int) -> Bools:
        return self.inside if column == 0 else self.inside & (self.over.index == column - 1)

    def _below(self, value: float, column: int) -> Estimates:
        domain = self._domain(column)
        return est.shares(self._sum(domain & (self.y <= value)), self._sum(domain), self.units)

    def _sum(self, who: Bools) -> Sums:
        nowhere = np.zeros(len(who), np.int8)
        t = self.sample.tally(np.where(who, nowhere, np.int8(-1)), nowhere, 1, 1)
        return Sums(t.w, t.ww, t.counts)

    def cells(self, first: int) -> Iterator[Cell]:
        mean, spread = self._measured
        ranks: list[est.Ranked | None] = [None] * len(self.paths)
        if any(stat == "mode" or quantile_of(stat) is not None for stat in self.show):
            domains = [self._domain(c) for c in range(len(self.paths))]
            ranks = [est.ranked(self.y[d], self.sample.weight[d]) if d.any() else None for d in domains]
        yield from self._numbers(self.name, first, mean, spread, ranks, self.df_of)

    def _unweighted(self) -> tuple[list[float], list[float]]:
        domains = [self.y[self._domain(c)] for c in range(len(self.paths))]
        deviations = [float(y.std(ddof=1)) if len(y) > 1 else float("nan") for y in domains]
        return [float(y.mean()) if len(y) else float("nan") for y in domains], deviations

    def tests(self) -> Iterator[Test]:
        names = self.over.heading.variables
        if "trend" in self.request.tests and len(names) == 1:
            known = [c.in_codebook for c in self.over.heading.categories[0]]
            scores = np.array([path[0] for path in self.over.paths], np.float64)[known]
            _, m = self._measured, self.moments
            w, wy = m.w[:, 1:][:, known], m.wy[:, 1:][:, known]
            squares = None
            if m.ww is not None and m.wwy is not None and m.wwyy is not None:
                yy, y, one = (x[:, 1:][:, known] for x in (m.wwyy, m.wwy, m.ww))
                squares = (yy[:, None], y[:, None], one)
            yield from self._trend([StubKey(self.name)], *slopes(wy[:, None], w, squares, scores, self.units))
        if "columns" in self.request.tests and len(self.paths) > 2:
            yield from self._compare(StubKey(self.name), self._measured[0].at(slice(1, None)))
