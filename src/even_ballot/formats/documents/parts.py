"""What a released document is made of, the same for every format."""

from dataclasses import dataclass, replace
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


_A_CHARACTER, _BETWEEN = 1.5, 3.8
"""Millimetres of a figure in print, and between two columns."""


def widths(table: PrintedTable) -> tuple[float, ...]:
    """How wide each column of figures is in print, in millimetres: as its longest entry, or the longest word
    of its own heading."""
    longest = [3] * table.columns
    for row in (row for group in table.groups for row in group.rows):
        small = 0.87 if row.weight == "soft" else 1.0
        for c, entry in enumerate(row.entries):
            longest[c] = max(longest[c], round(small * (len(entry.text) + len(entry.beside))))
    for head in (head for row in table.heads for head in row if head.span == 1):
        word = max((len(word) for word in head.text.split()), default=0)
        longest[head.first] = max(longest[head.first], min(word + 1, 20))
    return tuple(_A_CHARACTER * count + _BETWEEN for count in longest)


def stub_widths(table: PrintedTable) -> tuple[float, ...]:
    """How wide the columns of the stub are in print, in millimetres: as their longest label, within
    reason."""
    rows = [row for group in table.groups for row in group.rows]
    longest = (max((len(row.labels[c]) for row in rows), default=0) for c in range(len(table.stub)))
    return tuple(min(1.15 * _A_CHARACTER * max(count, 8) + _BETWEEN, 60.0) for count in longest)


def stub_width(table: PrintedTable) -> float:
    """How wide the stub is in print, in millimetres."""
    return sum(stub_widths(table))


def pieces(table: PrintedTable, room: float, most: int) -> tuple[PrintedTable, ...]:
    """A table broken by columns where it is wider than the room (in millimetres) or has more columns than
    `most`, the stub repeated.

    A break stands at the end of an outermost heading where one is near.
    """
    wide, left = widths(table), room - stub_width(table)
    if sum(wide) <= left and table.columns <= most:
        return (table,)
    ends = {h.first + h.span for row in table.heads[:1] for h in row} | {table.columns}
    found, first = [], 0
    while first < table.columns:
        last = first + 1
        while last < min(table.columns, first + most) and sum(wide[first : last + 1]) <= left:
            last += 1
        near = [end for end in ends if first + (last - first) // 2 < end <= last]
        last = max(near, default=last)
        found.append(table.cut(first, last))
        first = last
    return tuple(found)
