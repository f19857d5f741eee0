"""A table request → a result, presentation-free."""

from collections.abc import Iterator
from itertools import combinations
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import special

from even_ballot.core import estimates as est
from even_ballot.core.blocks import Across, Block, Sample, across, coded_block, multi_block
from even_ballot.core.dataset import Bools, Dataset, Floats, Ints
from even_ballot.core.design import Units
from even_ballot.core.estimates import Distribution, Estimates, Spread, Sums
from even_ballot.core.expressions import condition
from even_ballot.core.faults import fault
from even_ballot.core.intervals import proportion, symmetric
from even_ballot.core.request import TableRequest
from even_ballot.core.results import BannerKey, Cell, StubHeading, StubKey, TableResult
from even_ballot.core.tallies import tally_number
from even_ballot.core.tests import Columns, Independence, adjusted, independence
from even_ballot.core.variance import Linear, variances

_OF_NUMBERS = {"mean", "sd", "median", "skewness", "kurtosis"}


def tabulate(data: Dataset, units: Units, weight: Floats, request: TableRequest, where: str = "tables[0]") -> TableResult:
    """One table: every figure asked for, of every stub variable in every banner column and in the total column.

    data: n cases; units: their design; weight: float64 (n,). Raises StudyError where the request does not fit.
    """
    if not request.stub:
        raise fault("The table has no stub, so there is nothing to count.", f"{where}.stub", "Name at least one variable.")
    inside = condition(request.where, data, f"{where}.where")
    sample = Sample(data, units, weight, inside)
    entries = [across(data, entry, f"{where}.banner[{i}]") for i, entry in enumerate(request.entries)]
    cells: list[Cell] = []
    tests: list[Independence | Columns] = []
    stubs: list[StubHeading] = []
    for i, name in enumerate(request.stub):
        place = f"{where}.stub[{i}]"
        kind = data.variable(name, place).kind
        for j, over in enumerate(entries or [across(data, (), where)]):
            if kind in ("coded", "multi"):
                part: _Part = _Categories(sample, name, over, request, place)
            elif kind == "number":
                part = _Number(sample, name, over, request, place)
            else:
                raise fault(f"{name} is a {kind}; a stub is made of coded variables, numbers and several answers.", place,
                            "Code its answers first.")  # fmt: skip
            if j == 0:
                stubs.append(part.heading)
                cells += part.total_cells()
            cells += part.cells()
            tests += part.tests()
    in_filter = int(sample.who.sum())
    return TableResult(
        request.id, request.title or request.id, tuple(stubs), tuple(e.heading for e in entries), in_filter,
        tuple(cells), tuple(tests),
    )  # fmt: skip


