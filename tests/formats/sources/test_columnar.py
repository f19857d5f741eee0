"""Parquet and JSON lines in; the ledger as a document out."""

import io
from pathlib import Path

import pyarrow as pa
import pytest
from pyarrow import parquet

from even_ballot.core.data.dataset import RawTable
from even_ballot.core.faults import StudyError
from even_ballot.core.study.study_file import Source
from even_ballot.demo import FILES
from even_ballot.formats.exchange.journal import journal_html, journal_markdown
from even_ballot.formats.sources.source import read_source
from even_ballot.services.running import run_file


def cells(table: RawTable) -> list[list[str | None]]:
    return [
        [None if s else c.words[v] for v, s in zip(c.values.tolist(), c.state.tolist(), strict=True)]
        for c in table.columns
    ]


def test_parquet_columns_arrive_as_a_text_file_would_spell_them() -> None:
    made = pa.table(
        {
            "How old?": pa.array([30, None, 41]),
            "x": [1.0, 2.5, None],
            "isle": pa.array(["Hask", "Brim", "Hask"]).dictionary_encode(),
            "ok": [True, False, None],
        }
    )
    out = io.BytesIO()
    parquet.write_table(made, out)
    table, reading = read_source(out.getvalue(), Source(path="a.parquet"))
    assert (reading.format, table.names, table.labels[0]) == (
        "parquet",
        ("old", "x", "isle", "ok"),
        "How old?",
    )
    assert cells(table) == [
        ["30", None, "41"],
        ["1", "2.5", None],
        ["Hask", "Brim", "Hask"],
        ["1", "0", None],
    ]


def test_json_lines_are_records_and_lists_are_delimited_cells() -> None:
    content = b'{"id": 1, "why": ["Work", "Shopping"]}\n\n{"id": 2, "age": 40.0, "why": []}\n'
    table, reading = read_source(content, Source(path="a.jsonl"))
    assert (reading.format, table.names) == ("jsonl", ("id", "why", "age"))
    assert cells(table) == [["1", "2"], ["Work; Shopping", None], [None, "40"]]


@pytest.mark.parametrize(
    ("name", "content", "what"),
    [
        ("a.jsonl", b'{"a": 1}\n{"a": \n', "line 2"),
        ("a.jsonl", b"[1]\n", "not a JSON object"),
        ("a.jsonl", b"\xff\xfe\xfa", "UTF-8"),
        ("a.parquet", b"PAR1 and no more", "cannot be read"),
        ("a.parquet", b"a,b\n1,2\n", "not a PARQUET file"),
    ],
)
def test_what_cannot_be_read_is_refused(name: str, content: bytes, what: str) -> None:
    with pytest.raises(StudyError, match=what):
        read_source(content, Source(path=name))


def test_the_ledger_is_written_as_a_document(tmp_path: Path) -> None:
    study, results = run_file(FILES / "study.json")
    text = journal_markdown(study, results.source_cases, results.used_cases, results.effects)
    assert "answers.csv: 2,330 cases received, 62 set aside, 2,268 in use." in text
    assert (
        "2. Set aside the cases where entry_status == 'Staff test', because: made by our own staff while testing the form."
        in text
    )
    assert "*14 cases set aside, 2,316 left.*" in text
    page = journal_html(study, 3, 2, results.effects)
    assert page.count("<li>") == len(results.effects)
    assert "seconds &lt; 120" in page


def test_a_parquet_file_cut_in_the_middle_is_refused() -> None:
    out = io.BytesIO()
    parquet.write_table(pa.table({"id": list(range(1000))}), out)
    with pytest.raises(StudyError, match="cannot be read"):
        read_source(out.getvalue()[:-20], Source(path="a.parquet"))
