"""Spreadsheets in."""

import io
import zipfile
from datetime import datetime
from typing import Any

import pytest
import xlsxwriter

from even_ballot.core.faults import StudyError
from even_ballot.core.study.study_file import Source
from even_ballot.formats.sources import sizes
from even_ballot.formats.sources.source import read_source
from even_ballot.formats.sources.spreadsheet import sheets_of


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
        A=[
            ["id", "when", "x"],
            [1, datetime(2026, 3, 1, 9, 30), 2.5],
            [None, None, None],
            [3, datetime(2026, 3, 2), "  "],
        ]
    )
    table, reading = read_source(content, Source(path="a.xlsx"))
    spelled = [
        [None if s else c.words[v] for v, s in zip(c.values, c.state, strict=True)] for c in table.columns
    ]
    assert spelled == [["1", "3"], ["2026-03-01 09:30:00", "2026-03-02"], ["2.5", None]]
    assert (table.rows.tolist(), table.blank_records, reading.sheet, reading.format) == (
        [1, 3],
        1,
        "A",
        "xlsx",
    )


def test_a_sheet_is_chosen_by_name_and_a_wrong_name_says_which_there_are() -> None:
    content = book(First=[["a"], [1]], Second=[["b"], [2]])
    assert read_source(content, Source(path="a.xlsx", sheet="Second"))[0].names == ("b",)
    with pytest.raises(StudyError, match=r"There is no sheet 'Third'\. Sheets: First, Second"):
        read_source(content, Source(path="a.xlsx", sheet="Third"))


def test_an_empty_sheet_is_refused() -> None:
    with pytest.raises(StudyError, match="Sheet A is empty"):
        read_source(book(A=[]), Source(path="a.xlsx"))


@pytest.mark.parametrize("encoding", ["utf-16", "utf-16-le"])
@pytest.mark.parametrize("part", ["xl/workbook.xml", "xl/worksheets/sheet1.xml"])
def test_parts_in_utf_16_are_said_to_be_that_and_never_read_as_empty(part: str, encoding: str) -> None:
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(book(A=[["a"], [1]]))) as archive, zipfile.ZipFile(out, "w") as other:
        for name in archive.namelist():
            content = archive.read(name)
            other.writestr(name, content.decode().encode(encoding) if name == part else content)
    with pytest.raises(StudyError, match=f"{part} is written in UTF-16"):
        read_source(out.getvalue(), Source(path="a.xlsx"))


def test_a_zip_that_is_no_spreadsheet_is_refused() -> None:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("readme.txt", "hello")
    with pytest.raises(StudyError, match="cannot be read"):
        read_source(out.getvalue(), Source(path="a.xlsx"))


