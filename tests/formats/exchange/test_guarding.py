"""Texts that other programs would run or choke on: CSV, workbooks, Markdown and pages hold them as texts."""

import csv
import io
import json
import zipfile
from typing import Any

import pytest
from builders import raw
from hypothesis import given
from hypothesis import strategies as st

from even_ballot.core.data.codebook import Code, Scale, Variable
from even_ballot.core.ledger import Effect
from even_ballot.core.study.pipeline import run
from even_ballot.core.study.results import Results
from even_ballot.core.study.study_file import Source, Study, parse_study
from even_ballot.formats.exchange.codebooks import codebook_csv, read_codebook
from even_ballot.formats.exchange.journal import journal_html, journal_markdown
from even_ballot.formats.exchange.microdata import microdata
from even_ballot.formats.exchange.plans import plan_csv, read_plan
from even_ballot.formats.guarding import guarded, unguarded
from even_ballot.formats.sources.source import read_source
from even_ballot.formats.workbooks.workbook import workbook

FORMULAS = [
    "=1+1",
    "+1",
    "-cmd",
    "@SUM(1)",
    "\t=1",
    '=HYPERLINK("http://x")',
    "'=1",
    "''=1",
    "'tis",
    "fine",
    "-",
]


@given(st.text())
def test_what_is_guarded_is_read_back_and_runs_nowhere(text: str) -> None:
    assert unguarded(guarded(text)) == text
    assert not guarded(text).startswith(("=", "+", "-", "@", "\t", "\r"))


def study_of(texts: list[str], **more: Any) -> tuple[Study, Results]:
    columns = {"t": texts, "x": [str(-k) for k in range(len(texts))]}
    study = parse_study(
        {"source": {"path": "a.csv"}, "tables": [{"id": "t", "stub": ["x"], "show": ["mean"]}], **more}
    )
    return study, run(study, raw(columns), {})


def test_microdata_run_nowhere_and_are_read_back() -> None:
    _, found = study_of(FORMULAS)
    text = b"".join(microdata(found.data)).decode()
    rows = list(csv.DictReader(io.StringIO(text)))
    assert all(not row["t"].startswith(("=", "+", "-", "@", "\t")) for row in rows)
    assert [row["x"] for row in rows][1] == "-1"
    table, _ = read_source(text.encode(), Source(path="microdata.csv"))
    column = table.columns[table.names.index("t")]
    assert [column.words[v] for v in column.values] == FORMULAS
    assert [
        row["t"] for row in csv.DictReader(io.StringIO(b"".join(microdata(found.data, guard=False)).decode()))
    ] == FORMULAS


def test_codebooks_and_plans_run_nowhere_and_are_read_back() -> None:
    scale = Scale(codes=tuple(Code(code=k, label=label) for k, label in enumerate(FORMULAS)))
    variable = Variable(name="q", kind="coded", scale="s", label="=1+1", note="@note")
    text = codebook_csv([variable], {"s": scale})
    assert all(
        not cell.startswith(("=", "+", "-", "@")) for row in csv.reader(io.StringIO(text)) for cell in row
    )
    book = read_codebook(text.encode(), "codebook.csv")
    assert [c.label for c in book.scales["s"].codes] == FORMULAS
    assert (book.variables[0].label, book.variables[0].note) == ("=1+1", "@note")
    plan, _ = study_of(["a", "b"], tables=[{"id": "t", "title": "=cmd", "stub": ["x"], "where": "-x > 1"}])
    written = plan_csv(plan.tables)
    assert all(
        not cell.startswith(("=", "+", "-", "@")) for row in csv.reader(io.StringIO(written)) for cell in row
    )
    assert read_plan(written.encode(), "plan.csv") == plan.tables


@pytest.mark.parametrize("title", ["a\x00b\x1f", "🛳" * 80, "x" * 40_000, "[]:*?/\\", "'", "", " ", "History"])
def test_any_title_makes_a_well_formed_workbook(title: str) -> None:
    tables = [{"id": f"t{k}", "title": title, "stub": ["x"], "show": ["mean"]} for k in range(3)]
    study, found = study_of(["a", "b", "c"], title=title, tables=tables)
    content = workbook(study, found)
    import openpyxl

    book = openpyxl.load_workbook(io.BytesIO(content))
    names = book.sheetnames
    assert len(names) == len({name.casefold() for name in names}) == 6
    assert all(0 < len(name.encode("utf-16-le")) <= 62 for name in names)
    with zipfile.ZipFile(io.BytesIO(content)) as archive:
        assert not any(b"<f>" in archive.read(name) for name in archive.namelist() if "worksheets" in name)


def test_the_journal_holds_what_people_wrote_as_text() -> None:
    why = "see <script>alert(1)</script> [x](javascript:y) `code` **bold**\n# no heading"
    effect = Effect(1, "edit", "Set t of case 1 to '*'", why, False, 3, 3, 1, {"t": {"<b>": 2}})
    study = parse_study({"source": {"path": "a_b.csv"}, "title": "*A* | B"})
    text = journal_markdown(study, 3, 3, (effect,))
    assert "<script" not in text
    assert "\n# no heading" not in text
    assert "[x](" not in text
    assert "<script" not in journal_html(study, 3, 3, (effect,))


@pytest.mark.parametrize("number", ["NaN", "Infinity", "-Infinity", "1e999"])
def test_no_number_that_is_none_gets_into_a_study(api: Any, small: dict[str, Any], number: str) -> None:
    body = f'{{"edition": {small["edition"]}, "parts": {{"screening": {{"fast": {number}}}}}}}'
    answer = api.raw(
        "PATCH", f"/studies/{small['id']}", content=body, headers={"content-type": "application/json"}
    )
    assert answer.status_code == 422
    json.loads(answer.content, parse_constant=lambda word: pytest.fail(word))


def test_what_is_too_much_is_a_fault_with_its_place() -> None:
    from even_ballot.core.faults import StudyError

    deep = [["x"] * 7]
    for document, place in (
        ({"tables": [{"id": "t", "stub": ["x"], "banner": deep}]}, "tables[0].banner[0]"),
        ({"weightings": [{"margins": [{"by": ["x"] * 9, "targets": []}]}]}, "weightings[0].margins[0].by"),
        ({"tables": [{"id": f"t{k}", "stub": ["x"]} for k in range(5001)]}, "tables"),
    ):
        with pytest.raises(StudyError) as caught:
            parse_study({"source": {"path": "a"}, **document})
        assert any(fault.where.startswith(place) and fault.mend for fault in caught.value.faults), (
            caught.value.faults
        )