class _Part:
    """One stub variable against one banner entry."""

    heading: StubHeading

    def __init__(self, sample: Sample, over: Across, request: TableRequest) -> None:
        self.sample, self.over, self.request = sample, over, request
        self.units: Units = sample.units
        self.df = self.units.degrees_of_freedom
        self.show = request.show
        self.keys = [tuple(map(BannerKey, over.heading.variables, path)) for path in over.paths]

    def cells(self) -> Iterator[Cell]:
        """The cells of every banner column."""
        raise NotImplementedError

    def total_cells(self) -> Iterator[Cell]:
        """The cells of the total column."""
        raise NotImplementedError

    def tests(self) -> Iterator[Independence | Columns]:
        """The tests asked for."""
        raise NotImplementedError

    def _emit(
        self, stub: list[StubKey], banner: list[tuple[BannerKey, ...]], stat: str, e: Estimates, share: bool, with_n: bool
    ) -> Iterator[Cell]:
        """One cell for each estimate there is, with its interval where the design has degrees of freedom."""
        se = np.sqrt(e.variance)
        low = high = np.full(len(e.est), np.nan)
        interval = self.request.interval
        if self.df > 0:
            if share:
                low, high = proportion(e.est, e.variance, e.base_n, self.df, interval)
            else:
                low, high = symmetric(e.est, se, self.df, interval)
        if stat == "mean":
            # One case says nothing of how its like differ.
            low, high = (np.where(e.base_n == 1, np.nan, limit) for limit in (low, high))
        columns = (x.tolist() for x in (e.est, se, low, high, e.n, e.base_n, e.deff))
        for key, path, value, s, lo, hi, n, base, deff in zip(stub, banner, *columns, strict=True):
            if (value == value and base > 0) or stat == "count":
                yield Cell(
                    key, path, stat, value, _there(s), _there(lo), _there(hi),
                    n if with_n else None, None if stat == "count" else base, _there(deff),
                )  # fmt: skip

    def _numbers(
        self, variable: str, banner: list[tuple[BannerKey, ...]], mean: Estimates, spread: Spread, ranks: list[est.Ranked | None]
    ) -> Iterator[Cell]:
        """mean, sd, median, skewness and kurtosis rows."""
        key = StubKey(variable)
        if "mean" in self.show:
            yield from self._emit([key] * len(banner), banner, "mean", mean, share=False, with_n=False)
        for stat in ("sd", "skewness", "kurtosis"):
            if stat in self.show:
                for path, value, n in zip(banner, getattr(spread, stat).tolist(), mean.base_n.tolist(), strict=True):
                    if value == value and n > 0:
                        yield Cell(key, path, stat, value, base_n=n)
        if "median" in self.show:
            for c, (path, ranks_of, n) in enumerate(zip(banner, ranks, mean.base_n.tolist(), strict=True)):
                if ranks_of is not None:
                    low, high = self._woodruff(ranks_of, 0.5, c)
                    yield Cell(key, path, "median", ranks_of.quantile(0.5), low=low, high=high, base_n=n)

    def _woodruff(self, ranks: est.Ranked, q: float, column: int) -> tuple[float | None, float | None]:
        """A quantile's limits: those of the share at or below it, turned back (Woodruff, 1952)."""
        if self.df < 1:
            return None, None
        e = self._below(ranks.quantile(q), column)
        interval = self.request.interval
        half = float(interval.t(self.df) * np.sqrt(e.variance[0]))
        low, high = ranks.quantile(max(q - half, 0)), ranks.quantile(min(q + half, 1))
        return (None if interval.sides == "upper" else low), (None if interval.sides == "lower" else high)

    def _below(self, value: float, column: int) -> Estimates:
        """The share of a column's cases at or below a value."""
        raise NotImplementedError

    def _compare(self, stub: StubKey, e: Estimates, pick: list[int]) -> Iterator[Columns]:
        """All pairs of columns that share their outer categories; e: an estimate for each column in `pick`."""
        if self.df < 1:
            return
        paths = [self.over.paths[c] for c in pick]
        pairs = [(i, j) for i, j in combinations(range(len(paths)), 2) if paths[i][:-1] == paths[j][:-1]]
        pairs = [(i, j) for i, j in pairs if e.base_n[i] > 0 and e.base_n[j] > 0]
        if not pairs:
            return
        a, b = (np.array(side) for side in zip(*pairs, strict=True))
        difference = e.est[a] - e.est[b]
        variance = variances(_difference(e.linear, a, b), self.units)
        floor = 1e-12 * (e.variance[a] + e.variance[b])
        se = np.sqrt(np.where(variance <= floor, 0, variance))
        real = se > 0
        t = np.divide(difference, se, out=np.zeros_like(se), where=real)
        p = 2 * special.stdtr(self.df, -np.abs(t))
        p_adjusted = np.full(len(p), np.nan)
        p_adjusted[real] = adjusted(p[real], self.request.adjust)
        key = {"variable": stub.variable} | ({} if stub.code is None else {"code": stub.code})
        for k in np.flatnonzero(real).tolist():
            i, j = pairs[k]
            diff, error, quotient, plain, fair = (float(x[k]) for x in (difference, se, t, p, p_adjusted))
            yield Columns(key, self.over.heading.variables, paths[i], paths[j], diff, error, quotient, plain, fair)


def _difference(linear: Linear, a: Ints, b: Ints) -> Linear:
    return linear.pick(a).minus(linear.pick(b))


def _there(value: float) -> float | None:
    return value if value == value else None


