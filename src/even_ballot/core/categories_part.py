"""A coded or several-answer stub against one banner entry."""

from collections.abc import Iterator, Sequence
from functools import cached_property

import numpy as np

from even_ballot.core import estimates as est
from even_ballot.core.across import Across
from even_ballot.core.blocks import Block, Rows, coded_block, multi_block
from even_ballot.core.dataset import Floats
from even_ballot.core.estimates import Distribution, Estimates, Spread
from even_ballot.core.linear import Linear
from even_ballot.core.nets import NetRow, net_rows
from even_ballot.core.part import Part, is_of_numbers, there
from even_ballot.core.passes import Passes
from even_ballot.core.request import TableRequest
from even_ballot.core.results import Category, Cell, Plain, StubKey, Test
from even_ballot.core.sample import Sample
from even_ballot.core.tests import Independence, Trend, Wald, independence, wald
from even_ballot.core.trend import slopes
from even_ballot.core.variance import ratio, variances


class CategoriesPart(Part):
    """A coded or several-answer stub."""

    def __init__(
        self, passes: Passes, sample: Sample, name: str, over: Across, request: TableRequest, where: str, table: str
    ) -> None:
        super().__init__(sample, over, request)
        kind = sample.data.variable(name, where).kind
        self.several, self.numeric = kind == "multi", kind == "coded"
        make = multi_block if self.several else coded_block

        def nets(categories: Sequence[Category]) -> tuple[NetRow, ...]:
            return net_rows(request.nets, name, categories, request.stub, table)

        rows = Rows(nets, request.total_row, request.dates)
        key = ("block", name, request.where, over.heading, request.nets, request.stub if request.nets else (), request.total_row,
               request.dates)  # fmt: skip
        self.block: Block = passes.once(key, lambda: make(sample, name, over, where, rows), Block.size)
        self.heading = self.block.stub
        self.name = name
        self.keys = [StubKey(name, c.code) for c in self.heading.categories]
        self.keys += [StubKey(name, net=label) for label in self.heading.nets]
        self.known = np.flatnonzero([c.in_codebook for c in self.heading.categories])
        self.codes = np.array([c.code for c in self.heading.categories], np.float64)[self.known]

    def cells(self, first: int) -> Iterator[Cell]:
        keys, paths, here = self.keys, self.paths[first:], (slice(None), slice(first, None))
        part = self.block.part.at(*here)
        if "n" in self.show:
            for path, column in zip(paths, part.n.T.tolist(), strict=True):
                yield from (Cell(key, path, "n", n) for key, n in zip(keys, column, strict=True))
        if "count" in self.show:
            yield from self._emit(keys, paths, "count", est.totals(part, self.units), with_n=True)
        if "col_pct" in self.show:
            e = self._col_pct.at(*here)
            plain = self._plain(e) if self.request.plain else None
            df = None if self.block.df is None else self.block.df[first:]
            yield from self._emit(keys, paths, "col_pct", e, share=True, with_n=True, df=df, plain=plain)
        if "row_pct" in self.show and len(self.paths) > 1:
            e = est.shares(self.block.inner, self.block.answered_row, self.units)
            yield from self._emit(keys, self.paths[1:], "row_pct", e, share=True, with_n=True)
        if "total_pct" in self.show:
            e = est.shares(part, self.block.answered.at(*here), self.units)
            yield from self._emit(keys, paths, "total_pct", e, share=True, with_n=True)
        if "response_pct" in self.show and self.block.responses is not None:
            own = slice(0, self.block.categories)
            e = self._response_pct().at(own, here[1])
            yield from self._emit(keys[own], paths, "response_pct", e, share=True, with_n=True)
        if self.numeric and any(map(is_of_numbers, self.show)):
            mean, spread = self._mean
            weights = self._weights.sum(0)
            ranks = [est.ranked(self.codes[w > 0], w[w > 0]) if w.any() else None for w in weights.T]
            yield from self._numbers(self.name, first, mean, spread, ranks, self.block.df)

    def _plain(self, e: Estimates) -> list[list[Plain | None]]:
        """Shares as if the cases were a simple random sample, by column and row."""
        with np.errstate(all="ignore"):
            p, room = e.n / e.base_n, np.where(e.base_n > 1, e.base_n - 1, np.nan)
            figures = [x.T.tolist() for x in (p, np.sqrt(p * (1 - p) / room), e.est, np.sqrt(e.est * (1 - e.est) / room))]
        return [
            [Plain(a, there(s), b, there(t)) if a == a else None for a, s, b, t in zip(*column, strict=True)]
            for column in zip(*figures, strict=True)
        ]

    def _unweighted(self) -> tuple[list[float], list[float]]:
        n, codes = self.block.n[self.known], self.codes[:, None]
        with np.errstate(all="ignore"):
            whole = n.sum(0)
            mean = (n * codes).sum(0) / whole
            sd = np.sqrt((n * (codes - mean) ** 2).sum(0) / np.where(whole > 1, whole - 1, np.nan))
        return mean.tolist(), sd.tolist()

    @cached_property
    def _col_pct(self) -> Estimates:
        return est.shares(self.block.part, self.block.base, self.units)

    def _response_pct(self) -> Estimates:
        """Per cent of responses: the base is Σ w m, m the number of options a case chose."""
        assert self.block.responses is not None
        part, of = self.block.part, self.block.responses
        r, rows = ratio(part.w, of.w, self.units)
        with np.errstate(all="ignore"):
            squares = cross = None
            if part.squares is not None and of.wwm is not None and of.wwmm is not None and of.chosen is not None:
                whole = of.w.sum(0)
                squares = np.maximum((part.squares - 2 * r * of.chosen + r**2 * of.wwmm) / whole**2, 0)
                cross = (part.squares - r * of.wwm) / whole
            linear = Linear(rows, squares, cross)
            variance = variances(linear, self.units)
            base = np.broadcast_to(of.n, r.shape)
            variance = np.where(variance <= 1e-12 * r * (1 - r) / np.maximum(base, 1), 0.0, variance)
        return Estimates(r, linear, variance, part.n, base, np.full(r.shape, np.nan))

    @cached_property
    def _weights(self) -> Floats:
        """Σ w by unit of the codes the scale knows, (U, R, 1 + C)."""
        return np.asarray(self.block.w[:, self.known])

    @cached_property
    def _mean(self) -> tuple[Estimates, Spread]:
        ww = None if self.block.ww is None else self.block.ww[:, self.known]
        moments = est.coded_moments(self.codes, self._weights, ww, self.block.n[self.known])
        weights, columns = self._weights.sum(0), len(self.paths)
        values = Distribution(
            np.repeat(self.codes, columns), np.tile(np.arange(columns), len(self.codes)), weights.ravel(), columns
        )  # fmt: skip
        spread = est.spread(values, moments.counts)
        return est.means(moments, spread.sd, self.units), spread

    def _below(self, value: float, column: int) -> Estimates:
        known = self.block.part.at(self.known, slice(column, column + 1))
        return est.shares(known.at(self.codes <= value).over(1), known.over(1), self.units)

    def tests(self) -> Iterator[Test]:
        names = self.over.heading.variables
        if "independence" in self.request.tests and len(names) == 1 and not self.several:
            apart = self.block.apart.at(slice(0, self.block.categories))
            found = independence(apart.w, apart.squares, int(apart.n.sum()), self.units)
            if found is not None:
                yield Independence(self.name, names, *found)
        if "wald" in self.request.tests and len(names) == 1 and not self.several:
            apart = self.block.apart.at(slice(0, self.block.categories))
            found = wald(apart.w, apart.squares, self.units)
            if found is not None:
                yield Wald(self.name, names, *found)
        if "trend" in self.request.tests and len(names) == 1:
            yield from self._trends()
        if "columns" in self.request.tests and len(self.paths) > 2:
            for r, key in enumerate(self.keys):
                yield from self._compare(key, self._col_pct.at(r, slice(1, None)))
            if "mean" in self.show and self.numeric:
                yield from self._compare(StubKey(self.name), self._mean[0].at(slice(1, None)))

    def _trends(self) -> Iterator[Trend]:
        """Each row's share over the banner's columns, and the mean of the codes where means are shown."""
        known = np.array([c.in_codebook for c in self.over.heading.categories[0]], bool)
        scores, columns = self.over.scores[known], 1 + self.over.single[known]
        part, base = self.block.part.at(slice(None), columns), self.block.base.at(0, columns)
        squares = None
        if part.squares is not None and base.squares is not None:
            squares = (part.squares, part.squares, base.squares)
        b, variance = slopes(part.w, base.w, squares, scores, self.units)
        yield from self._trend(self.keys, b, variance)
        if "mean" in self.show and self.numeric:
            codes = self.codes[:, None]
            w = self._weights[..., columns]
            ww = None if self.block.ww is None else self.block.ww[:, self.known][..., columns]
            moments = None if ww is None else tuple((ww * codes**k).sum(1) for k in (2, 1, 0))
            squares = None if moments is None else (moments[0][:, None], moments[1][:, None], moments[2])
            b, variance = slopes((w * codes).sum(1)[:, None], w.sum(1), squares, scores, self.units)
            yield from self._trend([StubKey(self.name)], b, variance)
