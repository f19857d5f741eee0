"""Tables as a workbook that needs no touching up."""

import io
import re
from collections.abc import Iterator, Sequence
from datetime import datetime
from typing import Any, TypeVar

import xlsxwriter

from even_ballot.core.models.analysis import ANALYSES
from even_ballot.core.models.request import Analysis, SideBySide
from even_ballot.core.models.results import AnalysisResult
from even_ballot.core.models.side_by_side import ModelsBeside, side_by_side
from even_ballot.core.study.results import Results
from even_ballot.core.study.study_file import Study
from even_ballot.core.tables.request import TableRequest
from even_ballot.core.tables.results import StubKey, TableResult
from even_ballot.core.tables.statistics import Shape, statistic_of
from even_ballot.formats.analyses.sheet import write_analysis, write_beside
from even_ballot.formats.images.drawing import no_controls as clean
from even_ballot.formats.tables.grid import lay_out
from even_ballot.formats.tables.layout import Bases, Grid, Line
from even_ballot.formats.tables.methods import methods_note

_FORBIDDEN = re.compile(r"[\[\]:*?/\\']")
_NUMBER = {"share": "0.0", "number": "0.00", "whole": "#,##0"}
T = TypeVar("T")
_TOP = 3
"""The first row of headings."""
_WIDTHS, _FIGURE, _LONGEST = (34, 18), 11, 32_000
_INK, _GREY, _RULE = "#1d1b18", "#6b655c", "#8a8378"
_FACE = {"font_name": "Calibri", "font_size": 10, "font_color": _INK, "valign": "vcenter"}


class _Formats:
    """Cell formats, made once each."""

    def __init__(self, book: Any) -> None:
        self._book, self._made = book, {}  # type: ignore[var-annotated]

    def __call__(self, **settings: Any) -> Any:
        key = tuple(sorted(settings.items()))
        if key not in self._made:
            self._made[key] = self._book.add_format({**_FACE, **settings})
        return self._made[key]


def _cut(text: str, most: int) -> str:
    """So much of a text as takes up to `most` places of 16 bits, which is how a workbook counts."""
    while len(text.encode("utf-16-le")) > 2 * most:
        text = text[:-1]
    return text.strip()


def _sheet_name(title: str, taken: set[str]) -> str:
    base = _cut(_FORBIDDEN.sub(" ", clean(title)).strip(), 28) or "Table"
    name, k = base, 2
    while name.casefold() in taken:
        name, k = f"{_cut(base, 24)} {k}", k + 1
    taken.add(name.casefold())
    return name


def _value(shape: Shape, value: float | None) -> float | None:
    return None if value is None else value * 100 if shape == "share" else value


