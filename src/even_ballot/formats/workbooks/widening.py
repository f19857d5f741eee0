"""A table with its errors and limits beside the figures, in columns of their own, instead of below."""

from collections.abc import Iterator, Sequence
from dataclasses import replace
from typing import TypeVar

from even_ballot.formats.documents.table_rows import Bundle, bundles
from even_ballot.formats.tables.layout import Bases, Grid, Kind, Line, Section, Spanner

T = TypeVar("T")
_NAMES: dict[Kind, str] = {"estimate": "Figure", "se": "Standard error", "low": "Lower", "high": "Upper"}
_MOVED: tuple[Kind, ...] = ("se", "low", "high")


def without(grid: Grid, *, errors: bool, limits: bool) -> Grid:
    """The same without standard errors or limits, where they are not wanted."""
    gone = {*(() if errors else ("se",)), *(() if limits else ("low", "high"))}
    if not gone:
        return grid
    sections = (
        replace(section, lines=tuple(line for line in section.lines if line.kind not in gone))
        for section in grid.sections
    )
    return replace(grid, sections=tuple(sections))


def _each(of: Sequence[T] | None, blank: T, times: int) -> tuple[T, ...] | None:
    """What is said of each column at the first of its columns, and nothing at the others."""
    return None if of is None else tuple(x for own in of for x in (own, *[blank] * (times - 1)))


def _spread(bundle: Bundle, kinds: Sequence[Kind]) -> Iterator[Line]:
    """An estimate's line with what stands beside it, and below it what is not moved."""
    first, times = bundle.first, len(kinds)
    lines = [first, *(bundle.beside.get(kind) for kind in kinds[1:])]
    columns = range(len(first.values))
    values = tuple(None if line is None else line.values[c] for c in columns for line in lines)
    shapes = first.shapes or (first.shape,) * len(first.values)
    yield replace(
        first,
        values=values,
        shapes=tuple(shape for shape in shapes for _ in kinds),
        letters=_each(first.letters, None, times),
        marks=_each(first.marks, (), times),
        hidden=_each(first.hidden, False, times),
        absent=tuple(bool(k % times) and value is None for k, value in enumerate(values)),
    )
    for kind, line in bundle.beside.items():
        if kind not in _MOVED:
            own = line.shapes or (line.shape,) * len(line.values)
            yield replace(
                line,
                values=_each(line.values, None, times) or (),
                shapes=tuple(shape for shape in own for _ in kinds),
                absent=tuple(bool(k % times) for k in range(times * len(line.values))),
            )


def _section(section: Section, kinds: Sequence[Kind]) -> Section:
    blank = [None] * (len(kinds) - 1)
    bases = (
        Bases(b.label, tuple(x for value in b.values for x in (value, *blank)), len(kinds))
        for b in section.bases
    )
    lines = (line for bundle in bundles(section.lines) for line in _spread(bundle, kinds))
    return replace(section, lines=tuple(lines), bases=tuple(bases))


def widened(grid: Grid) -> Grid:
    """Every column as several: the figure, its standard error, its limits, as far as the table has them."""
    there = {line.kind for section in grid.sections for line in section.lines}
    kinds: tuple[Kind, ...] = ("estimate", *(kind for kind in _MOVED if kind in there))
    times = len(kinds)
    if times == 1:
        return grid
    headings = [tuple(Spanner(s.first * times, s.span * times, s.text) for s in row) for row in grid.headings]
    letters = grid.letters or ()
    if letters and headings:
        lettered = {c * times: letter for c, letter in enumerate(letters) if letter}
        headings[-1] = tuple(
            replace(s, text=f"{s.text} ({lettered[s.first]})") if s.first in lettered else s
            for s in headings[-1]
        )
    if () in grid.paths and grid.battery is None:
        headings = headings or [()]
        headings[-1] = (Spanner(0, times, "All"), *headings[-1])
    below = tuple(
        Spanner(c * times + k, 1, _NAMES[kind]) for c in range(grid.columns) for k, kind in enumerate(kinds)
    )
    return replace(
        grid,
        columns=grid.columns * times,
        paths=(),
        headings=(*headings, below),
        sections=tuple(_section(section, kinds) for section in grid.sections),
        letters=None,
    )
