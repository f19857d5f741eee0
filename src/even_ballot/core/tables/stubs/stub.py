"""One stub variable against one banner entry: what all kinds of stub share when figures become cells and
tests."""

import math
from collections.abc import Iterator, Sequence
from itertools import combinations
from typing import Any, Literal

import numpy as np
import scipy

from even_ballot.core.estimation.comparisons import ColumnComparison, adjusted_p_values
from even_ballot.core.estimation.estimates import Estimates
from even_ballot.core.estimation.intervals import IntervalEnds, proportion, symmetric
from even_ballot.core.estimation.trend import Trend
from even_ballot.core.numerics.arrays import Floats, Ints
from even_ballot.core.sampling.units import Units
from even_ballot.core.sampling.variance import variances
from even_ballot.core.tables.banner import BannerColumns
from even_ballot.core.tables.results import BannerKey, BannerPath, Cell, Plain, StubHeading, StubKey, Test
from even_ballot.core.tables.stubs.domain import Domain
from even_ballot.core.tables.table_request import TableRequest


def there(value: float) -> float | None:
    """A figure, or None where no number holds it.

    >>> there(0.5), there(float("nan")), there(float("inf"))
    (0.5, None, None)
    """
    return value if math.isfinite(value) else None


def said(key: StubKey) -> dict[str, Any]:
    """A stub row as tests name it.

    >>> said(StubKey("crosses", 3))
    {'variable': 'crosses', 'code': 3}
    """
    return {
        name: getattr(key, name) for name in ("variable", "code", "net") if getattr(key, name) is not None
    }


def _rounding(e: Estimates, at: Ints) -> Floats:
    """What a variance of shares may be by rounding alone."""
    return np.asarray(1e-12 * e.est[at] * (1 - e.est[at]) / np.maximum(e.base_n[at], 1))


