"""From text columns to a dataset, and the study file's own checks."""

import json

import pytest
from builders import dataset, raw, scale, study, values
from hypothesis import given
from hypothesis import strategies as st

from even_ballot.core.data.codebook import Codebook, Variable
from even_ballot.core.data.dataset import MISSING, UNPLACED
from even_ballot.core.data.interpretation import interpret
from even_ballot.core.faults import StudyError
from even_ballot.core.screening import behind, sweep
from even_ballot.core.study.study_file import Study, parse_study


@pytest.mark.parametrize(
    ("entries", "kind"),
    [
        (["1", "2.5", "", "-3e2"], "number"),
        (["1", "x"], "text"),
        (["007", "12"], "text"),
        (["0", "0.5"], "number"),
        (["2026-03-01", "2026-03-02 10:00"], "date"),
        (["nan", "1"], "text"),
        (["", ""], "text"),
    ],
)
def test_a_kind_is_guessed_from_every_answer(entries: list[str], kind: str) -> None:
    assert dataset({"a": entries, "b": ["z"] * len(entries)}).variable("a").kind == kind


def test_codes_and_labels_arrive_as_codes_and_what_fits_nothing_stays_visible() -> None:
    data = dataset({"q": ["1", "A2", "M99", "7", "2.0", "no idea", ""]}, q=scale(1, 2, missing=[99]))
    assert values(data, "q") == [1, 2, None, 7, 2, None, None]
    column = data.column("q")
    assert column.state.tolist() == [0, 0, MISSING, 0, 0, UNPLACED, 1]
    assert column.entries() == {"no idea": 1}


def test_the_sweep_finds_stray_codes_and_unplaced_entries_and_their_cases() -> None:
    data = dataset({"q": ["1", "7", "7", "no idea"], "n": ["1", "2", "3", "4"]}, q=scale(1, 2))
    found = sweep(data)
    assert [(f.kind, f.value, f.cases) for f in found] == [
        ("not_in_codebook", "7", 2),
        ("not_placed", "no idea", 1),
    ]
    assert [data.rows[behind(data, f).cases].tolist() for f in found] == [[2, 3], [4]]


def test_a_number_keeps_its_missing_codes() -> None:
    book = Codebook(
        variables=(
            Variable.model_validate(
                {"name": "age", "kind": "number", "missing": [{"code": 999, "label": "Refused"}]}
            ),
        )
    )
    data = interpret(raw({"age": ["40", "999", "x"]}), book)
    assert values(data, "age") == [40.0, None, None]


def test_an_entry_for_a_column_that_is_not_there_is_named() -> None:
    book = Codebook(variables=(Variable(name="q9", kind="text"),))
    with pytest.raises(StudyError, match="no column q9") as error:
        interpret(raw({"q1": ["a"]}), book)
    assert error.value.faults[0].where == "codebook.variables[0]"
    assert interpret(raw({"q1": ["a"]}), book, made_later=["q9"]).n == 1


@pytest.mark.parametrize(
    ("part", "where", "what"),
    [
        ({"tabels": []}, "tabels", "not known"),
        ({"source": {"path": "a.csv", "delimiter": "\n"}}, "source.delimiter", "cannot be the delimiter"),
        ({"ledger": [{"do": "drop_cases", "were": "x"}]}, "ledger[0].were", "not known"),
        ({"ledger": [{"do": "drop_casess"}]}, "ledger[0]", "no such step"),
        ({"ledger": [{"where": "a > 1"}]}, "ledger[0]", 'has no "do"'),
        (
            {"weightings": [{"margins": [{"by": ["a"], "targets": [{"at": {"b": 1}, "value": 1}]}]}]},
            "weightings[0]",
            "must give a code",
        ),
        (
            {"weightings": [{"limits": {"low": 0.2, "high": 1}}]},
            "weightings[0].limits.high",
            "greater than 1",
        ),
        (
            {"weightings": [{"base": {"times": ["a"], "divided_by": 0}}]},
            "weightings[0].base.divided_by",
            "greater than 0",
        ),
        ({"weightings": [{"base": {"stratum_population": "a"}}]}, "weightings[0].base.by", "required"),
        ({"weightings": [{"nonresponse": {"cells": []}}]}, "weightings[0].nonresponse.responded", "required"),
        ({"weightings": [{"scale_to": "population"}]}, "weightings[0]", "needs a margin in counts"),
        (
            {"design": {"variance": {"method": "columns", "columns": ["a", "b"]}}},
            "design.variance.scale",
            "required",
        ),
        (
            {"design": {"variance": {"method": "bootstrap", "count": 1}}},
            "design.variance.count",
            "greater than or equal to 2",
        ),
        ({"design": {"variance": {"method": "guess"}}}, "design.variance", "no such"),
        (
            {
                "design": {
                    "calibrated": True,
                    "variance": {"method": "columns", "columns": ["a", "b"], "scale": 1},
                }
            },
            "design",
            "cannot be raked again",
        ),
        ({"tables": [{"id": "a", "stub": ["q"]}, {"id": "a", "stub": ["q"]}]}, "study", "used twice"),
        (
            {"codebook": {"variables": [{"name": "q", "kind": "coded", "scale": "s"}]}},
            "codebook",
            "uses scale 's'",
        ),
        (
            {
                "codebook": {
                    "scales": {"s": {"codes": [{"code": 1, "label": "a"}, {"code": 1, "label": "b"}]}}
                }
            },
            "codebook.scales.s",
            "twice",
        ),
    ],
)
def test_faults_of_a_study_file_say_where(part: dict[str, object], where: str, what: str) -> None:
    with pytest.raises(StudyError) as error:
        study(**part)
    assert what in str(error.value)
    assert where in [f.where for f in error.value.faults]


def test_a_weight_left_out_and_a_weight_of_null_stay_apart() -> None:
    for part in ({}, {"weight": None}):
        written = study(design=part).model_dump_json(exclude_unset=True)
        assert parse_study(json.loads(written)) == study(design=part)
        assert ("weight" in json.loads(written)["design"]) == ("weight" in part)


def test_the_json_schema_refuses_unknown_keys() -> None:
    assert Study.model_json_schema()["additionalProperties"] is False


@given(st.lists(st.text(max_size=6), min_size=1, max_size=20))
def test_no_entry_of_a_coded_column_is_lost(entries: list[str]) -> None:
    data = dataset({"q": entries, "k": ["x"] * len(entries)}, q=scale(1, 2))
    column = data.column("q")
    blank = sum(not e.strip() for e in entries)
    assert (column.state == 1).sum() == blank
    assert column.answered.sum() + sum(column.entries().values()) + (
        column.state == MISSING
    ).sum() + blank == len(entries)


def test_a_number_that_float64_does_not_hold_stays_as_it_came() -> None:
    data = interpret(raw({"x": ["1", "1e400", "-2e999", "1e-400", "1e308", "0e5"]}), Codebook())
    assert data.variable("x").kind == "number"
    assert data.column("x").entries() == {"1e400": 1, "-2e999": 1, "1e-400": 1}
    assert data.column("x").values[data.column("x").answered].tolist() == [1.0, 1e308, 0.0]
