"""A variable's own row: figures of a number, or of codes taken as numbers."""

import math
from abc import abstractmethod
from collections.abc import Iterator, Sequence

from even_ballot.core.estimation.estimates import Estimates
from even_ballot.core.estimation.intervals import IntervalEnds
from even_ballot.core.estimation.quantiles import Ranks
from even_ballot.core.lazy import lazy
from even_ballot.core.numerics.arrays import Ints
from even_ballot.core.tables.results import Cell, Plain, StubKey
from even_ballot.core.tables.statistics import statistic_of
from even_ballot.core.tables.statistics.rows import NumberRow, Quantile
from even_ballot.core.tables.stubs.stub import StubByBanner, there


class OwnRow(NumberRow):
    """What such rows share; means, spread, ranks and shares below a value are the kind's own."""

    def __init__(self, part: StubByBanner, name: str) -> None:
        self.part, self.units, self.paths = part, part.units, part.paths
        self.key = StubKey(name)

    @property
    @abstractmethod
    def degrees(self) -> Ints | None:
        """PSUs less strata of every column's own cases, (1 + C,)."""

    @abstractmethod
    def below(self, value: float, column: int) -> Estimates:
        """The share of a column's cases at or below a value."""

    @abstractmethod
    def unweighted(self) -> tuple[list[float], list[float]]:
        """Unweighted mean and standard deviation of every column; NaN where there is none."""

    @lazy
    def _bases(self) -> list[int]:
        return [int(n) for n in self.means().base_n]

    @lazy
    def _ranks(self) -> list[Ranks | None]:
        return self.ranks()

    def emit_means(
        self,
        stat: str,
        e: Estimates,
        first: int,
        plain: list[Plain | None] | None = None,
        limits: IntervalEnds | None = None,
        df: Ints | None = None,
        of_one_case: bool = False,
    ) -> Iterator[Cell]:
        columns = slice(first, None)
        ends = None if limits is None else (limits[0][None, columns], limits[1][None, columns])
        df = self.degrees if df is None else df
        df = None if df is None else df[columns]
        beside = None if plain is None else [[p] for p in plain[columns]]
        # One case says nothing of how its like differ; of a total it says as much as any.
        yield from self.part.emit(
            [self.key],
            self.paths[columns],
            stat,
            e.at(None, columns),
            df=df,
            plain=beside,
            limits=ends,
            of_one_case=of_one_case,
        )

    def limits(self, e: Estimates) -> IntervalEnds:
        return self.part.limits(e, df=self.degrees)

    def emit_values(self, stat: str, values: Sequence[float | None], first: int) -> Iterator[Cell]:
        for column, value in enumerate(values):
            if column >= first and value is not None and math.isfinite(value) and self._bases[column] > 0:
                yield from self.emit_value(stat, column, value)

    def emit_value(
        self,
        stat: str,
        column: int,
        value: float,
        low: float | None = None,
        high: float | None = None,
        se: float | None = None,
    ) -> Iterator[Cell]:
        degrees = self.degrees if statistic_of(stat).marked else None
        df = None if degrees is None else int(degrees[column])
        base = self._bases[column]
        yield Cell(self.key, self.paths[column], stat, value, se, low, high, base_n=base, df=df)

    def quantile(self, q: float, column: int) -> Quantile | None:
        ranks = self._ranks[column]
        if ranks is None:
            return None
        value, degrees = ranks.quantile(q), self.degrees
        df = float(self.part.degrees_for(None if degrees is None else degrees[column]))
        if df != df:
            return Quantile(value)
        error = float(self.below(value, column).variance.item()) ** 0.5
        if error != error:
            return Quantile(value)

        def ends(t: float) -> tuple[float, float]:
            return ranks.quantile(max(q - t * error, 0)), ranks.quantile(min(q + t * error, 1))

        interval = self.part.request.interval
        low, high = ends(float(interval.t(df)))
        # Its standard error is that of the two-sided interval, on whichever side limits are wanted.
        t = float(interval.model_copy(update={"sides": "both"}).t(df))
        lower, upper = ends(t)
        se = (upper - lower) / (2 * t)
        sides = interval.sides
        return Quantile(value, se, None if sides == "upper" else low, None if sides == "lower" else high)

    def plain_means(self) -> list[Plain | None] | None:
        if not self.part.request.plain:
            return None
        means, deviations = self.unweighted()
        weighted, spread = self.means().est.tolist(), self.spread().sd.tolist()
        found: list[Plain | None] = []
        for a, s, b, sd, n in zip(means, deviations, weighted, spread, self._bases, strict=True):
            found.append(Plain(a, there(s / n**0.5), b, there(sd / n**0.5)) if n > 0 else None)
        return found
