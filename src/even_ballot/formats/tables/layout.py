"""A table laid out in rows and columns: what every format that shows tables is given."""

from dataclasses import dataclass, replace
from typing import Literal

from even_ballot.core.tables.results import (
    BannerKey,
)
from even_ballot.core.tables.statistics import Shape

Kind = Literal["estimate", "se", "low", "high", "rse", "deff", "effective"]
"""What a line holds: the figure itself, or what stands beside it."""


@dataclass(frozen=True)
class Line:
    """One line of figures: the category (said on its first line only), what the figures are, and one for each
    column.

    code, net and stat say which cells the figures come from; kind: what of them. letters: of columns that
    each value exceeds by more than sampling would explain; marks: why each is weak; hidden: which are not
    shown; each None where there is nothing to say. variable, shapes: of a battery's line, its item and how
    its figures are printed column by column.
    """

    code: int | None
    net: str | None
    stat: str
    category: str
    kind: Kind
    figure: str
    shape: Shape
    values: tuple[float | None, ...]
    strong: bool
    marked: bool = False
    letters: tuple[str | None, ...] | None = None
    marks: tuple[tuple[str, ...], ...] | None = None
    hidden: tuple[bool, ...] | None = None
    variable: str | None = None
    shapes: tuple[Shape, ...] | None = None
    absent: tuple[bool, ...] | None = None

    def cut(self, most: int) -> "Line":
        """The same with its first columns alone."""
        return replace(
            self,
            values=self.values[:most],
            letters=None if self.letters is None else self.letters[:most],
            marks=None if self.marks is None else self.marks[:most],
            hidden=None if self.hidden is None else self.hidden[:most],
            shapes=None if self.shapes is None else self.shapes[:most],
            absent=None if self.absent is None else self.absent[:most],
        )


@dataclass(frozen=True)
class Bases:
    """What the figures of each column are of, unweighted: cases, or responses; None where hidden. every: of
    so many columns only the first has one."""

    label: str
    values: tuple[int | None, ...]
    every: int = 1


@dataclass(frozen=True)
class Section:
    """A stub variable: its question, its lines, and the bases of its columns. path: of a battery's
    section, the banner column whose cases it is of."""

    variable: str
    title: str
    lines: tuple[Line, ...]
    bases: tuple[Bases, ...]
    path: tuple[BannerKey, ...] | None = None


@dataclass(frozen=True)
class BatteryColumn:
    """A column of a battery: an answer, a net, or a figure of the whole item."""

    code: int | None
    net: str | None
    stat: str


@dataclass(frozen=True)
class Spanner:
    """A heading over some columns: first column, how many, text."""

    first: int
    span: int
    text: str


@dataclass(frozen=True)
class TestFigure:
    """A figure of a test: F, t, p, or a slope, with its decimal places."""

    symbol: str
    value: float
    places: int


@dataclass(frozen=True)
class WholeTest:
    """A test of a stub variable (of one of its rows, where `row` says which) by a banner entry, both by their
    titles; why: there is none."""

    name: str
    stub: str
    banner: str
    row: str
    figures: tuple[TestFigure, ...]
    why: str | None = None


@dataclass(frozen=True)
class Grid:
    """headings: rows of spanners, outermost first, over `columns` columns (the total, where it is shown,
    is the first); paths: the codes that each column stands for; letters: of the columns, where they are
    compared; notes: what letters and marks mean; figure: the one figure of all lines, where groups stand
    across; tests: of whole stubs, not of single columns."""

    columns: int
    paths: tuple[tuple[BannerKey, ...], ...]
    headings: tuple[tuple[Spanner, ...], ...]
    sections: tuple[Section, ...]
    letters: tuple[str | None, ...] | None = None
    notes: tuple[str, ...] = ()
    battery: tuple[BatteryColumn, ...] | None = None
    figure: str | None = None
    tests: tuple[WholeTest, ...] = ()

    def cut(self, most: int) -> "Grid":
        """The same with its first columns alone."""
        headings = tuple(
            tuple(
                Spanner(s.first, min(s.span, most - s.first), s.text) for s in row if s.first < most
            )
            for row in self.headings
        )  # fmt: skip
        sections = tuple(
            replace(
                section,
                lines=tuple(line.cut(most) for line in section.lines),
                bases=tuple(replace(b, values=b.values[:most]) for b in section.bases),
            )
            for section in self.sections
        )
        letters = None if self.letters is None else self.letters[:most]
        return replace(
            self, columns=most, paths=self.paths[:most], headings=headings, sections=sections, letters=letters
        )
