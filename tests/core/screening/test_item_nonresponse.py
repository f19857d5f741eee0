"""Item non-response against a plain reading, case by case."""

from collections import Counter

import pytest
from builders import dataset, scale
from hypothesis import given
from hypothesis import strategies as st

from even_ballot.core.data.codebook import Code, Variable
from even_ballot.core.data.dataset import Dataset
from even_ballot.core.faults import StudyError
from even_ballot.core.screening.item_nonresponse import nonresponse, questions_of

CELLS = st.sampled_from(["1", "2", "", "99", "x"])


@given(st.lists(st.tuples(CELLS, CELLS, CELLS), min_size=1, max_size=60))
def test_items_cases_and_patterns_are_those_of_a_plain_reading(cases: list[tuple[str, str, str]]) -> None:
    data = dataset(
        {f"q{i}": [case[i] for case in cases] for i in range(3)},
        **{f"q{i}": scale(1, 2, missing=[99]) for i in range(3)},
    )
    found = nonresponse(data)
    out = [tuple(i for i in range(3) if case[i] in ("", "99", "x")) for case in cases]
    assert found.cases == len(cases)
    for i, item in enumerate(found.items):
        column = [case[i] for case in cases]
        assert (item.blank, item.missing, item.unplaced) == (
            column.count(""),
            column.count("99"),
            column.count("x"),
        )
    assert list(found.left_out) == [sum(len(o) == k for o in out) for k in range(4)]
    assert {p.left_out: p.cases for p in found.patterns} == dict(Counter(out))
    assert [p.cases for p in found.patterns] == sorted((p.cases for p in found.patterns), reverse=True)


def test_rare_patterns_are_counted_though_not_listed() -> None:
    n = 6
    rows = [["" if case >> q & 1 else "1" for q in range(n)] for case in range(2**n)]
    data = dataset(
        {f"q{q}": [row[q] for row in rows] for q in range(n)}, **{f"q{q}": scale(1) for q in range(n)}
    )
    found = nonresponse(data)
    assert (len(found.patterns), found.other_patterns, found.other_cases) == (24, 40, 40)


def test_several_answers_count_as_one_question_left_out_where_every_part_is() -> None:
    data = dataset({"a": ["1", "", "0"], "b": ["", "", "1"], "id": ["7", "8", "9"]})
    multi = Variable(
        name="m", kind="multi", parts=("a", "b"), options=(Code(code=1, label="A"), Code(code=2, label="B"))
    )
    identified = data.variables["id"].model_copy(update={"role": "id"})
    data = Dataset(data.rows, data.columns, {**data.variables, "m": multi, "id": identified}, data.scales)
    assert questions_of(data) == ("m",)
    assert nonresponse(data).left_out == (2, 1)


def test_a_run_is_chosen_and_a_name_that_is_none_is_said() -> None:
    data = dataset({"a": ["1", ""], "b": ["", ""]})
    assert nonresponse(data, ["a"]).left_out == (1, 1)
    with pytest.raises(StudyError, match="no variable 'c'"):
        nonresponse(data, ["a", "c"])
