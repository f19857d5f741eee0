"""A table of the study as a printed table."""

from collections.abc import Sequence

from even_ballot.core.disclosure.suppression import Suppression
from even_ballot.core.release.plan import Style
from even_ballot.core.tables.results import StubKey, TableResult
from even_ballot.core.tables.signs.marks import Marks
from even_ballot.core.tables.statistics import statistic_of
from even_ballot.core.tables.table_request import TableRequest
from even_ballot.formats.documents.table_rows import RowPrinter, bundles
from even_ballot.formats.printed.blocks import Entry, Group, Head, PrintedTable, Row
from even_ballot.formats.printed.looks import look_of
from even_ballot.formats.printed.numerals import ABSENT, numeral
from even_ballot.formats.tables.grid import lay_out
from even_ballot.formats.tables.layout import Grid
from even_ballot.formats.tables.whole_tests import lines_of


def filter_line(scope: str | None, where: str | None, n: int | None) -> str:
    """Which cases a table is of, and how many: None where that is hidden.

    >>> filter_line(None, "age >= 18", 1200)
    'Cases where age >= 18; n = 1,200'
    """
    conditions = " and ".join(filter(None, (scope, where)))
    said = f"Cases where {conditions}" if conditions else "All cases"
    return f"{said}; n = {'×' if n is None else format(n, ',')}"


def _heads(grid: Grid, columns: Sequence[str]) -> tuple[tuple[Head, ...], ...]:
    """Rows of headings, with letters; `All` reaches down over all of them; what stands side by side below."""
    times = max(len(columns), 1)
    lettered = {c: letter for c, letter in enumerate(grid.letters or ()) if letter}
    given = [row for row in grid.headings if row]
    rows: list[list[Head]] = []
    for r, spanners in enumerate(given):
        last = r == len(given) - 1
        rows.append(
            [
                Head(
                    s.first * times,
                    s.span * times,
                    f"{s.text} ({lettered[s.first]})" if last and s.first in lettered else s.text,
                )
                for s in spanners
            ]
        )
    if grid.battery is None and () in grid.paths:
        rows = rows or [[]]
        rows[0].insert(0, Head(0, times, "All", len(rows)))
    if columns:
        whole = grid.columns
        rows.append(
            [Head(c * times + k, 1, of or "Figure") for c in range(whole) for k, of in enumerate(columns)]
        )
    return tuple(tuple(sorted(row, key=lambda h: h.first)) for row in rows)


def printed_table(
    result: TableResult,
    request: TableRequest,
    style: Style,
    *,
    scope: str | None = None,
    marks: Marks | None = None,
    suppression: Suppression | None = None,
    label: str = "",
    notes: Sequence[str] = (),
) -> PrintedTable:
    """A table for print. scope: the filter of all tables; label: its number; notes: below its own."""
    grid = lay_out(result, request, marks, suppression)
    lines = [line for section in grid.sections for line in section.lines]
    figures = list(dict.fromkeys(line.figure for line in lines if line.kind == "estimate"))
    one = len(figures) == 1 and grid.battery is None
    look = look_of(style)
    named = not one and grid.battery is None
    printer = RowPrinter(style, look, named, request.interval.level)
    columns = printer.columns_of(lines)
    groups = []
    for section in grid.sections:
        rows = [row for bundle in bundles(section.lines) for row in printer.rows(bundle, columns)]
        bases = (b for b in section.bases if any(base is not None for base in b.values))
        rows += [printer.base(b, columns) for b in bases]
        groups.append(Group(section.title, tuple(rows)))
    said = filter_line(scope, request.where, result.in_filter)
    return PrintedTable(
        result.id,
        f"table-{anchor_of(result.id)}",
        label,
        result.title,
        f"{figures[0]}. {said}" if one else said,
        ("", "Figure") if named else ("",),
        _heads(grid, columns),
        grid.columns * max(len(columns), 1),
        tuple(groups),
        (*lines_of(grid.tests, lambda value, places: numeral(value, places, style)), *grid.notes, *notes),
    )


def anchor_of(name: str) -> str:
    """A name as an anchor: letters, figures, - and _."""
    return "".join(c if c.isalnum() or c in "-_" else "-" for c in name)


def contrast_table(result: TableResult, style: Style) -> PrintedTable | None:
    """The contrasts of a table as a table that follows it; None where it has none."""
    if not result.contrasts:
        return None
    labels = {StubKey.of(stub.variable, line.step): line.label for stub in result.stubs for line in stub.rows}
    titles = {stub.variable: stub.title for stub in result.stubs}
    rows = []
    for of in result.contrasts:
        statistic = statistic_of(of.stat)
        # A ratio of two shares is no share.
        scale = 100.0 if statistic.shape == "share" and not of.is_ratio else 1.0
        scaled = [None if x is None else scale * x for x in (of.est, of.se, of.low, of.high)]
        entries = tuple(
            Entry(ABSENT) if value is None else Entry(numeral(value, places, style), value, places)
            for value, places in zip((*scaled, of.t, of.p), (2, 2, 2, 2, 2, 3), strict=True)
        )
        what = f"{labels.get(of.stub) or titles[of.stub.variable]}, {statistic.label}"
        rows.append(Row((of.label, what), entries))
    names = ("Estimate", "Standard error", "Lower", "Upper", "t", "p")
    heads = (tuple(Head(c, 1, name) for c, name in enumerate(names)),)
    title, anchor = f"Contrasts: {result.title}", f"contrasts-{anchor_of(result.id)}"
    return PrintedTable(
        result.id, anchor, "", title, "", ("Contrast", "Of"), heads, len(names), (Group("", tuple(rows)),), ()
    )
