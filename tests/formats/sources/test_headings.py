"""Header rows: how many there are, which holds the names, and headings over several columns."""

import io

import openpyxl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from even_ballot.core.data.dataset import RawTable
from even_ballot.core.study.study_file import Source
from even_ballot.formats.sources.headings import guess_heading_rows, split_headings
from even_ballot.formats.sources.source import read_source

NAMES = ["id", "q1", "q2_a", "age"]
TEXTS = [
    "Number of the entry",
    "How content are you with the harbour?",
    "Why is that?",
    "How old are you, in years?",
]
RECORDS = [
    ["1", "Very", "it runs", "34"],
    ["2", "Not at all", "it never runs", "51"],
    ["3", "Very", "", "29"],
]


def read(rows: list[list[str]], **said: object) -> tuple[RawTable, Source]:
    text = "\n".join(";".join(row) for row in rows)
    return read_source(text.encode(), Source.model_validate({"path": "a.csv", **said}))


def test_names_above_texts_are_found() -> None:
    table, reading = read([NAMES, TEXTS, *RECORDS])
    assert (reading.header_rows, reading.names_row) == (2, 1)
    assert (table.names, table.labels) == (tuple(NAMES), tuple(TEXTS))
    assert len(table.rows) == 3


def test_texts_above_names_are_found() -> None:
    table, reading = read([TEXTS, NAMES, *RECORDS])
    assert (reading.header_rows, reading.names_row) == (2, 2)
    assert (table.names, table.labels) == (tuple(NAMES), tuple(TEXTS))


def test_what_is_said_is_not_guessed() -> None:
    table, reading = read([NAMES, TEXTS, *RECORDS], header_rows=1)
    assert (reading.header_rows, len(table.rows)) == (1, 4)
    table, _ = read([TEXTS, NAMES, *RECORDS], header_rows=2, names_row=2)
    assert table.names == tuple(NAMES)


@pytest.mark.parametrize(
    "first",
    [
        ["1", "Very much so, I should say", "because it is always there", "34"],
        ["one", "Very much so, I should say", "because it is always there", "a word"],
        ["7", "Very", "it runs", "34"],
    ],
)
def test_a_first_record_is_not_taken_for_headings(first: list[str]) -> None:
    records = [
        [str(k), "Very much so, or nearly so", f"because it is {k} times better", str(20 + k)]
        for k in range(9)
    ]
    assert guess_heading_rows([NAMES, first, *records]) == (1, 1)


@given(st.lists(st.lists(st.text("abc 19?.", max_size=9), min_size=3, max_size=3), min_size=1, max_size=8))
def test_whatever_stands_there_a_guess_is_given_and_nothing_is_lost(rows: list[list[str]]) -> None:
    n, names_row = guess_heading_rows(rows)
    assert 1 <= names_row <= n <= 2
    names, labels = split_headings(rows[:n], names_row)
    assert len(set(names)) == len(names) == len(labels) == 3
    assert all(name.isidentifier() for name in names)


def test_headings_merged_over_columns_head_each_of_them() -> None:
    book = openpyxl.Workbook()
    sheet = book.active
    sheet.append(["Entry", "How often do you use these boats?", None, None, "Your age"])
    sheet.append([None, "Mail boat", "Car deck", "Clinic boat", None])
    sheet.append([1, "Never", "Daily", "Never", 34])
    sheet.append([2, "Daily", "Daily", "Never", 51])
    sheet.merge_cells("B1:D1")
    out = io.BytesIO()
    book.save(out)
    table, reading = read_source(out.getvalue(), Source(path="a.xlsx"))
    assert reading.header_rows == 2
    assert table.names == ("Entry", "mail_boat", "car_deck", "clinic_boat", "age")
    assert table.labels[2] == "How often do you use these boats? [Car deck]"
    assert (table.labels[0], table.labels[4]) == ("Entry", "Your age")
    assert len(table.rows) == 2


def test_headings_over_blanks_in_a_text_file_head_what_follows_where_two_rows_are_said() -> None:
    table, _ = read(
        [["Entry", "How often?", "", ""], ["", "Mail", "Car", "Clinic"], ["1", "a", "b", "c"]], header_rows=2
    )
    assert table.labels == ("Entry", "How often? [Mail]", "How often? [Car]", "How often? [Clinic]")
    assert table.names == ("Entry", "mail", "car", "clinic")


@pytest.mark.parametrize(
    ("cells", "decimal"),
    [
        (["1,5", "2", "3,25"], ","),
        (["1.5", "2"], "."),
        (["1", "2"], None),
        (["1,5", "1.5"], None),
        (["a,b", "1,5"], None),
    ],
)
def test_the_decimal_sign_is_found_out(cells: list[str], decimal: str | None) -> None:
    assert read([["id", "x"], *([str(k), cell] for k, cell in enumerate(cells))])[1].decimal == decimal
