"""Scales, variables and datasets: what they allow, and how they answer."""

from typing import Any

import numpy as np
import pytest
from builders import coded, dataset, raw, scale
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from even_ballot.core.data.codebook import Code, Codebook, Scale, Variable
from even_ballot.core.data.dataset import text_column
from even_ballot.core.data.interpretation import interpret
from even_ballot.core.faults import Fault, StudyError, fault, some


@pytest.mark.parametrize(
    ("scale_", "what"),
    [
        ({"codes": []}, "at least 1"),
        ({"codes": [{"code": 1, "label": "a"}, {"code": 1, "label": "b"}]}, "code 1 is used twice"),
        ({"codes": [{"code": 1, "label": "a"}, {"code": 2, "label": "a"}]}, "label 'a' occurs twice"),
        (
            {"codes": [{"code": 9, "label": "a"}], "missing": [{"code": 9, "label": "none"}]},
            "code 9 is used twice",
        ),
        ({"codes": [{"code": 1.5, "label": "a"}]}, "valid integer"),
    ],
)
def test_a_scale_is_unambiguous(scale_: dict[str, Any], what: str) -> None:
    with pytest.raises(ValidationError, match=what):
        Scale.model_validate(scale_)


@pytest.mark.parametrize(
    ("variable", "what"),
    [
        ({"name": "q", "kind": "number", "scale": "s"}, "a number variable has no answer scale"),
        ({"name": "q", "kind": "multi"}, "needs parts"),
        ({"name": "q", "kind": "text", "parts": ["a"]}, "belong to kind multi"),
        (
            {"name": "q", "kind": "multi", "parts": ["a", "b"], "options": [{"code": 1, "label": "x"}]},
            "1 options for 2 parts",
        ),
        ({"name": "", "kind": "text"}, "at least 1 character"),
        ({"name": "q", "kind": "coded", "role": "king"}, "role"),
    ],
)
def test_a_variables_keys_fit_its_kind(variable: dict[str, Any], what: str) -> None:
    with pytest.raises(ValidationError, match=what):
        Variable.model_validate(variable)


def test_a_variable_is_described_once() -> None:
    with pytest.raises(ValidationError, match="described twice"):
        Codebook.model_validate(
            {"variables": [{"name": "q", "kind": "text"}, {"name": "q", "kind": "number"}]}
        )


def test_labels_are_found_by_code_missing_ones_too() -> None:
    agree = scale(1, 2, missing=[99])
    assert [agree.label_of(code) for code in (1, 99, 7)] == ["A1", "M99", None]


def test_categories_are_the_scales_in_its_order_then_strays_ascending() -> None:
    turned = Scale(codes=(Code(code=3, label="c"), Code(code=1, label="a")))
    data = dataset({"q": ["1", "9", "3", "7"]}, q=turned)
    codes, known = data.categories("q")
    assert ([c.code for c in codes], known) == ([3, 1, 7, 9], 2)


@given(st.lists(st.sampled_from([None, 1, 2, 3, 40, -5]), min_size=1, max_size=30))
def test_positions_point_at_the_categories(codes: list[int | None]) -> None:
    data = dataset({"q": coded(codes), "k": ["x"] * len(codes)}, q=scale(2, 1))
    categories = [c.code for c in data.categories("q")[0]]
    for code, position in zip(codes, data.positions("q").tolist(), strict=True):
        assert (position < 0) if code is None else categories[position] == code


def test_positions_take_no_more_room_than_they_need() -> None:
    few, many = scale(*range(100)), scale(*range(1000))
    data = dataset({"a": ["1", "2"], "b": ["1", "999"]}, a=few, b=many)
    assert [data.positions(name).dtype.name for name in ("a", "b")] == ["int8", "int16"]


def test_a_coded_variable_without_a_scale_has_the_codes_that_are_there() -> None:
    data = interpret(raw({"q": ["3", "1", "3"]}), Codebook(variables=(Variable(name="q", kind="coded"),)))
    codes, known = data.categories("q")
    assert ([c.code for c in codes], known) == ([1, 3], 2)


def test_picking_cases_leaves_the_original_alone() -> None:
    data = dataset({"q": ["1", "2", "1"]}, q=scale(1, 2))
    picked = data.where(np.array([True, False, True]))
    assert (data.n, picked.n, picked.rows.tolist()) == (3, 2, [1, 3])
    assert picked.positions("q").tolist() == [0, 0]
    assert data.positions("q").tolist() == [0, 1, 0]


@pytest.mark.parametrize(
    ("name", "mend"),
    [
        ("Age", "Did you mean age? Names are case-sensitive."),
        ("agee", "Did you mean age?"),
        ("zzz", "Variables: age, sex."),
    ],
)
def test_a_name_that_is_not_there_brings_what_may_have_been_meant(name: str, mend: str) -> None:
    with pytest.raises(StudyError) as error:
        dataset({"age": ["1"], "sex": ["1"]}).column(name, "where")
    assert error.value.faults[0] == Fault(f"There is no variable {name!r}.", "where", mend)


def test_what_the_codebook_holds_ready_is_laid_on_a_variable_once_it_is_made() -> None:
    book = Codebook(variables=(Variable(name="later", kind="number", unit="crowns", note="made"),))
    data = interpret(raw({"a": ["1"]}), book, made_later=["later"])
    made = data.with_column(Variable(name="later", kind="number", label="Own"), data.column("a")).variable(
        "later"
    )
    assert (made.label, made.unit, made.note) == ("Own", "crowns", "made")


def test_the_record_number_is_always_there() -> None:
    data = dataset({"a": ["x", "y"]}).where(np.array([False, True]))
    assert data.column("row").values.tolist() == [2.0]
    assert data.variable("row").kind == "number"


@given(st.lists(st.one_of(st.none(), st.text(max_size=4)), max_size=30))
def test_a_text_column_keeps_every_entry_and_white_space_is_blank(entries: list[str | None]) -> None:
    column = text_column(entries)
    for entry, value, state in zip(entries, column.values.tolist(), column.state.tolist(), strict=True):
        assert state == (entry is None or not entry.strip())
        assert state or column.words[value] == entry


def test_faults_read_as_what_where_and_what_mends_them() -> None:
    error = fault("It is off.", "a[0]", "Mend it.")
    assert str(error) == "a[0]: It is off. Mend it."
    assert str(StudyError([Fault("One."), Fault("Two.", "b")])) == "One.\nb: Two."
    assert some(range(3)) == "0, 1, 2"
    assert some(range(10), 2) == "0, 1 and 8 more"
