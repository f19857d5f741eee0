"""One stub variable against one banner entry: what all kinds of stub share when figures become cells and tests."""

from collections.abc import Iterator
from itertools import combinations
from typing import Any

import numpy as np
from scipy import special

from even_ballot.core.data.dataset import Floats, Ints
from even_ballot.core.estimation import estimates as est
from even_ballot.core.estimation.comparisons import Columns, adjusted
from even_ballot.core.estimation.estimates import Estimates, Spread
from even_ballot.core.estimation.intervals import proportion, symmetric
from even_ballot.core.estimation.trend import Trend
from even_ballot.core.sampling.units import Units
from even_ballot.core.sampling.variance import variances
from even_ballot.core.tables.banner import Across
from even_ballot.core.tables.request import TableRequest
from even_ballot.core.tables.results import BannerKey, Cell, Plain, StubHeading, StubKey, Test
from even_ballot.core.tables.stubs.domain import Sample

_SPREAD = ("sd", "skewness", "kurtosis")


def quantile_of(stat: str) -> float | None:
    """The share that a stat's quantile has below it: median, q25, q97.5; None for other stats."""
    if stat == "median":
        return 0.5
    return float(stat[1:]) / 100 if stat[0] == "q" else None


def is_of_numbers(stat: str) -> bool:
    return stat in ("mean", "mode", *_SPREAD) or quantile_of(stat) is not None


Path = tuple[BannerKey, ...]


def there(value: float) -> float | None:
    return value if value == value else None


def said(key: StubKey) -> dict[str, Any]:
    """A stub row as tests name it."""
    return {name: getattr(key, name) for name in ("variable", "code", "net") if getattr(key, name) is not None}


def _rounding(e: Estimates, at: Ints) -> Floats:
    """What a variance of shares may be by rounding alone."""
    return np.asarray(1e-12 * e.est[at] * (1 - e.est[at]) / np.maximum(e.base_n[at], 1))


