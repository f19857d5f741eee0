"""What a released document is made of, the same for every format."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import groupby
from typing import Literal

from even_ballot.core.release.plan import Style


@dataclass(frozen=True)
class Run:
    """A piece of a paragraph, stressed or not."""

    text: str
    stressed: bool = False


@dataclass(frozen=True)
class Heading:
    """A heading; level: 1 is a part of the document. anchor: what links to it."""

    text: str
    level: int
    anchor: str


@dataclass(frozen=True)
class Paragraph:
    """A paragraph, or an item of a list."""

    runs: tuple[Run, ...]
    item: bool = False

    @property
    def text(self) -> str:
        """The paragraph as plain text."""
        return "".join(run.text for run in self.runs)


@dataclass(frozen=True)
class Head:
    """A heading over some columns: the first, how many, and over how many rows of headings it reaches."""

    first: int
    span: int
    text: str
    down: int = 1

    def cut(self, first: int, last: int) -> "Head":
        """So much of it as stands over columns first to last - 1, which become the first."""
        begins = max(self.first, first)
        return Head(begins - first, min(self.first + self.span, last) - begins, self.text, self.down)


@dataclass(frozen=True)
class Entry:
    """A cell of figures. text: as it is printed, with what stands beside it; value: the number itself, as
    it is written where cells hold numbers (per cents times 100), None where there is none; places: its
    decimal places; beside: marks, letters."""

    text: str
    value: float | None = None
    places: int = 0
    beside: str = ""


Weight = Literal["figure", "soft", "base"]


@dataclass(frozen=True)
class Row:
    """A row: its labels (one for each column of the stub) and its cells. weight: figures, what stands below
    them, or a base."""

    labels: tuple[str, ...]
    entries: tuple[Entry, ...]
    weight: Weight = "figure"


@dataclass(frozen=True)
class Group:
    """Rows under a title of their own; without one where there is only one thing."""

    title: str
    rows: tuple[Row, ...]


@dataclass(frozen=True)
class PrintedTable:
    """A table as it is printed. label: "Table 3", where tables are numbered; stub: headings of the stub's
    columns; heads: rows of headings over `columns` columns of figures; notes: below it, in order; id: in
    the study."""

    id: str
    anchor: str
    label: str
    title: str
    subtitle: str
    stub: tuple[str, ...]
    heads: tuple[tuple[Head, ...], ...]
    columns: int
    groups: tuple[Group, ...]
    notes: tuple[str, ...]

    @property
    def caption(self) -> str:
        """Number and title."""
        return f"{self.label}. {self.title}" if self.label else self.title

    def cut(self, first: int, last: int) -> "PrintedTable":
        """The same with columns first to last - 1 alone, the stub before them."""
        heads = tuple(
            tuple(h.cut(first, last) for h in row if h.first < last and h.first + h.span > first)
            for row in self.heads
        )
        groups = tuple(
            Group(g.title, tuple(Row(r.labels, r.entries[first:last], r.weight) for r in g.rows))
            for g in self.groups
        )
        return replace(self, heads=heads, columns=last - first, groups=groups)


Drawing = Literal["shares", "groups", "means", "odds", "effects"]


@dataclass(frozen=True)
class Series:
    """Values of a chart, one for each category; None where there is none. lows, highs: their limits."""

    name: str
    values: tuple[float | None, ...]
    lows: tuple[float | None, ...] = ()
    highs: tuple[float | None, ...] = ()


@dataclass(frozen=True)
class Chart:
    """What a picture shows. kind: shares that make up a whole, stacked; shares side by side in groups; means,
    odds ratios (on a logarithmic axis) or other effects, with their intervals."""

    kind: Drawing
    categories: tuple[str, ...]
    series: tuple[Series, ...]
    axis: str


@dataclass(frozen=True)
class Picture:
    """A picture: label "Figure 2" where they are numbered; says: what it shows, for those who do not see
    it."""

    id: str
    anchor: str
    label: str
    title: str
    chart: Chart
    says: str

    @property
    def caption(self) -> str:
        """Number and title."""
        return f"{self.label}. {self.title}" if self.label else self.title


Block = Heading | Paragraph | PrintedTable | Picture


@dataclass(frozen=True)
class Document:
    """A whole release. date: as it is printed; made: the same as year, month and day, which the files
    carry; contents: whether it has a table of contents."""

    title: str
    subtitle: str
    authors: tuple[str, ...]
    date: str
    made: tuple[int, int, int]
    blocks: tuple[Block, ...]
    style: Style
    contents: bool = True

    @property
    def headings(self) -> tuple[Heading, ...]:
        """All headings."""
        return tuple(of for of in self.blocks if isinstance(of, Heading))

    @property
    def tables(self) -> tuple[PrintedTable, ...]:
        """All tables."""
        return tuple(of for of in self.blocks if isinstance(of, PrintedTable))


def contents_of(document: Document) -> list[Heading]:
    """Lines of the contents: headings of the first two levels, and tables with their numbers below them."""
    lines: list[Heading] = []
    deep = 1
    for block in document.blocks:
        if isinstance(block, Heading) and block.level <= 2:
            lines.append(block)
            deep = 2
        elif isinstance(block, PrintedTable) and block.label:
            lines.append(Heading(block.caption, deep, block.anchor))
    return lines


def listed(blocks: Sequence[Block]) -> Iterator[Block | tuple[Paragraph, ...]]:
    """Blocks in order, items that follow one another together."""
    for item, run in groupby(blocks, lambda of: isinstance(of, Paragraph) and of.item):
        if item:
            yield tuple(of for of in run if isinstance(of, Paragraph))
        else:
            yield from run
