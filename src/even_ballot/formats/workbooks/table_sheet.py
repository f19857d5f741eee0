"""A table on a sheet of a workbook, whatever writes the workbook."""

from collections.abc import Sequence
from typing import Any, TypeVar

from even_ballot.core.release.plan import Style
from even_ballot.core.tables.results import StubKey, TableResult
from even_ballot.core.tables.statistics import Shape, statistic_of
from even_ballot.core.tables.table_request import TableRequest
from even_ballot.formats.images.drawing import no_controls as clean
from even_ballot.formats.printed.numerals import numeral, places_of
from even_ballot.formats.tables.layout import Bases, Grid, Line
from even_ballot.formats.tables.whole_tests import lines_of

T = TypeVar("T")
_TOP = 3
"""The first row of headings."""
_WIDTHS, _FIGURE, LONGEST = (34, 18), 11, 32_000
INK, GREY, RULE = "#1d1b18", "#6b655c", "#8a8378"
_FACE = {"font_name": "Calibri", "font_size": 10, "font_color": INK, "valign": "vcenter"}


class Formats:
    """Cell formats, made once each."""

    def __init__(self, book: Any, style: Style) -> None:
        self._book, self._made, self._style = book, {}, style  # type: ignore[var-annotated]

    def __call__(self, **settings: Any) -> Any:
        key = tuple(sorted(settings.items()))
        if key not in self._made:
            self._made[key] = self._book.add_format({**_FACE, **settings})
        return self._made[key]

    def number(self, value: float, places: int) -> str:
        """A number in a text."""
        return numeral(value, places, self._style)

    def shown(self, shape: Shape) -> str:
        """The number format of a figure."""
        places = places_of(shape, self._style)
        whole = "0" if shape == "share" else "#,##0"
        return f"{whole}.{'0' * places}" if places else whole


def _value(shape: Shape, value: float | None) -> float | None:
    return None if value is None else value * 100 if shape == "share" else value


def write_table(
    sheet: Any,
    formats: Formats,
    result: TableResult,
    request: TableRequest,
    scope: str | None,
    grid: Grid,
    note: list[str],
) -> None:
    sheet.hide_gridlines(2)
    for c, width in enumerate(_WIDTHS):
        sheet.set_column(c, c, width)
    sheet.set_column(2, max(grid.columns + 1, 6), _FIGURE)
    last = grid.columns + 1
    sheet.write(0, 0, clean(result.title), formats(bold=True, font_size=13))
    n = "×" if result.in_filter is None else f"{result.in_filter:,}"
    conditions = " and ".join(filter(None, (scope, request.where)))
    shown = f"{f'Cases where {conditions}' if conditions else 'All cases'}; n = {n}"
    sheet.write(1, 0, clean(shown), formats(font_color=GREY))
    depth = max(len(grid.headings), 1)
    _write_headings(sheet, formats, grid, depth, last)
    sheet.freeze_panes(_TOP + depth, 2)
    row = _write_sections(sheet, formats, grid, _TOP + depth, last)
    for c in range(last + 1):
        sheet.write_blank(row, c, None, formats(top=1, top_color=RULE))
    small = formats(font_color=GREY, font_size=9, text_wrap=True, valign="top")
    row = _write_contrasts(sheet, formats, result, row)
    tests = lines_of(grid.tests, formats.number)
    for k, text in enumerate((*tests, *grid.notes, *note)):
        _across(sheet, row + 1 + k, max(last, 6), text, small)
    sheet.set_landscape()
    sheet.set_paper(9)
    sheet.fit_to_pages(1, 0)
    sheet.repeat_rows(_TOP, _TOP + depth - 1)


def _write_contrasts(sheet: Any, formats: Formats, result: TableResult, row: int) -> int:
    """Contrasts below a table, a line each; the row after them."""
    if not result.contrasts:
        return row
    headings = ("Contrast", "Figure", "Estimate", "Standard error", "Lower", "Upper", "t", "p")
    for c, heading in enumerate(headings):
        align = {} if c < 2 else {"align": "right"}
        sheet.write(row + 1, c, heading, formats(bold=True, bottom=1, bottom_color=RULE, **align))
    labels = {StubKey.of(stub.variable, line.step): line.label for stub in result.stubs for line in stub.rows}
    row += 1
    for of in result.contrasts:
        row += 1
        statistic = statistic_of(of.stat)
        # A ratio of two shares is no share.
        times = 100.0 if statistic.shape == "share" and not of.is_ratio else 1.0
        sheet.write(row, 0, clean(of.label), formats())
        name = labels.get(of.stub, "") or next(
            s.title for s in result.stubs if s.variable == of.stub.variable
        )
        sheet.write(row, 1, clean(f"{name}, {statistic.label}"), formats())
        figures = [None if x is None else times * x for x in (of.est, of.se, of.low, of.high)]
        for c, value in enumerate((*figures, of.t, of.p), start=2):
            if value is not None:
                sheet.write_number(
                    row, c, value, formats(align="right", num_format="0.000" if c > 5 else "0.00")
                )
    return row + 1


