"""Smaller rules of cleaning: spared cases, edits by record, ranges, codes for no answer of made variables."""

from typing import Any

import pytest
from builders import dataset, raw, study, values
from hypothesis import given
from hypothesis import strategies as st

from even_ballot.core.data.codebook import Variable
from even_ballot.core.data.dataset import Dataset
from even_ballot.core.faults import StudyError
from even_ballot.core.ledger import run_ledger
from even_ballot.core.screening import sweep
from even_ballot.core.study.graph import start
from even_ballot.core.study.newer_file import extended
from even_ballot.core.study.study_file import Source
from even_ballot.formats.sources.delimited import as_csv
from even_ballot.formats.sources.source import read_source


def after(data: Dataset, *steps: dict[str, Any]) -> Dataset:
    return [state for state, _ in run_ledger(data, study(ledger=list(steps)).ledger, {})][-1]


def with_role(data: Dataset, name: str, role: str) -> Dataset:
    changed = data.variables[name].model_copy(update={"role": role})
    return Dataset(data.rows, data.columns, {**data.variables, name: changed}, data.scales)


@given(st.lists(st.integers(0, 9), min_size=1, max_size=40), st.sets(st.integers(1, 40)))
def test_spared_records_stay_in_use(entries: list[int], spared: set[int]) -> None:
    data = dataset({"x": entries})
    left = after(data, {"do": "drop_cases", "where": "x < 5", "spare": sorted(spared)})
    assert left.rows.tolist() == [r for r, x in enumerate(entries, start=1) if x >= 5 or r in spared]


def test_the_sentence_names_who_is_spared() -> None:
    step = study(ledger=[{"do": "drop_cases", "where": "x < 5", "spare": [3]}]).ledger[0]
    assert step.sentence() == "Set aside the cases where x < 5, but not record 3"


def test_cases_that_share_an_identifier_are_edited_by_their_record() -> None:
    data = with_role(dataset({"id": ["a", "a", "b"], "x": ["1", "2", "3"]}), "id", "id")
    with pytest.raises(StudyError, match="2 cases have the identifier a") as caught:
        after(data, {"do": "edit", "id": "a", "variable": "x", "value": 9})
    assert '"by": "row"' in caught.value.faults[0].write
    edited = after(data, {"do": "edit", "id": 2, "by": "row", "variable": "x", "value": 9})
    assert values(edited, "x") == [1, 9, 3]


def test_a_code_for_no_answer_holds_for_a_variable_that_the_ledger_makes() -> None:
    variables = [
        {"name": "twice", "kind": "number", "missing": [{"code": 18, "label": "Refused"}], "least": 3}
    ]
    document = study(
        codebook={"variables": variables}, ledger=[{"do": "derive", "into": "twice", "value": "2 * x"}]
    )
    data = [
        state for state, _ in run_ledger(start(document, raw({"x": ["1", "9", "2"]})), document.ledger, {})
    ][-1]
    assert values(data, "twice") == [2, None, 4]
    assert [(f.kind, f.value, f.cases) for f in sweep(data)] == [("out_of_range", "under 3", 1)]


def test_a_several_answer_question_stands_once_its_parts_are_made() -> None:
    multi = {
        "name": "why",
        "kind": "multi",
        "parts": ["a_chosen", "b_chosen"],
        "options": [{"code": 1, "label": "A"}, {"code": 2, "label": "B"}],
    }
    steps = [
        {"do": "derive", "into": f"{part}_chosen", "value": f"pick(missing({part}), 0, 1)"}
        for part in ("a", "b")
    ]
    document = study(codebook={"variables": [multi]}, ledger=steps)
    data = start(document, raw({"a": ["A", ""], "b": ["", ""]}))
    states = [data, *(state for state, _ in run_ledger(data, document.ledger, {}))]
    assert ["why" in state.variables for state in states] == [False, False, True]
    assert states[-1].variables["why"].parts == ("a_chosen", "b_chosen")


def test_a_range_that_is_none_is_refused() -> None:
    with pytest.raises(ValueError, match="the smallest valid value, 9"):
        Variable(name="x", kind="number", least=9, most=1)


CELL = st.sampled_from(["", "x", "y", 'a "b"', "c,d", "line\nbreak"])


@given(
    st.lists(st.tuples(st.sampled_from("abcd"), CELL), min_size=1, max_size=12),
    st.lists(st.tuples(st.sampled_from("cdef"), CELL, CELL), min_size=1, max_size=12),
)
def test_a_file_extended_by_a_newer_one_is_the_plain_reading_and_reads_back(
    older: list[tuple[str, str]], newer: list[tuple[str, str, str]]
) -> None:
    first = raw({"id": [i for i, _ in older], "q": [q for _, q in older]})
    second = raw(
        {"q": [q for _, q, _ in newer], "id": [i for i, _, _ in newer], "new": [n for _, _, n in newer]}
    )
    table, already = extended(second, first, "id")
    known = {i for i, _ in older}
    fresh = [case for case in newer if case[0] not in known]
    plain = [(i, q, "") for i, q in older] + fresh
    assert already == len(newer) - len(fresh)
    assert table.names == ("id", "q", "new")
    cells = [
        [None if s else c.words[v] for v, s in zip(c.values.tolist(), c.state.tolist(), strict=True)]
        for c in table.columns
    ]
    assert [tuple(cell or "" for cell in case) for case in zip(*cells, strict=True)] == plain
    again, _ = read_source(
        as_csv(table), Source(path="a.csv", format="csv", header_rows=2, names_row=1, delimiter=",")
    )
    assert again.names == table.names
    assert again.rows.tolist() == table.rows.tolist()
    back = [
        [None if s else c.words[v] for v, s in zip(c.values.tolist(), c.state.tolist(), strict=True)]
        for c in again.columns
    ]
    assert back == cells


def test_records_keep_their_numbers_over_blank_ones() -> None:
    first, _ = read_source(b"id,q\na,1\n,\nb,2\n", Source(path="a.csv"))
    second, _ = read_source(b"id,q\nb,9\nc,3\n", Source(path="b.csv"))
    table, already = extended(second, first, "id")
    assert (table.rows.tolist(), already) == ([1, 3, 4], 1)
    again, _ = read_source(as_csv(table), Source(path="a.csv", header_rows=2))
    assert again.rows.tolist() == [1, 3, 4]
