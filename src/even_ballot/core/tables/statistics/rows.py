"""What a stub against a banner entry offers to the figures that are made of it."""

from abc import ABC, abstractmethod
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import Protocol

from even_ballot.core.estimation.estimates import Estimates, Sums
from even_ballot.core.estimation.intervals import IntervalEnds
from even_ballot.core.estimation.quantiles import Ranks
from even_ballot.core.estimation.spread import Spread
from even_ballot.core.numerics.arrays import Floats, Ints
from even_ballot.core.sampling.units import Units
from even_ballot.core.tables.results import BannerPath, Cell, Plain, StubKey


class OfBases(Protocol):
    """PSUs less strata among the cases of bases."""

    @property
    def column(self) -> Ints:
        """Of each column, (1 + C,)."""

    @property
    def row(self) -> Ints:
        """Of each row, among those who answered the banner, (R,)."""

    @property
    def total(self) -> Ints:
        """Of the bases of total per cent, (1 + C,)."""

    @property
    def responses(self) -> Ints | None:
        """Of each column's responses, (1 + C,)."""


class Counted(Protocol):
    """The sums that a stub's figures are made of, the total column first."""

    @property
    def part(self) -> Sums:
        """Each row's own cases, (R, 1 + C)."""

    @property
    def inner(self) -> Sums:
        """Those without the total column, (R, C)."""

    @property
    def answered_row(self) -> Sums:
        """Cases of each row that answered the banner, (R, 1)."""

    @property
    def answered(self) -> Sums:
        """Bases of total per cent, (1, 1 + C)."""

    @property
    def categories(self) -> int:
        """Rows without nets."""

    @property
    def df(self) -> OfBases:
        """Of their bases."""


class CategoryRows(ABC):
    """The rows of a coded or several-answer stub; the first column is the total."""

    units: Units
    keys: list[StubKey]
    paths: list[BannerPath]
    block: Counted

    @abstractmethod
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
        counted: bool = False,
    ) -> Iterator[Cell]:
        """A cell for each estimate there is, rows × columns, with its interval. df: broadcast to them;
        counted: of no base."""

    @abstractmethod
    def column_shares(self) -> Estimates:
        """Shares of each row in its column, (R, 1 + C)."""

    @abstractmethod
    def response_shares(self) -> Estimates | None:
        """Shares of each option in all that were chosen, (options, 1 + C); None where each case gives one
        answer."""

    @abstractmethod
    def plain_shares(self, e: Estimates) -> list[list[Plain | None]] | None:
        """The same as of a simple random sample, by column and row, where that is asked for."""


@dataclass(frozen=True)
class Quantile:
    """A quantile, its standard error (half the width of its two-sided Woodruff interval over t), and its
    limits."""

    value: float
    se: float | None = None
    low: float | None = None
    high: float | None = None


class NumberRow(ABC):
    """A variable's own row: of a number, or of codes taken as numbers. One value a column, the first the
    total."""

    units: Units
    paths: list[BannerPath]

    @abstractmethod
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
        """A cell for each estimate there is, (1 + C,), from the first column wanted, with its interval:
        est ± t·se, or limits. df: (1 + C,), where they are not those of the row's own cases; of_one_case:
        whether one case alone has an interval."""

    @abstractmethod
    def limits(self, e: Estimates) -> IntervalEnds:
        """est ± t·se of every column, NaN where there are no degrees of freedom or one case alone."""

    @abstractmethod
    def emit_values(self, stat: str, values: Sequence[float | None], first: int) -> Iterator[Cell]:
        """A cell for each value there is, without a standard error."""

    @abstractmethod
    def emit_value(
        self,
        stat: str,
        column: int,
        value: float,
        low: float | None = None,
        high: float | None = None,
        se: float | None = None,
    ) -> Iterator[Cell]:
        """The cell of one value."""

    @abstractmethod
    def means(self) -> Estimates:
        """Means of every column."""

    def totals(self) -> Estimates | None:
        """Totals of a number in every column; None of codes."""
        return None

    def ratios(self) -> tuple[Estimates, Ints] | None:
        """Ratios of a number to another in every column, and PSUs less strata of each; None of codes."""
        return None

    @abstractmethod
    def means_of(self, function: Callable[[Floats], Floats]) -> Estimates:
        """Means of a function of the values; NaN in a column where it is not a number for a case."""

    @abstractmethod
    def spread(self) -> Spread:
        """sd, skewness and kurtosis of every column."""

    @abstractmethod
    def ranks(self) -> list[Ranks | None]:
        """Values in ascending order, by column."""

    @abstractmethod
    def quantile(self, q: float, column: int) -> Quantile | None:
        """A quantile with Woodruff's limits; None where there is no case."""

    @abstractmethod
    def plain_means(self) -> list[Plain | None] | None:
        """Means as of a simple random sample, by column, where that is asked for."""