class _Categories(_Part):
    """A coded or several-answer stub."""

    def __init__(self, sample: Sample, name: str, over: Across, request: TableRequest, where: str) -> None:
        super().__init__(sample, over, request)
        self.several = sample.data.variable(name, where).kind == "multi"
        make = multi_block if self.several else coded_block
        self.block: Block = make(sample, name, over, where)
        self.heading = self.block.stub
        self.name = name
        self.stub_keys = [StubKey(name, c.code) for c in self.heading.categories]
        known = [c.in_codebook for c in self.heading.categories]
        self.known = np.flatnonzero(known)
        self.codes = np.array([c.code for c in self.heading.categories], np.float64)[self.known]

    def total_cells(self) -> Iterator[Cell]:
        yield from self._column(None, ())

    def cells(self) -> Iterator[Cell]:
        for c, path in enumerate(self.keys):
            yield from self._column(c, path)
        if "row_pct" in self.show:
            for r, key in enumerate(self.stub_keys):
                row = self.block.part(r, None)
                c = self.over.columns
                ww = None if self.block.ww is None else self.block.ww[:, r, :c]
                row = Sums(self.block.w[:, r, :c], ww, self.block.n[r, :c])
                e = est.shares(row, self.block.answered_row(r).over(c), self.units)
                yield from self._emit([key] * c, self.keys, "row_pct", e, share=True, with_n=True)
        if not self.several and _OF_NUMBERS & set(self.show) and self.keys:
            yield from self._as_numbers(range(self.over.columns), self.keys)

    def _column(self, column: int | None, path: tuple[BannerKey, ...]) -> Iterator[Cell]:
        keys, paths = self.stub_keys, [path] * len(self.stub_keys)
        part = self.block.part(None, column)
        if "n" in self.show:
            yield from (Cell(key, path, "n", n) for key, n in zip(keys, part.n.tolist(), strict=True))
        if "count" in self.show:
            yield from self._emit(keys, paths, "count", est.totals(part, self.units), share=False, with_n=True)
        if "col_pct" in self.show:
            e = self._col_pct(column)
            yield from self._emit(keys, paths, "col_pct", e, share=True, with_n=True)
        if "total_pct" in self.show:
            base = self.block.base(None) if column is None else self.block.answered_all()
            e = est.shares(part, base.over(self.block.rows), self.units)
            yield from self._emit(keys, paths, "total_pct", e, share=True, with_n=True)
        if "response_pct" in self.show and self.block.responses is not None:
            e = self._response_pct(column)
            yield from self._emit(keys, paths, "response_pct", e, share=True, with_n=True)
        if column is None and not self.several and _OF_NUMBERS & set(self.show):
            yield from self._as_numbers([None], [()])

    def _col_pct(self, column: int | None) -> Estimates:
        return est.shares(self.block.part(None, column), self.block.base(column).over(self.block.rows), self.units)

    def _response_pct(self, column: int | None) -> Estimates:
        """Per cent of responses: the base is Σ w m, m the number of options a case chose."""
        assert self.block.responses is not None
        part = self.block.part(None, column)
        w, n, mm, cross = self.block.responses.at(column)
        whole = w.sum(0)
        with np.errstate(all="ignore"):
            r = np.where(whole > 0, part.w.sum(0) / whole, np.nan)
            squares = None
            if part.squares is not None and mm is not None and cross is not None:
                squares = np.maximum((part.squares - 2 * r * cross + r**2 * mm) / whole**2, 0)
            linear = Linear((part.w - r * w) / whole, squares)
            variance = variances(linear, self.units)
            base = np.broadcast_to(n, r.shape)
            variance = np.where(variance <= 1e-12 * r * (1 - r) / np.maximum(base, 1), 0.0, variance)
        return Estimates(r, linear, variance, part.n, base, np.full(len(r), np.nan))

    def _mean(self, columns: list[int | None]) -> tuple[Estimates, Spread]:
        w, ww, n = self._known(columns)
        moments = est.coded_moments(self.codes, w, ww, n)
        weights = w.sum(0)
        values = Distribution(
            np.repeat(self.codes, len(columns)), np.tile(np.arange(len(columns)), len(self.codes)), weights.ravel(), len(columns)
        )
        spread = est.spread(values, moments.counts)
        return est.means(moments, spread.sd, self.units), spread

    def _known(self, columns: list[int | None]) -> tuple[Floats, Floats | None, Ints]:
        """w, ww (U, R, m) and n (R, m) of the codes the scale knows, in some columns."""
        parts = [self.block.part(None, c) for c in columns]
        w = np.stack([p.w[:, self.known] for p in parts], 2)
        squares = [p.squares[:, self.known] for p in parts if p.squares is not None]
        return w, np.stack(squares, 2) if squares else None, np.stack([p.n[self.known] for p in parts], 1)

    def _as_numbers(self, columns: "range | list[None]", banner: list[tuple[BannerKey, ...]]) -> Iterator[Cell]:
        which: list[int | None] = list(columns)
        self._which = which
        mean, spread = self._mean(which)
        weights = self._known(which)[0].sum(0)
        ranks = [
            est.ranked(self.codes[weights[:, c] > 0], weights[weights[:, c] > 0, c]) if weights[:, c].any() else None
            for c in range(len(which))
        ]
        yield from self._numbers(self.name, banner, mean, spread, ranks)

    def _below(self, value: float, column: int) -> Estimates:
        w, ww, n = self._known([self._which[column]])
        below = self.codes <= value
        part = Sums(w[:, below, 0].sum(1)[:, None], None if ww is None else ww[:, below, 0].sum(1)[:, None], n[below].sum(0))
        base = Sums(w[:, :, 0].sum(1)[:, None], None if ww is None else ww[:, :, 0].sum(1)[:, None], n.sum(0))
        return est.shares(part, base, self.units)

    def tests(self) -> Iterator[Independence | Columns]:
        names = self.over.heading.variables
        c = self.over.columns
        if "independence" in self.request.tests and len(names) == 1 and not self.several:
            ww = None if self.block.ww is None else self.block.ww[:, :, :c]
            found = independence(self.block.w[:, :, :c], ww, int(self.block.n[:, :c].sum()), self.units)
            if found is not None:
                yield Independence(self.name, names, *found)
        if "columns" in self.request.tests and c > 1:
            columns = [self._col_pct(k) for k in range(c)]
            for r, key in enumerate(self.stub_keys):
                yield from self._compare(key, _gathered(columns, r), list(range(c)))
            if "mean" in self.show and not self.several:
                yield from self._compare(StubKey(self.name), self._mean(list(range(c)))[0], list(range(c)))