class Part:
    """One stub variable against one banner entry; its columns are the total and those of the entry."""

    heading: StubHeading

    def __init__(self, sample: Sample, over: Across, request: TableRequest) -> None:
        self.sample, self.over, self.request = sample, over, request
        self.units: Units = sample.units
        self.df = self.units.degrees_of_freedom
        self.show = request.show
        self.paths: list[Path] = [(), *(tuple(map(BannerKey.of, over.heading.variables, path)) for path in over.paths)]

    def cells(self, first: int) -> Iterator[Cell]:
        """The cells of every column from the first wanted (0: the total)."""
        raise NotImplementedError

    def tests(self) -> Iterator[Test]:
        """The tests asked for."""
        raise NotImplementedError

    def _emit(
        self, keys: list[StubKey], paths: list[Path], stat: str, e: Estimates, share: bool = False, with_n: bool = False,
        df: Ints | None = None, plain: list[list[Plain | None]] | None = None,
    ) -> Iterator[Cell]:  # fmt: skip
        """A cell for each estimate there is, rows × columns, with its interval where the design has degrees of freedom. df:
        broadcast to rows × columns; plain: by column and row."""
        se = np.sqrt(e.variance)
        low = high = np.full(e.est.shape, np.nan)
        if self.df > 0 and share:
            low, high = proportion(e.est, e.variance, e.base_n, self.df, self.request.interval)
        elif self.df > 0:
            low, high = symmetric(e.est, se, self.df, self.request.interval)
        if stat == "mean":
            # One case says nothing of how its like differ.
            low, high = (np.where(e.base_n == 1, np.nan, limit) for limit in (low, high))
        figures = [x.T.tolist() for x in (e.est, se, low, high, e.n, e.base_n, e.deff)]
        own = None if df is None else np.broadcast_to(df, e.est.shape).T.tolist()
        for c, (path, *column) in enumerate(zip(paths, *figures, strict=True)):
            for r, (key, value, s, lo, hi, n, base, deff) in enumerate(zip(keys, *column, strict=True)):
                if (value == value and base > 0) or stat == "count":
                    yield Cell(
                        key, path, stat, value, there(s), there(lo), there(hi),
                        n if with_n else None, None if stat == "count" else base, there(deff), own[c][r] if own else None,
                        plain[c][r] if plain else None,
                    )  # fmt: skip

    def _numbers(
        self, variable: str, first: int, mean: Estimates, spread: Spread, ranks: list[est.Ranked | None], df: Ints | None
    ) -> Iterator[Cell]:
        """mean, spread, quantiles and modes of every column from the first wanted."""
        key, paths, columns = StubKey(variable), self.paths[first:], slice(first, None)
        own = df if df is None else df[columns]
        bases = mean.base_n.tolist()
        for stat in self.show:
            if stat == "mean":
                plain = [[p] for p in self._plain_means(mean, spread)[columns]] if self.request.plain else None
                yield from self._emit([key], paths, "mean", mean.at(None, columns), df=own, plain=plain)
            elif stat in _SPREAD:
                for c, value in enumerate(getattr(spread, stat).tolist()):
                    if c >= first and value == value and bases[c] > 0:
                        yield Cell(key, self.paths[c], stat, value, base_n=bases[c])
            elif (q := quantile_of(stat)) is not None:
                for c, ranks_of in enumerate(ranks):
                    if c >= first and ranks_of is not None:
                        low, high = self._woodruff(ranks_of, q, c)
                        yield Cell(key, self.paths[c], stat, ranks_of.quantile(q), low=low, high=high, base_n=bases[c])
            elif stat == "mode":
                for c, ranks_of in enumerate(ranks):
                    if c >= first and ranks_of is not None:
                        yield from (Cell(key, self.paths[c], stat, value, base_n=bases[c]) for value in ranks_of.modes())

    def _plain_means(self, mean: Estimates, spread: Spread) -> list[Plain | None]:
        """Means as if the cases were a simple random sample, by column."""
        means, deviations = self._unweighted()
        found: list[Plain | None] = []
        for a, s, b, sd, n in zip(means, deviations, mean.est.tolist(), spread.sd.tolist(), mean.base_n.tolist(), strict=True):
            found.append(Plain(a, there(s / n**0.5), b, there(sd / n**0.5)) if n > 0 else None)
        return found

    def _unweighted(self) -> tuple[list[float], list[float]]:
        """Unweighted mean and standard deviation of every column; NaN where there is none."""
        raise NotImplementedError

    def _woodruff(self, ranks: est.Ranked, q: float, column: int) -> tuple[float | None, float | None]:
        """A quantile's limits: those of the share at or below it, turned back (Woodruff, 1952)."""
        if self.df < 1:
            return None, None
        variance = float(self._below(ranks.quantile(q), column).variance.item())
        interval = self.request.interval
        half = float(interval.t(self.df)) * variance**0.5
        if half != half:
            return None, None
        low, high = ranks.quantile(max(q - half, 0)), ranks.quantile(min(q + half, 1))
        return (None if interval.sides == "upper" else low), (None if interval.sides == "lower" else high)

    def _below(self, value: float, column: int) -> Estimates:
        """The share of a column's cases at or below a value."""
        raise NotImplementedError

    def _compare(self, stub: StubKey, e: Estimates, share: bool = False) -> Iterator[Columns]:
        """All pairs of columns that share their outer categories and no cases. e: (C,), an estimate for each but the total; share:
        they are shares."""
        if self.df < 1:
            return
        paths = self.over.paths
        pairs = [(i, j) for i, j in combinations(range(len(paths)), 2) if paths[i][:-1] == paths[j][:-1]]
        pairs = [(i, j) for i, j in pairs if e.base_n[i] > 0 and e.base_n[j] > 0 and not self.over.overlap(i, j)]
        if not pairs:
            return
        a, b = (np.array(side) for side in zip(*pairs, strict=True))
        difference = e.est[a] - e.est[b]
        variance = variances(e.linear.at(a).minus(e.linear.at(b)), self.units)
        floor = _rounding(e, a) + _rounding(e, b) if share else np.zeros(len(a))
        se = np.sqrt(np.where(variance <= floor, 0, variance))
        real = se > 0
        t = np.divide(difference, se, out=np.zeros_like(se), where=real)
        p = 2 * special.stdtr(self.df, -np.abs(t))
        p_adjusted = np.full(len(p), np.nan)
        p_adjusted[real] = adjusted(p[real], self.request.adjust)
        low, high = symmetric(difference, se, self.df, self.request.interval)
        key = said(stub)
        for k in np.flatnonzero(real).tolist():
            i, j = pairs[k]
            diff, error, quotient, plain, fair = (float(x[k]) for x in (difference, se, t, p, p_adjusted))
            limits = there(float(low[k])), there(float(high[k]))
            yield Columns(key, self.over.heading.variables, paths[i], paths[j], diff, error, quotient, plain, fair, *limits)

    def _trend(self, keys: list[StubKey], slope: Floats, variance: Floats) -> Iterator[Trend]:
        """A test for each slope that has a standard error."""
        if self.df < 1:
            return
        se = np.sqrt(variance)
        low, high = symmetric(slope, se, self.df, self.request.interval)
        for key, b, s, lo, hi in zip(keys, slope.tolist(), se.tolist(), low.tolist(), high.tolist(), strict=True):
            if s > 0 and b == b:
                t = b / s
                p = float(2 * special.stdtr(self.df, -abs(t)))
                yield Trend(said(key), self.over.heading.variables, b, s, t, p, there(lo), there(hi))
