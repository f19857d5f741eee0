"""A coded or several-answer stub against one banner entry."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace

import numpy as np

from even_ballot.core.data.categories import Category
from even_ballot.core.estimation.estimates import Estimates, Sums, of_cases
from even_ballot.core.estimation.independence import Independence, Wald, independence, wald
from even_ballot.core.estimation.intervals import EDGE
from even_ballot.core.estimation.means import coded_means
from even_ballot.core.estimation.quantiles import Ranks, ranked
from even_ballot.core.estimation.ratios import ratio
from even_ballot.core.estimation.shares import share_variance, shares
from even_ballot.core.estimation.spread import Spread, central_sums, spread
from even_ballot.core.estimation.trend import Trend, of_alike, slopes
from even_ballot.core.lazy import lazy
from even_ballot.core.numerics.arrays import Floats, Ints
from even_ballot.core.sampling.variance import variances
from even_ballot.core.tables.banner import BannerColumns
from even_ballot.core.tables.nets import NetRow, net_rows
from even_ballot.core.tables.results import Cell, Plain, StubKey, Test
from even_ballot.core.tables.shared import SharedCounts
from even_ballot.core.tables.statistics import every_statistic, statistic_of
from even_ballot.core.tables.statistics.rows import CategoryRows
from even_ballot.core.tables.stubs.counts import CategoryCounts, Rows, coded_block, multi_block
from even_ballot.core.tables.stubs.domain import Domain
from even_ballot.core.tables.stubs.own_row import OwnRow
from even_ballot.core.tables.stubs.stub import StubByBanner, there
from even_ballot.core.tables.table_request import TableRequest


class CategoriesByBanner(StubByBanner, CategoryRows):
    """A coded or several-answer stub."""

    def __init__(
        self,
        shared: SharedCounts,
        domain: Domain,
        name: str,
        over: BannerColumns,
        request: TableRequest,
        where: str,
        table: str,
    ) -> None:
        super().__init__(domain, over, request)
        kind = domain.sample.head.variable(name, where).kind
        self.several, self.numeric = kind == "multi", kind == "coded"
        make = multi_block if self.several else coded_block

        def nets(categories: Sequence[Category]) -> tuple[NetRow, ...]:
            return net_rows(request.nets, name, categories, request.stub, table)

        rows = Rows(nets, request.total_row, request.dates)
        key = (
            "block",
            name,
            request.where,
            over.heading,
            request.nets,
            request.stub if request.nets else (),
            request.total_row,
            request.dates,
            over.first,
            over.columns,
        )
        self.block: CategoryCounts = shared.once(
            key, lambda: make(domain, name, over, where, rows), CategoryCounts.size
        )
        self.heading = self.block.stub
        self.name = name
        self.keys = [StubKey(name, c.code) for c in self.heading.categories]
        self.keys += [StubKey(name, net=label) for label in self.heading.nets]
        self.known = np.flatnonzero([c.in_codebook for c in self.heading.categories])
        self.codes = np.array([c.code for c in self.heading.categories], np.float64)[self.known]

    def cells(self, first: int) -> Iterator[Cell]:
        for statistic in every_statistic():
            if statistic.category_cells is not None and statistic.name in self.show:
                yield from statistic.category_cells(self, first)
        for stat in self.show if self.numeric else ():
            make = statistic_of(stat).number_cells
            if make is not None:
                yield from make(self.own_row, stat, first)

    @lazy
    def own_row(self) -> "CodesRow":
        """Its codes taken as numbers."""
        return CodesRow(self)

    def column_shares(self) -> Estimates:
        return self._col_pct

    def plain_shares(self, e: Estimates) -> list[list[Plain | None]] | None:
        if not self.request.plain:
            return None
        with np.errstate(all="ignore"):
            p, room = e.n / e.base_n, np.where(e.base_n > 1, e.base_n - 1, np.nan)
            # A weighted share of 1 may miss it by rounding, to either side.
            plain, weighted = (
                np.sqrt(np.maximum(x * (1 - x), 0) / room)
                for x in (p, np.where(e.est >= 1 - EDGE, 1.0, e.est))
            )
            figures = [x.T.tolist() for x in (p, plain, e.est, weighted)]
        return [
            [Plain(a, there(s), b, there(t)) if a == a else None for a, s, b, t in zip(*column, strict=True)]
            for column in zip(*figures, strict=True)
        ]

    @lazy
    def _col_pct(self) -> Estimates:
        return shares(self.block.part, self.block.base, self.units)

    def response_shares(self) -> Estimates | None:
        """The base is Σ w m, m the number of options a case chose."""
        of = self.block.responses
        if of is None:
            return None
        part = self.block.part.at(slice(0, self.block.categories))
        r, linear = ratio(part.w, of.w, self.units)
        with np.errstate(all="ignore"):
            if of.whole is not None and of.chosen is not None:
                whole = of.w.sum(0)
                groups = []
                for m in range(of.whole.shape[1]):
                    others = of.whole[:, m] - of.chosen[:, m]
                    groups.append((of.chosen[:, m], (1 - m * r) / whole, (1 + m * r) / whole))
                    groups.append((others, -m * r / whole, m * r / whole))
                linear = of_cases(linear, groups, self.units)
            base = np.broadcast_to(of.n, r.shape)
            variance = share_variance(r, base, variances(linear, self.units))
        return Estimates(r, linear, variance, part.n, base, np.full(r.shape, np.nan))

    @lazy
    def known_cells(self) -> Sums:
        """The cells of the codes that the scale knows, (R, 1 + C)."""
        return self.block.part.at(self.known)

    def tests(self) -> Iterator[Test]:
        names = self.over.heading.variables
        if "independence" in self.request.tests and len(names) == 1 and not self.several:
            apart = self.block.apart.at(slice(0, self.block.categories))
            found = independence(apart.w, apart.own, int(apart.n.sum()), self.units)
            if found is not None:
                yield Independence(self.name, names, *found)
        if "wald" in self.request.tests and len(names) == 1 and not self.several:
            apart = self.block.apart.at(slice(0, self.block.categories))
            found = wald(apart.w, apart.own, self.units)
            if found is not None:
                yield Wald(self.name, names, *found)
        if "trend" in self.request.tests and len(names) == 1:
            yield from self._trends()
        if "columns" in self.request.tests and len(self.paths) > 2:
            for r, key in enumerate(self.keys):
                yield from self._compare(key, self._col_pct.at(r, slice(1, None)), share=True)
            if "mean" in self.show and self.numeric:
                yield from self._compare(StubKey(self.name), self.own_row.means().at(slice(1, None)))

    def _trends(self) -> Iterator[Trend]:
        """Each row's share over the banner's columns, and the mean of the codes where means are shown."""
        known = np.array([c.in_codebook for c in self.over.heading.categories[0]], bool)
        scores, columns = self.over.scores[known], 1 + self.over.single[known]
        part, base = self.block.part.at(slice(None), columns), self.block.base.at(0, columns)
        own = None
        if part.own is not None and base.own is not None:
            yes, no = part.own, base.own[:, None] - part.own
            own = [(c, yes[..., c], 1.0) for c in range(len(scores))] + [
                (c, no[..., c], 0.0) for c in range(len(scores))
            ]
        yield from self._trend(self.keys, *slopes(part.w, base.w, part.w, scores, self.units, of_alike(own)))
        if "mean" in self.show and self.numeric:
            cells, codes = self.known_cells.at(slice(None), columns), self.codes[:, None]
            own = None
            if cells.own is not None:
                places = [(r, c) for r in range(len(self.codes)) for c in range(len(scores))]
                own = [(c, cells.own[:, r, c, None], float(self.codes[r])) for r, c in places]
            wy, size = ((cells.w * of).sum(1)[:, None] for of in (codes, np.abs(codes)))
            found = slopes(wy, cells.w.sum(1), size, scores, self.units, of_alike(own))
            yield from self._trend([StubKey(self.name)], *found)


class CodesRow(OwnRow):
    """A coded variable's codes taken as numbers; those that its scale does not know are left out."""

    def __init__(self, part: CategoriesByBanner) -> None:
        super().__init__(part, part.name)
        self.codes, self.known, self.block = part.codes, part.known, part.block
        self.cells = part.known_cells

    @lazy
    def weights(self) -> Floats:
        """Σ w of each code and column, (R, 1 + C)."""
        return np.asarray(self.cells.w.sum(0))

    @property
    def degrees(self) -> Ints | None:
        return self.block.df.column

    @lazy
    def _spread(self) -> Spread:
        columns = len(self.paths)
        sums = central_sums(
            np.repeat(self.codes, columns).astype(np.float64),
            np.tile(np.arange(columns), len(self.codes)),
            self.weights.ravel(),
            columns,
        )
        return spread(sums, self.cells.n.sum(0))

    @lazy
    def _means(self) -> Estimates:
        return coded_means(self.codes, self.cells, self._spread.sd, self.units)

    def means(self) -> Estimates:
        return self._means

    def spread(self) -> Spread:
        return self._spread

    def means_of(self, function: Callable[[Floats], Floats]) -> Estimates:
        values, n = function(self.codes), self.cells.n
        fits = np.isfinite(values)
        found = coded_means(
            np.where(fits, values, 0.0), self.cells, np.full(len(self.paths), np.nan), self.units
        )
        return replace(found, est=np.where((n[~fits] > 0).any(0), np.nan, found.est))

    def ranks(self) -> list[Ranks | None]:
        return [ranked(self.codes[w > 0], w[w > 0]) if (w > 0).any() else None for w in self.weights.T]

    def below(self, value: float, column: int) -> Estimates:
        cells = self.cells.at(slice(None), slice(column, column + 1))
        return shares(cells.at(self.codes <= value).over(1), cells.over(1), self.units)

    def unweighted(self) -> tuple[list[float], list[float]]:
        n, codes = self.cells.n, self.codes[:, None]
        with np.errstate(all="ignore"):
            whole = n.sum(0)
            mean = (n * codes).sum(0) / whole
            sd = np.sqrt((n * (codes - mean) ** 2).sum(0) / np.where(whole > 1, whole - 1, np.nan))
        return mean.tolist(), sd.tolist()