def _write_table(
    sheet: Any,
    formats: _Formats,
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
    sheet.write(1, 0, clean(shown), formats(font_color=_GREY))
    depth = max(len(grid.headings), 1)
    _write_headings(sheet, formats, grid, depth, last)
    sheet.freeze_panes(_TOP + depth, 2)
    row = _write_sections(sheet, formats, grid, _TOP + depth, last)
    for c in range(last + 1):
        sheet.write_blank(row, c, None, formats(top=1, top_color=_RULE))
    small = formats(font_color=_GREY, font_size=9, text_wrap=True, valign="top")
    row = _write_contrasts(sheet, formats, result, row)
    for k, text in enumerate((*grid.notes, *note)):
        _across(sheet, row + 1 + k, max(last, 6), text, small)
    sheet.set_landscape()
    sheet.set_paper(9)
    sheet.fit_to_pages(1, 0)
    sheet.repeat_rows(_TOP, _TOP + depth - 1)


def _write_contrasts(sheet: Any, formats: _Formats, result: TableResult, row: int) -> int:
    """Contrasts below a table, a line each; the row after them."""
    if not result.contrasts:
        return row
    headings = ("Contrast", "Figure", "Estimate", "Standard error", "Lower", "Upper", "t", "p")
    for c, heading in enumerate(headings):
        align = {} if c < 2 else {"align": "right"}
        sheet.write(row + 1, c, heading, formats(bold=True, bottom=1, bottom_color=_RULE, **align))
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


def _write_headings(sheet: Any, formats: _Formats, grid: Grid, depth: int, last: int) -> None:
    """Rows of headings between two rules; the columns' letters stand in the last."""

    def edge(r: int) -> dict[str, Any]:
        top = {"top": 1, "top_color": _RULE} if r == 0 else {}
        return top | ({"bottom": 1, "bottom_color": _RULE} if r == depth - 1 else {})

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
    text = clean(text)[:_LONGEST]
    sheet.merge_range(row, 0, row, last, text, style)
    width = sum(_WIDTHS) + _FIGURE * (last - 1)
    sheet.set_row(row, 13.5 * (1 + len(text) // int(width)))


def _at(of: Sequence[T] | None, column: int) -> T | None:
    return None if of is None else of[column]


def _write_sections(sheet: Any, formats: _Formats, grid: Grid, row: int, last: int) -> int:
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


def _write_line(sheet: Any, formats: _Formats, line: Line, row: int) -> None:
    """A line of figures, each with its mark and letters beside it."""
    colour = {} if line.strong else {"font_color": _GREY}
    stray = line.marked and line.category and "not in" not in line.category
    sheet.write(row, 0, clean(f"{line.category} †" if stray else line.category), formats(indent=1))
    sheet.write(row, 1, line.figure, formats(**({} if line.strong else {"indent": 1}), **colour))
    for c, value in enumerate(line.values):
        shape = line.shapes[c] if line.shapes else line.shape
        number = _value(shape, value)
        if number is None:
            gone = "×" if line.hidden and line.hidden[c] else "–"
            sheet.write(row, 2 + c, gone, formats(align="right", font_color=_GREY))
            continue
        marks = ("°" if _at(line.marks, c) else "", _at(line.letters, c) or "")
        beside = " ".join(filter(None, marks))
        shown = f'{_NUMBER[shape]}" {beside}"' if beside else _NUMBER[shape]
        sheet.write_number(row, 2 + c, number, formats(align="right", num_format=shown, **colour))


def _write_bases(sheet: Any, formats: _Formats, bases: Bases, row: int) -> None:
    sheet.write(row, 0, bases.label, formats(indent=1, italic=True))
    for c, base in enumerate(bases.values):
        if base is None:
            sheet.write(row, 2 + c, "×", formats(align="right", font_color=_GREY))
        else:
            style = formats(align="right", num_format="#,##0", italic=True)
            sheet.write_number(row, 2 + c, base, style)


def workbook(study: Study, results: Results) -> bytes:
    """All tables of a study: a sheet of contents, one for each table, and the methods note. The same study
    gives the same bytes."""
    out = io.BytesIO()
    book = xlsxwriter.Workbook(
        out, {"in_memory": True, "strings_to_formulas": False, "strings_to_urls": False}
    )
    book.set_properties(
        {
            "title": clean(study.title)[:200],
            "comments": "Made by Even Ballot",
            "created": datetime(2026, 1, 1),
        }
    )
    formats = _Formats(book)
    taken = {"contents", "methods"}
    contents = _contents(book, formats, study.title)
    requests = {request.id: request for request in study.tables}
    for k, result in enumerate(results.tables):
        request = requests[result.id]
        name = _sheet_name(result.title, taken)
        sheet = book.add_worksheet(name)
        grid = lay_out(result, request, study.marks, study.suppression)
        _write_table(
            sheet, formats, result, request, study.where, grid, methods_note(study, results, (request,))
        )
        _list(contents, formats, k, name, result.title)
    made = tuple(requests[result.id] for result in results.tables)
    below = 3 + _write_analyses(book, formats, contents, study, results, taken)
    _write_methods(book.add_worksheet("Methods"), formats, methods_note(study, results, made))
    contents.write_url(below, 1, "internal:'Methods'!A1", _link(formats), "How these tables were made")
    for k, table in enumerate(results.faulty):
        said = f"Not made: {table.title}. {table.faults[0].said} {table.faults[0].mend}"
        contents.write(below + 2 + k, 1, clean(said)[:_LONGEST], formats(text_wrap=True))
    book.close()
    return out.getvalue()


def _write_analyses(
    book: Any, formats: _Formats, contents: Any, study: Study, results: Results, taken: set[str]
) -> int:
    """A sheet for each analysis, and for models side by side; how many sheets are listed then."""
    k, note = len(results.tables), methods_note(study, results, ())
    for asked, analysis in _analyses(study, results):
        name = _sheet_name(asked.name, taken)
        write_analysis(book.add_worksheet(name), formats, clean, analysis, asked, study.where, note)
        _list(contents, formats, k, name, asked.name)
        k += 1
    for beside, found in beside_of(study, results):
        name = _sheet_name(beside.name, taken)
        write_beside(book.add_worksheet(name), formats, clean, found, beside, note)
        _list(contents, formats, k, name, beside.name)
        k += 1
    return k


def _contents(book: Any, formats: _Formats, title: str) -> Any:
    """The sheet of contents, under its title."""
    contents = book.add_worksheet("Contents")
    contents.hide_gridlines(2)
    contents.fit_to_pages(1, 0)
    contents.set_column(0, 0, 8)
    contents.set_column(1, 1, 90)
    contents.write(0, 0, clean(title), formats(bold=True, font_size=14))
    return contents


def _link(formats: _Formats) -> Any:
    return formats(font_color="#1f4e5f", underline=1)


def _list(contents: Any, formats: _Formats, k: int, sheet: str, title: str) -> None:
    """A line of the contents, which leads to a sheet."""
    contents.write(2 + k, 0, k + 1, formats(align="left"))
    contents.write_url(2 + k, 1, f"internal:'{sheet}'!A1", _link(formats), clean(title)[:250])


def _analyses(study: Study, results: Results) -> Iterator[tuple[Analysis, AnalysisResult]]:
    """Every analysis that was made, with what it was asked for by."""
    for part in ANALYSES:
        asked: dict[str, Analysis] = {request.id: request for request in getattr(study, part)}
        yield from ((asked[of.id], of) for of in getattr(results, part))


def beside_of(study: Study, results: Results) -> Iterator[tuple[SideBySide, ModelsBeside]]:
    """Every set of models side by side, of those that were made."""
    made = {of.id: of for of in results.models}
    for beside in study.side_by_side:
        models = [made[name] for name in beside.models if name in made]
        if models:
            yield beside, side_by_side(models)


def _write_methods(sheet: Any, formats: _Formats, note: list[str]) -> None:
    sheet.hide_gridlines(2)
    sheet.fit_to_pages(1, 0)
    sheet.set_column(0, 0, 120)
    sheet.write(0, 0, "How these tables were made", formats(bold=True, font_size=13))
    for k, text in enumerate(note):
        sheet.write(2 + k, 0, clean(text)[:_LONGEST], formats(text_wrap=True, valign="top"))