def _write_headings(sheet: Any, formats: Formats, grid: Grid, depth: int, last: int) -> None:
    """Rows of headings between two rules; the columns' letters stand in the last."""

    def edge(r: int) -> dict[str, Any]:
        top = {"top": 1, "top_color": RULE} if r == 0 else {}
        return top | ({"bottom": 1, "bottom_color": RULE} if r == depth - 1 else {})

    for r in range(depth):
        for c in range(last + 1):
            sheet.write_blank(_TOP + r, c, None, formats(**edge(r)))
    if grid.battery is None and () in grid.paths:
        style = formats(align="right", bold=True, **edge(depth - 1))
        sheet.write(_TOP + depth - 1, 2, "All", style)
    lettered = {1 + c: letter for c, letter in enumerate(grid.letters or ()) if letter}
    for r, spanners in enumerate(grid.headings):
        side = "center" if r < depth - 1 else "right"
        style = formats(align=side, text_wrap=True, bold=r % 2 == 0, **edge(r))
        for spanner in spanners:
            at = (_TOP + r, 2 + spanner.first)
            letter = lettered.get(1 + spanner.first) if r == depth - 1 else None
            text = clean(f"{spanner.text} ({letter})" if letter else spanner.text)
            if spanner.span > 1:
                sheet.merge_range(*at, _TOP + r, 2 + spanner.first + spanner.span - 1, text, style)
            else:
                sheet.write(*at, text, style)


def _across(sheet: Any, row: int, last: int, text: str, style: Any) -> None:
    """A text over the whole width, as high as its lines need."""
    text = clean(text)[:LONGEST]
    sheet.merge_range(row, 0, row, last, text, style)
    width = sum(_WIDTHS) + _FIGURE * (last - 1)
    sheet.set_row(row, 13.5 * (1 + len(text) // int(width)))


def _at(of: Sequence[T] | None, column: int) -> T | None:
    return None if of is None else of[column]


def _write_sections(sheet: Any, formats: Formats, grid: Grid, row: int, last: int) -> int:
    """All sections from a row on; the row after them."""
    for section in grid.sections:
        _across(sheet, row, last, section.title, formats(bold=True, text_wrap=True))
        for line in section.lines:
            row += 1
            _write_line(sheet, formats, line, row)
        for bases in section.bases:
            if any(base is not None for base in bases.values):
                row += 1
                _write_bases(sheet, formats, bases, row)
        row += 2
    return row - 1


def _write_line(sheet: Any, formats: Formats, line: Line, row: int) -> None:
    """A line of figures, each with its mark and letters beside it."""
    colour = {} if line.strong else {"font_color": GREY}
    stray = line.marked and line.category and "not in" not in line.category
    sheet.write(row, 0, clean(f"{line.category} †" if stray else line.category), formats(indent=1))
    sheet.write(row, 1, line.figure, formats(**({} if line.strong else {"indent": 1}), **colour))
    for c, value in enumerate(line.values):
        shape = line.shapes[c] if line.shapes else line.shape
        number = _value(shape, value)
        if number is None:
            if line.absent and line.absent[c]:
                continue
            gone = "×" if line.hidden and line.hidden[c] else "–"
            sheet.write(row, 2 + c, gone, formats(align="right", font_color=GREY))
            continue
        marks = ("°" if _at(line.marks, c) else "", _at(line.letters, c) or "")
        beside = " ".join(filter(None, marks))
        shown = formats.shown(shape)
        shown = f'{shown}" {beside}"' if beside else shown
        sheet.write_number(row, 2 + c, number, formats(align="right", num_format=shown, **colour))


def _write_bases(sheet: Any, formats: Formats, bases: Bases, row: int) -> None:
    sheet.write(row, 0, bases.label, formats(indent=1, italic=True))
    for c, base in enumerate(bases.values):
        if c % bases.every:
            continue
        if base is None:
            sheet.write(row, 2 + c, "×", formats(align="right", font_color=GREY))
        else:
            style = formats(align="right", num_format="#,##0", italic=True)
            sheet.write_number(row, 2 + c, base, style)