def _gathered(columns: list[Estimates], row: int) -> Estimates:
    """One row's estimates over several columns."""
    squares = [e.linear.squares[:, row] for e in columns if e.linear.squares is not None]
    linear = Linear(np.stack([e.linear.totals[:, row] for e in columns], 1), np.stack(squares, 1) if squares else None)
    pick = {name: np.array([getattr(e, name)[row] for e in columns]) for name in ("est", "variance", "n", "base_n", "deff")}
    return Estimates(linear=linear, **pick)


class _Number(_Part):
    """A number as stub: one row of means and their like."""

    def __init__(self, sample: Sample, name: str, over: Across, request: TableRequest, where: str) -> None:
        super().__init__(sample, over, request)
        self.name = name
        self.heading = StubHeading(name, sample.data.variable(name, where).title, "number", ())
        column = sample.data.column(name, where)
        self.inside = column.answered & sample.who
        self.y = np.where(self.inside, column.values, 0.0)

    def _measured(self, index: NDArray[Any], columns: int) -> tuple[Estimates, Spread]:
        """Means and spread by domain; cases of domain `columns` are in none."""
        units, weight = self.units, self.sample.weight
        moments = tally_number(self.y, self.inside, index, units.unit, weight, (units.rows, columns + 1), units.own)
        who = self.inside
        values = Distribution(self.y[who], index[who].astype(np.int64), weight[who], columns + 1)
        spread = est.spread(values, moments.counts)
        return est.means(moments, spread.sd, units), spread

    def _domain(self, column: int | None) -> Bools:
        return self.inside if column is None else self.inside & (self.over.index == column)

    def _below(self, value: float, column: int) -> Estimates:
        domain = self._domain(self._which[column])
        below = domain & (self.y <= value)
        return est.shares(self._sum(below), self._sum(domain), self.units)

    def _sum(self, who: Bools) -> Sums:
        units, weight = self.units, self.sample.weight
        w = np.bincount(units.unit[who], weights=weight[who], minlength=units.rows).astype(np.float64)[:, None]
        squares = est.own_squares(units.unit, weight, units.rows, who) if units.own else None
        return Sums(w, squares, np.array([int(who.sum())]))

    def _rows(self, which: list[int | None], e: Estimates, spread: Spread, banner: list[tuple[BannerKey, ...]]) -> Iterator[Cell]:
        self._which = which
        ranks: list[est.Ranked | None] = [None] * len(which)
        if "median" in self.show:
            domains = [self._domain(c) for c in which]
            ranks = [est.ranked(self.y[d], self.sample.weight[d]) if d.any() else None for d in domains]
        yield from self._numbers(self.name, banner, e, spread, ranks)

    def total_cells(self) -> Iterator[Cell]:
        nowhere = np.zeros(self.sample.data.n, np.int8)
        e, spread = self._measured(nowhere, 0)
        yield from self._rows([None], e, spread, [()])

    def _columns(self) -> tuple[Estimates, Spread]:
        e, spread = self._measured(self.over.index, self.over.columns)
        keep = np.arange(self.over.columns)
        narrow = {name: getattr(e, name)[keep] for name in ("est", "variance", "n", "base_n", "deff")}
        return Estimates(linear=e.linear.pick(keep), **narrow), Spread(
            spread.sd[keep], spread.skewness[keep], spread.kurtosis[keep]
        )

    def cells(self) -> Iterator[Cell]:
        if self.keys:
            e, spread = self._columns()
            yield from self._rows(list(range(self.over.columns)), e, spread, self.keys)

    def tests(self) -> Iterator[Independence | Columns]:
        if "columns" in self.request.tests and self.over.columns > 1:
            yield from self._compare(StubKey(self.name), self._columns()[0], list(range(self.over.columns)))
