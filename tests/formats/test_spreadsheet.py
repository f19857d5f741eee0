"""Spreadsheets in."""

import io
import zipfile
from datetime import datetime
from typing import Any

import pytest
import xlsxwriter

from even_ballot.core.faults import StudyError
from even_ballot.core.study import Source
from even_ballot.formats import spreadsheet
from even_ballot.formats.source import read_source


def book(**sheets: list[list[Any]]) -> bytes:
    out = io.BytesIO()
    made = xlsxwriter.Workbook(out, {"in_memory": True, "default_date_format": "yyyy-mm-dd hh:mm"})
    for name, rows in sheets.items():
        sheet = made.add_worksheet(name)
        for r, row in enumerate(rows):
            for c, cell in enumerate(row):
                if cell is not None:
                    sheet.write(r, c, cell)
    made.close()
    return out.getvalue()


def test_cells_arrive_as_a_text_file_would_spell_them() -> None:
    content = book(
        A=[["id", "when", "x"], [1, datetime(2026, 3, 1, 9, 30), 2.5], [None, None, None], [3, datetime(2026, 3, 2), "  "]]
    )
    table, reading = read_source(content, Source(path="a.xlsx"))
    spelled = [[None if s else c.words[v] for v, s in zip(c.values, c.state, strict=True)] for c in table.columns]
    assert spelled == [["1", "3"], ["2026-03-01 09:30:00", "2026-03-02"], ["2.5", None]]
    assert (table.rows.tolist(), table.blank_records, reading.sheet, reading.format) == ([1, 3], 1, "A", "xlsx")


def test_a_sheet_is_chosen_by_name_and_a_wrong_name_says_which_there_are() -> None:
    content = book(First=[["a"], [1]], Second=[["b"], [2]])
    assert read_source(content, Source(path="a.xlsx", sheet="Second"))[0].names == ("b",)
    with pytest.raises(StudyError, match=r"There is no sheet 'Third'\. Sheets there are: First, Second"):
        read_source(content, Source(path="a.xlsx", sheet="Third"))


def test_an_empty_sheet_is_refused() -> None:
    with pytest.raises(StudyError, match="Sheet A is empty"):
        read_source(book(A=[]), Source(path="a.xlsx"))


def test_a_zip_that_is_no_spreadsheet_is_refused() -> None:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("readme.txt", "hello")
    with pytest.raises(StudyError, match="cannot be read"):
        read_source(out.getvalue(), Source(path="a.xlsx"))


def test_a_spreadsheet_that_unpacks_to_gigabytes_is_refused_unopened(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(spreadsheet, "_LARGEST", 1000)
    with pytest.raises(StudyError, match="unpacks to"):
        read_source(book(A=[["a"], [1]]), Source(path="a.xlsx"))
