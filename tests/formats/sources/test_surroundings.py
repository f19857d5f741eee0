"""What stands around a table in its file is left out, and nothing else is."""

import pytest

from even_ballot.core.data.dataset import RawTable
from even_ballot.core.study.study_file import Source
from even_ballot.formats.sources.source import read_source

TABLE = "id,isle,trips,spent\n" + "".join(
    f"{k},{('Hask', 'Brim')[k % 2]},{k % 7},{k * 3}\n" for k in range(1, 41)
)


def read(text: str, **said: object) -> tuple[RawTable, Source]:
    return read_source(text.encode(), Source(path="a.csv", **said))


@pytest.mark.parametrize(
    ("above", "below", "rows"),
    [
        ("", "", (None, None)),
        ("Ferry survey 2026\n", "", (1, None)),
        ("Ferry survey 2026\n\nExported on\n", "", (2, None)),
        ('"Ferry survey, 2026",,,\n,,,\n', "", (1, None)),
        ("", "Notes: as told by passengers\n", (None, 1)),
        ("", "\n\nSource: harbour office,,,\n", (None, 1)),
        ("", "Total,,120,2460\n", (None, 1)),
        ("Ferry survey\n", "Total,,120,2460\n* without staff of the harbour\n", (1, 2)),
    ],
)  # fmt: skip
def test_titles_notes_and_totals_are_left_out(
    above: str, below: str, rows: tuple[int | None, int | None]
) -> None:
    table, reading = read(above + TABLE + below)
    assert table.names == ("id", "isle", "trips", "spent") and len(table.rows) == 40
    assert (reading.rows_above, reading.rows_below) == rows
    again, _ = read(above + TABLE + below, **reading.model_dump(exclude={"path"}, exclude_none=True))
    assert again.rows.tolist() == table.rows.tolist()


@pytest.mark.parametrize("last", ["41,,,\n", "41,Hask,,\n", "Hask,Hask,3,9\n", '41,"Notes: none",1,2\n'])
def test_a_last_record_that_is_one_stays(last: str) -> None:
    table, reading = read(TABLE + last)
    assert len(table.rows) == 41 and reading.rows_below is None


def test_headings_in_the_middle_are_left_out_and_the_others_keep_their_numbers() -> None:
    lines = TABLE.split("\n")
    lines.insert(11, lines[0])
    table, reading = read("\n".join(lines))
    assert reading.repeated and len(table.rows) == 40 and table.rows.tolist()[9:11] == [10, 12]
    kept, _ = read("\n".join(lines), repeated=False)
    assert len(kept.rows) == 41


def test_what_is_said_of_rows_around_is_not_guessed() -> None:
    table, _ = read(TABLE + "Total,,120,2460\n", rows_below=0)
    assert len(table.rows) == 41
    table, reading = read("a,b,c,d\n" + TABLE, rows_above=1)
    assert table.names[0] == "id" and reading.rows_above == 1


def test_thousands_alone_are_no_decimals() -> None:
    _, reading = read("x\ty\n1,200\t4\n3,500\t5\n")
    assert reading.decimal is None


def test_an_answer_that_could_be_a_total_is_none_and_names_for_some_columns_are_no_title() -> None:
    records = "".join(f"{('All', 'Some')[k % 2]},{k},{k},{k}\n" for k in range(1, 32)) + "All,5,6,7\n"
    table, reading = read("which,a,b,c\n" + records)
    assert len(table.rows) == 32 and reading.rows_below is None
    table, reading = read("id,name,,,\n" + "".join(f"{k},Ola,{k},{k},x\n" for k in range(1, 20)))
    assert (len(table.rows), table.names[:2], reading.rows_above) == (19, ("id", "name"), None)
