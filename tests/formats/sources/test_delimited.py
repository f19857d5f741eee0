"""Delimited text in: encodings, delimiters, headings, blank and ragged records."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from even_ballot.core.data.dataset import RawTable
from even_ballot.core.faults import StudyError
from even_ballot.core.study.study_file import Source
from even_ballot.formats.sources.source import read_source


def read(content: bytes, name: str = "answers.csv", **said: object) -> tuple[RawTable, Source]:
    return read_source(content, Source.model_validate({"path": name, **said}))


def cells(table: RawTable, position: int) -> list[str | None]:
    column = table.columns[position]
    return [
        None if s else column.words[v]
        for v, s in zip(column.values.tolist(), column.state.tolist(), strict=True)
    ]


@pytest.mark.parametrize("delimiter", [",", ";", "\t", "|"])
@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16", "cp1252"])
def test_encoding_and_delimiter_are_found_out(delimiter: str, encoding: str) -> None:
    rows = [["id", "Wo wohnen Sie?"], *([str(k), f"Höfe am See, Nr. {k}"] for k in range(40))]
    text = "\r\n".join(delimiter.join(f'"{cell}"' for cell in row) for row in rows)
    table, reading = read(text.encode(encoding))
    assert reading.delimiter == delimiter
    assert table.names == ("id", "wo_wohnen_sie")
    assert cells(table, 1)[3] == "Höfe am See, Nr. 3"


def test_awkward_headings_all_arrive_with_short_unique_names_and_their_full_text() -> None:
    heads = [
        '"Say ""more""?\nif you like"',
        '"Say ""more""?\nif you like"',
        "2026",
        "",
        "in",
        "row",
        "q1",
        "Ça va?",
    ]
    table, _ = read((",".join(heads) + "\n" + ",".join("12345678") + "\n").encode())
    assert len(set(table.names)) == 8
    assert all(name.isidentifier() for name in table.names)
    assert table.labels[0] == 'Say "more"?\nif you like'
    assert table.names[6:] == ("q1", "ca_va")


def test_blank_records_are_left_out_and_the_others_keep_their_numbers() -> None:
    table, _ = read("a,b\n1,2\n,\n\u00a0, \n3,\n,,\n,\n".replace(",,\n", ",\n").encode())
    assert table.rows.tolist() == [1, 4]
    assert table.blank_records == 4


def test_line_breaks_and_delimiters_inside_quotes_belong_to_the_entry() -> None:
    table, _ = read(b'a,b\n"one\ntwo, three",4\n"say ""no""",5\n')
    assert cells(table, 0) == ["one\ntwo, three", 'say "no"']


def test_ragged_records_are_named_by_line_and_nothing_is_read() -> None:
    with pytest.raises(StudyError) as error:
        read(b'a,b,c\n1,2,3\n"x\ny",2,3\n1,2\n1,2,3,4\n')
    (fault,) = error.value.faults
    assert fault.where == "answers.csv, line 5, 6"
    assert "2 records do not have the 3 fields" in fault.what


@pytest.mark.parametrize(
    ("content", "what"),
    [
        (b"", "is empty"),
        (b"  \n ", "is empty"),
        (b"\x89PNG\r\n\x1a\n\x00\x00\x00\rIHDR", "This is not"),
        (b"\x01\x02\x03\x04\xff\xfe\xfa" * 50, "This is not"),
        (b"a,b\n", "no record"),
        (b"a,b\n,\n", "no answers"),
        (b"\xd0\xcf\x11\xe0\xa1\xb1", "old binary format"),
        (b"PK\x03\x04 cut off", "damaged or cut off"),
    ],
)
def test_what_is_no_file_of_answers_is_refused(content: bytes, what: str) -> None:
    with pytest.raises(StudyError, match=what) as error:
        read(content)
    assert error.value.faults[0].where.startswith("answers.csv")
    assert error.value.faults[0].mend


def test_what_is_said_of_a_file_overrules_the_guess() -> None:
    content = b"p;q\n1;2\n"
    assert read(content)[0].names == ("p", "q")
    assert read(content, delimiter=",")[0].names == ("p_q",)
    two, _ = read(b"q1,q2\nHow old?,Where?\n4,x\n", header_rows=2)
    assert (two.names, two.labels, two.rows.tolist()) == (("q1", "q2"), ("How old?", "Where?"), [1])


def test_bytes_that_do_not_decode_as_said_are_refused() -> None:
    with pytest.raises(StudyError, match="does not read as utf-8"):
        read("a,b\nä,ö\n".encode("latin-1"), encoding="utf-8")


ENTRIES = st.text(st.characters(blacklist_categories=("Cs", "Cc"), blacklist_characters="\ufeff"), max_size=8)


@given(st.lists(st.tuples(ENTRIES, ENTRIES), min_size=1, max_size=15))
def test_every_entry_comes_through_as_it_was(rows: list[tuple[str, str]]) -> None:
    def quoted(text: str) -> str:
        return '"' + text.replace('"', '""') + '"'

    content = "key,left,right\n" + "".join(f"{k},{quoted(a)},{quoted(b)}\n" for k, (a, b) in enumerate(rows))
    table, _ = read(content.encode(), delimiter=",", encoding="utf-8")
    assert cells(table, 1) == [a if a.strip() else None for a, _ in rows]
    assert cells(table, 2) == [b if b.strip() else None for _, b in rows]
