"""Spreadsheets (XLSX, ODS): a sheet's cells as text, in the spelling a text file would have."""

import io
import math
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from typing import Any

import numpy as np
from python_calamine import CalamineSheet, CalamineWorkbook, SheetVisibleEnum

from even_ballot.core.data.dataset import RawTable, text_column
from even_ballot.core.faults import fault, quotable, some
from even_ballot.core.study.study_file import Source
from even_ballot.formats.sources.delimited import without_blank_records
from even_ballot.formats.sources.headings import guess_heading_rows, split_headings
from even_ballot.formats.sources.hidden_rows import hidden_rows
from even_ballot.formats.sources.readable import readable
from even_ballot.formats.sources.sizes import check_archive, check_cells, check_headings
from even_ballot.formats.sources.surroundings import guess_rows_above, guess_rows_below, repeats, width_of

_LOOKED_AT = 60


def spelled(cell: Any) -> str:
    """A cell's value as text; whole numbers without decimals."""
    match cell:
        case None:
            return ""
        case bool():
            return "1" if cell else "0"
        case float() if not math.isfinite(cell):
            return "" if math.isnan(cell) else "inf" if cell > 0 else "-inf"
        case float():
            return str(int(cell)) if cell.is_integer() and abs(cell) < 1e15 else repr(cell)
        case datetime():
            return cell.isoformat(" ") if cell.time() != time() else cell.date().isoformat()
        case date() | time():
            return cell.isoformat()
        case timedelta():
            return repr(cell.total_seconds())
        case _:
            return quotable(str(cell), None)


def sheets_of(content: bytes, path: str = "") -> list[str]:
    """The names of a workbook's sheets."""
    check_archive(content, path)
    with readable(path, "The spreadsheet", "Save it again as XLSX or ODS, or as CSV."):
        return list(CalamineWorkbook.from_filelike(io.BytesIO(content)).sheet_names)


@dataclass(frozen=True)
class SheetGuess:
    """What was found out about a spreadsheet."""

    sheet: str
    header_rows: int
    names_row: int
    rows_above: int | None = None
    rows_below: int | None = None
    repeated: bool | None = None
    hidden: bool | None = None


def _guessed(texts: list[list[str]], merged: bool) -> tuple[int, int]:
    """Rows of headings below the first row that is not blank. Merged cells in the first row head groups of
    columns."""
    if merged and len(texts) > 2:
        return 2, 1
    width = max(map(len, texts[:2]))
    return guess_heading_rows([row + [""] * (width - len(row)) for row in texts[:_LOOKED_AT]])


def sheet_texts(content: bytes, path: str) -> list[list[str]]:
    """The first sheet's cells as they are written, row by row."""
    names = sheets_of(content, path)
    if not names:
        raise fault("The workbook has no sheet.", path, "Save it again, or as CSV.")
    name = names[0]
    sheet = CalamineWorkbook.from_filelike(io.BytesIO(content)).get_sheet_by_name(name)
    return [[spelled(cell) for cell in row] for row in sheet.to_python(skip_empty_area=False)]


def read_spreadsheet(content: bytes, source: Source) -> tuple[RawTable, SheetGuess]:
    """One sheet as text columns. Blank rows above the headings are passed over; headings merged over
    several columns head each of them."""
    opened, sheet, at = _opened(content, source)
    texts = [[spelled(cell) for cell in row] for row in opened.to_python(skip_empty_area=False)]
    filled = [i for i, row in enumerate(texts) if any(cell.strip() for cell in row)]
    if not filled:
        raise fault(f"Sheet {sheet} is empty.", source.path, "Choose another sheet.")
    above, below = _around(texts, filled, source)
    first = filled[above]
    spans = opened.merged_cell_ranges or ()
    merged = any(a[0] == b[0] == first and b[1] > a[1] for a, b in spans)
    last = filled[len(filled) - 1 - below] + 1
    guessed = _guessed(texts[first:last], merged) if source.header_rows is None else (source.header_rows, 1)
    names_row = source.names_row or guessed[1]
    start = first + guessed[0]
    heads, records = texts[first:start], texts[start:last]
    width = max(len(row) for row in (*heads, *records))
    while width and not any(len(row) >= width and row[width - 1].strip() for row in (*heads, *records)):
        width -= 1
    heads = [(row + [""] * width)[:width] for row in heads]
    columns = [text_column([row[i] if i < len(row) else "" for row in records]) for i in range(width)]
    headings, labels = split_headings(heads, names_row)
    check_headings(labels, source.path)
    again = away = np.zeros(len(records), np.bool_)
    if source.repeated is not False:
        again = repeats(columns, heads[names_row - 1])
    if source.hidden is not False:
        hidden = hidden_rows(content, at)
        away = np.array([start + i in hidden for i in range(len(records))], np.bool_)
    guess = SheetGuess(
        sheet,
        guessed[0],
        names_row,
        (above or None) if source.rows_above is None else source.rows_above,
        (below or None) if source.rows_below is None else source.rows_below,
        True if again.any() else source.repeated,
        True if away.any() else source.hidden,
    )
    return without_blank_records(headings, labels, columns, again | away), guess


def _opened(content: bytes, source: Source) -> tuple[CalamineSheet, str, int]:
    """The sheet that is said, else the first that is shown; its name and place."""
    names = sheets_of(content, source.path)
    if not names:
        raise fault("The workbook has no sheet.", source.path, "Save it again, or as CSV.")
    book = CalamineWorkbook.from_filelike(io.BytesIO(content))
    shown = [about.name for about in book.sheets_metadata if about.visible == SheetVisibleEnum.Visible]
    sheet = source.sheet or next((name for name in names if name in shown), names[0])
    if sheet not in names:
        raise fault(f"There is no sheet {sheet!r}.", source.path, f"Sheets: {some(names)}.")
    opened = book.get_sheet_by_name(sheet)
    check_cells(opened.total_height, opened.total_width, len(content), source.path)
    return opened, sheet, names.index(sheet)


def _around(texts: list[list[str]], filled: list[int], source: Source) -> tuple[int, int]:
    """How many rows that are not blank stand above the headings and below the records."""
    rows = [texts[i] for i in filled]
    wide = width_of(rows[:_LOOKED_AT])
    above = guess_rows_above(rows[:_LOOKED_AT]) if source.rows_above is None else source.rows_above
    above = min(above, len(rows) - 1)
    below = guess_rows_below(rows[above:], wide) if source.rows_below is None else source.rows_below
    return above, min(below, len(rows) - above - 1)