class StubByBanner:
    """One stub variable against one banner entry; its columns are the total and those of the entry."""

    heading: StubHeading

    def __init__(self, domain: Domain, over: BannerColumns, request: TableRequest) -> None:
        self.domain, self.over, self.request = domain, over, request
        self.units: Units = domain.units
        self.df = self.units.degrees_of_freedom
        self.show = request.show
        self.paths: list[BannerPath] = [
            (),
            *(tuple(map(BannerKey.of, over.heading.variables, path)) for path in over.paths),
        ]

    def cells(self, first: int) -> Iterator[Cell]:
        """The cells of every column from the first wanted (0: the total)."""
        raise NotImplementedError

    def tests(self) -> Iterator[Test]:
        """The tests asked for."""
        raise NotImplementedError

    def degrees_for(self, own: Ints | None) -> Floats:
        """The degrees of freedom of Student's t; own: those of the figures' cases, of any shape. NaN where
        there are none."""
        df = np.asarray(self.df, np.float64)
        if own is not None and self.request.interval.df == "cell":
            df = np.minimum(own, df)
        return np.where(df < 1, np.nan, df)

    def limits(self, e: Estimates, share: bool = False, df: Ints | None = None) -> IntervalEnds:
        """The limits of estimates of any shape; NaN where there are no degrees of freedom. df: those of the
        figures' own cases."""
        t_df, interval = np.broadcast_to(self.degrees_for(df), e.est.shape), self.request.interval
        if share:
            low, high = proportion(e.est, e.variance, e.base_n, t_df, interval)
        else:
            low, high = symmetric(e.est, np.sqrt(e.variance), t_df, interval)
        low, high = (np.where(np.isnan(t_df), np.nan, limit) for limit in (low, high))
        return low, high

    def emit(
        self,
        keys: Sequence[StubKey],
        paths: Sequence[BannerPath],
        stat: str,
        e: Estimates,
        *,
        share: bool = False,
        with_n: bool = False,
        df: Ints | None = None,
        plain: list[list[Plain | None]] | None = None,
        limits: IntervalEnds | None = None,
        counted: bool = False,
        of_one_case: bool = True,
    ) -> Iterator[Cell]:
        """A cell for each estimate there is, rows × columns, with its interval where the design has
        degrees of freedom. df: broadcast to rows × columns; plain: by column and row; limits: where they
        are not the usual ones; counted: it is of no base; of_one_case: whether one case alone has an
        interval."""
        low, high = limits or self.limits(e, share, df)
        if not of_one_case:
            low, high = (np.where(e.base_n == 1, np.nan, limit) for limit in (low, high))
        figures = [x.T.tolist() for x in (e.est, np.sqrt(e.variance), low, high, e.n, e.base_n, e.deff)]
        own = None if df is None else np.broadcast_to(df, e.est.shape).T.tolist()
        for c, (path, *column) in enumerate(zip(paths, *figures, strict=True)):
            for r, (key, value, s, lo, hi, n, base, deff) in enumerate(zip(keys, *column, strict=True)):
                if math.isfinite(value) and (counted or base > 0):
                    yield Cell(
                        key,
                        path,
                        stat,
                        value,
                        there(s),
                        there(lo),
                        there(hi),
                        n if with_n else None,
                        None if counted else base,
                        there(deff),
                        own[c][r] if own else None,
                        plain[c][r] if plain else None,
                    )

    def _compare(
        self, stub: StubKey, e: Estimates, share: bool = False, stat: Literal["ratio"] | None = None
    ) -> Iterator[ColumnComparison]:
        """All pairs of columns that share their outer categories and no cases. e: (C,), an estimate for
        each but the total; share: they are shares; stat: they are neither shares nor means."""
        if self.df < 1:
            return
        paths = self.over.paths
        pairs = [(i, j) for i, j in combinations(range(len(paths)), 2) if paths[i][:-1] == paths[j][:-1]]
        pairs = [
            (i, j) for i, j in pairs if e.base_n[i] > 0 and e.base_n[j] > 0 and not self.over.overlap(i, j)
        ]
        if not pairs:
            return
        a, b = (np.array(side) for side in zip(*pairs, strict=True))
        difference = e.est[a] - e.est[b]
        variance = variances(e.linear.at(a).minus(e.linear.at(b)), self.units)
        floor = _rounding(e, a) + _rounding(e, b) if share else np.zeros(len(a))
        se = np.sqrt(np.where(variance <= floor, 0, variance))
        real = se > 0
        t = np.divide(difference, se, out=np.zeros_like(se), where=real)
        p = 2 * scipy.special.stdtr(self.df, -np.abs(t))
        p_adjusted = np.full(len(p), np.nan)
        p_adjusted[real] = adjusted_p_values(p[real], self.request.adjust)
        low, high = symmetric(difference, se, self.df, self.request.interval)
        key = said(stub)
        for k in np.flatnonzero(real).tolist():
            i, j = pairs[k]
            diff, error, quotient, plain, fair = (float(x[k]) for x in (difference, se, t, p, p_adjusted))
            limits = there(float(low[k])), there(float(high[k]))
            yield ColumnComparison(
                key,
                self.over.heading.variables,
                paths[i],
                paths[j],
                diff,
                error,
                quotient,
                plain,
                fair,
                *limits,
                stat=stat,
            )

    def _trend(self, keys: list[StubKey], slope: Floats, variance: Floats) -> Iterator[Trend]:
        """A test for each slope that has a standard error."""
        if self.df < 1:
            return
        se = np.sqrt(variance)
        low, high = symmetric(slope, se, self.df, self.request.interval)
        for key, b, s, lo, hi in zip(
            keys, slope.tolist(), se.tolist(), low.tolist(), high.tolist(), strict=True
        ):
            if s > 0 and b == b:
                t = b / s
                p = float(2 * scipy.special.stdtr(self.df, -abs(t)))
                yield Trend(said(key), self.over.heading.variables, b, s, t, p, there(lo), there(hi))
