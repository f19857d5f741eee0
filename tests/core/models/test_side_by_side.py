"""Models side by side: every coefficient in its place, terms in the order that models bring them in."""

from typing import Any

import pytest
from surveys import study, survey

from even_ballot.core.faults import StudyError
from even_ballot.core.models.model_request import SideBySide
from even_ballot.core.models.side_by_side import side_by_side
from even_ballot.core.study.pipeline import run
from even_ballot.core.study.study_file import parse_study
from even_ballot.formats.analyses.rows import beside_block

MODELS: list[dict[str, Any]] = [
    {"id": "m1", "title": "Small", "kind": "linear", "outcome": "y", "terms": [["b"]]},
    {"id": "m2", "title": "Large", "kind": "linear", "outcome": "y", "terms": [["a"], ["b"], ["a", "b"]]},
    {"id": "m3", "title": "Other", "kind": "linear", "outcome": "y", "terms": [["b"]], "reference": {"b": 2}},
]
WHERE = "not missing(a) and not missing(b) and not missing(y)"


def fitted(seed: int = 3) -> Any:
    document = study({}, None, {"id": "t", "stub": ["q"]}).model_dump(
        mode="json", exclude_unset=True, by_alias=True
    )
    models = [{**of, "where": WHERE} for of in MODELS]
    return run(parse_study({**document, "models": models}), survey(seed), {}).models


def test_every_coefficient_stands_in_its_line_and_column() -> None:
    models = fitted()
    found = side_by_side(models)
    for k, model in enumerate(models):
        there = [line.coefficients[k] for line in found.lines if line.coefficients[k] is not None]
        assert sorted(there, key=str) == sorted(model.coefficients, key=str)
        for line in found.lines:
            of = line.coefficients[k]
            assert of is None or of.term == line.term
    assert found.lines[0].group == ""
    assert list(dict.fromkeys(line.group for line in found.lines)) == ["", "b", "a", "a × b"]
    refers = {
        (line.label, k)
        for line in found.lines
        for k, yes in enumerate(line.reference)
        if yes and line.group == "b"
    }
    assert len({label for label, _ in refers}) == 2 and {k for _, k in refers} == {0, 1, 2}


def test_what_a_model_adds_is_told_where_it_has_all_of_the_one_before() -> None:
    models = fitted()
    found = side_by_side(models)
    assert [of.term for of in found.columns[1].added] == [("a",), ("a", "b")]
    assert found.columns[0].added == found.columns[2].added == ()
    assert side_by_side([models[1], models[0]]).columns[1].added == ()


def test_a_sheet_has_every_figure_asked_for() -> None:
    found = side_by_side(fitted())
    block = beside_block(found, SideBySide(id="s", models=("m1", "m2", "m3"), show=("est", "interval")))
    assert len(block.headings) == 1 + 3 * 3 and {len(row) for row in block.rows} == {10}
    one = next(row for row in block.rows if row[0] == "Intercept")
    line = next(line for line in found.lines if line.label == "Intercept")
    assert one[1:] == tuple(x for of in line.coefficients if of for x in (of.est, of.low, of.high))
    assert block.rows[-2][0] == "Cases" and block.rows[-1][0] == "R²"


def test_models_that_are_not_there_are_named() -> None:
    with pytest.raises(StudyError, match="names the model 'm9', which is not there"):
        parse_study({"source": {"path": "a.csv"}, "side_by_side": [{"id": "s", "models": ["m9"]}]})