def test_a_spreadsheet_that_unpacks_to_gigabytes_is_refused_unopened(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(sizes, "UNPACKED", 1000)
    with pytest.raises(StudyError, match="unpacks to"):
        read_source(book(A=[["a"], [1]]), Source(path="a.xlsx"))


_ODS = (
    '<?xml version="1.0"?>{doctype}<office:document-content office:version="1.2"'
    ' xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0"'
    ' xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0"><office:body><office:spreadsheet>{sheets}'
    "</office:spreadsheet></office:body></office:document-content>"
)


def open_document(sheets: str, doctype: str = "") -> bytes:
    """An open document spreadsheet with the given tables."""
    out = io.BytesIO()
    kind = "application/vnd.oasis.opendocument.spreadsheet"
    manifest = (
        '<?xml version="1.0"?><manifest:manifest xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0">'
        f'<manifest:file-entry manifest:full-path="/" manifest:media-type="{kind}"/></manifest:manifest>'
    )
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr(zipfile.ZipInfo("mimetype"), kind)
        archive.writestr("content.xml", _ODS.format(sheets=sheets, doctype=doctype))
        archive.writestr("META-INF/manifest.xml", manifest)
    return out.getvalue()


def _row(*cells: str) -> str:
    return f"<table:table-row>{''.join(cells)}</table:table-row>"


def _text(text: str) -> str:
    return f'<table:table-cell office:value-type="string"><text:p>{text}</text:p></table:table-cell>'


def _value(kind: str, **said: str) -> str:
    attributes = " ".join(f'{key.replace("_", "-")}="{value}"' for key, value in said.items())
    return f'<table:table-cell office:value-type="{kind}" {attributes}><text:p>shown otherwise</text:p></table:table-cell>'


def test_an_open_document_arrives_with_its_values_not_with_what_was_shown() -> None:
    rows = _row(_text("id"), _text("share"), _text("when"), _text("sum")) + _row(
        _value("float", **{"office:value": "7"}),
        _value("percentage", **{"office:value": "0.25"}),
        _value("date", **{"office:date-value": "2026-03-01"}),
        _value("float", **{"table:formula": "of:=[.A2]*2", "office:value": "14"}),
    )
    content = open_document(
        f'<table:table table:name="Answers">{rows}</table:table><table:table table:name="Other"/>'
    )
    table, reading = read_source(content, Source(path="a.ods"))
    assert (reading.format, reading.sheet, table.names) == ("ods", "Answers", ("id", "share", "when", "sum"))
    assert [column.words[0] for column in table.columns] == ["7", "0.25", "2026-03-01", "14"]
    assert sheets_of(content) == ["Answers", "Other"]


def test_formulas_and_percentages_arrive_by_their_values() -> None:
    out = io.BytesIO()
    made = xlsxwriter.Workbook(out, {"in_memory": True})
    sheet = made.add_worksheet("A")
    sheet.write_row(0, 0, ["share", "twice"])
    sheet.write_number(1, 0, 0.25, made.add_format({"num_format": "0%"}))
    sheet.write_formula(1, 1, "=A2*2", None, 0.5)
    made.close()
    table, _ = read_source(out.getvalue(), Source(path="a.xlsx"))
    assert [column.words[0] for column in table.columns] == ["0.25", "0.5"]


def test_entities_that_would_unfold_to_gigabytes_do_not() -> None:
    bomb = '<!DOCTYPE x [<!ENTITY a "aaaaaaaaaa">' + "".join(
        f'<!ENTITY {chr(98 + k)} "{f"&{chr(97 + k)};" * 10}">' for k in range(9)
    )
    rows = _row(_text("id")) + _row(_text("&j;"))
    content = open_document(f'<table:table table:name="A">{rows}</table:table>', bomb + "]>")
    with pytest.raises(StudyError, match="cannot be read"):
        read_source(content, Source(path="a.ods"))


@pytest.mark.parametrize("name", ["a.xlsx", "a.ods"])
@pytest.mark.parametrize("share", [0.1, 0.5, 0.95])
def test_a_file_cut_in_the_middle_is_refused_with_what_mends_it(name: str, share: float) -> None:
    rows: list[list[Any]] = [["id", "x"], *([k, f"word {k}"] for k in range(200))]
    table = "".join(_row(_text(str(a)), _text(str(b))) for a, b in rows)
    whole = (
        book(A=rows)
        if name == "a.xlsx"
        else open_document(f'<table:table table:name="A">{table}</table:table>')
    )
    with pytest.raises(StudyError) as caught:
        read_source(whole[: int(len(whole) * share)], Source(path=name))
    assert "damaged or cut off" in caught.value.faults[0].what
    assert caught.value.faults[0].mend


def test_rows_that_an_open_document_hides_or_filters_away_are_left_out_and_said() -> None:
    def record(k: int, said: str = "") -> str:
        return f"<table:table-row {said}>{_text(str(k))}{_text('x')}</table:table-row>"

    away = 'table:visibility="collapse"', 'table:number-rows-repeated="2" table:visibility="filter"'
    rows = [_row(_text("id"), _text("a")), record(1), record(2, away[0]), record(3), record(4, away[1])]
    rows += [record(5)]
    other = f'<table:table table:name="Other">{record(1, away[0])}{record(2)}</table:table>'
    content = open_document(other + f'<table:table table:name="Answers">{"".join(rows)}</table:table>')
    table, reading = read_source(content, Source(path="a.ods", sheet="Answers"))
    ids = [table.columns[0].words[v] for v in table.columns[0].values]
    assert (ids, reading.hidden) == (["1", "3", "5"], True)
    table, _ = read_source(content, Source(path="a.ods", sheet="Answers", hidden=False))
    assert len(table.rows) == 6
