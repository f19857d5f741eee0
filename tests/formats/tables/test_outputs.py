"""Workbook, records and notes out."""

import csv
import io
from pathlib import Path
from typing import Any

import openpyxl
import pytest
from released import released

from even_ballot.core.study.results import Results
from even_ballot.core.study.study_file import Study
from even_ballot.demo import FILES
from even_ballot.formats.tables.methods import methods_note
from even_ballot.services.running import run_file


@pytest.fixture(scope="module")
def demo() -> tuple[Study, Results]:
    return run_file(FILES / "study.json")


@pytest.fixture(scope="module")
def book(demo: tuple[Study, Results]) -> Any:
    return openpyxl.load_workbook(io.BytesIO(released(*demo)["tables.xlsx"]))


def test_the_workbook_has_contents_a_sheet_for_each_table_and_the_methods(book: Any) -> None:
    assert len(book.sheetnames) == 3 + 5 + 2 + 2 + 1 + 1
    assert (book.sheetnames[0], book.sheetnames[-1]) == ("Contents", "Methods")
    links = [
        cell.hyperlink.location for row in book["Contents"].iter_rows() for cell in row if cell.hyperlink
    ]
    assert [link.split("'")[1] for link in links] == book.sheetnames[1:]


def test_a_sheet_has_title_merged_banner_bases_and_real_numbers(
    book: Any, demo: tuple[Study, Results]
) -> None:
    sheet = book.worksheets[1]
    _, results = demo
    assert sheet["A1"].value == "The ferry runs when I need it, by isle"
    assert "D4:G4" in [str(r) for r in sheet.merged_cells.ranges]
    assert sheet["D4"].value == "Isle"
    assert [c.value for c in sheet[5]][2:] == ["All", "Hask", "Orran", "Tolvey", "Brim"]
    strongly = next(row for row in sheet.iter_rows(min_row=6) if row[0].value == "Strongly agree")
    want = [c.est for c in results.tables[0].cells if c.stub.code == 5 and c.stat == "col_pct"]
    assert [c.value for c in strongly[2:7]] == pytest.approx([100 * p for p in want])
    assert {c.number_format for c in strongly[2:7]} == {"0.0"}
    assert {c.alignment.horizontal for c in strongly[2:7]} == {"right"}
    base = next(row for row in sheet.iter_rows() if row[0].value == "Base (unweighted)")
    assert base[2].value == next(c.base_n for c in results.tables[0].cells if c.stat == "col_pct")
    assert any("logit" in str(row[0].value) for row in sheet.iter_rows())


def test_the_same_study_gives_the_same_files(demo: tuple[Study, Results]) -> None:
    again = run_file(FILES / "study.json")
    assert released(*demo) == released(*again)


def test_the_records_hold_codes_blanks_and_weights_last(demo: tuple[Study, Results]) -> None:
    rows = list(csv.DictReader(io.StringIO(released(*demo)["microdata.csv"].decode())))
    _, results = demo
    assert len(rows) == results.used_cases
    assert next(iter(rows[0])) == "row"
    assert list(rows[0])[-1] == "weight"
    assert {row["sex"] for row in rows} == {"1", "2"}
    assert sum(float(row["weight"]) for row in rows) == pytest.approx(61_300)
    assert "" in {row["ferry_runs_need"] for row in rows}


def test_the_note_says_cases_weighting_design_and_intervals(demo: tuple[Study, Results]) -> None:
    study, results = demo
    note = " ".join(methods_note(study, results, study.tables))
    for said in ("2,330 cases received, 2,268 in use", "14 cases set aside", "raked to sex × age_band; isle", "8 strata, 150 first-stage units",
                 "142 degrees of freedom", "95 %, two-sided", "Even Ballot 0.1.0"):  # fmt: skip
        assert said in note


def test_a_title_that_no_sheet_may_have_is_mended(tmp_path: Path) -> None:
    text = (
        (FILES / "study.json")
        .read_text()
        .replace("Weekly spending on fares, by isle", "A/B: [x]? " + "long " * 20)
    )
    (tmp_path / "study.json").write_text(text)
    for name in ("answers.csv", "frame.csv"):
        (tmp_path / name).write_bytes((FILES / name).read_bytes())
    content = released(*run_file(tmp_path / "study.json"))["tables.xlsx"]
    assert all(len(name) <= 31 for name in openpyxl.load_workbook(io.BytesIO(content)).sheetnames)
