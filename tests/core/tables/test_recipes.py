"""Recipes: what tables take from them, what stays their own, what is written."""

import json
from typing import Any

import pytest

from even_ballot.core.faults import StudyError
from even_ballot.core.study.study_file import Study, parse_study
from even_ballot.core.tables.display import Sort
from even_ballot.core.tables.recipe import OURS, by_itself
from even_ballot.core.tables.table_request import TableRequest


def study(tables: list[dict[str, Any]], **more: Any) -> Study:
    return parse_study({"even_ballot": 1, "source": {"path": "a.csv"}, "tables": tables, **more})


HOUSE = {
    "name": "House",
    "show": ["col_pct", "mean"],
    "beside": ["interval"],
    "tests": ["columns"],
    "levels": [0.01, 0.05],
    "rows": {"stat": "col_pct"},
}


def test_a_table_takes_what_it_does_not_say_itself() -> None:
    tables = [
        {"id": "a", "stub": ["q"], "recipe": "House"},
        {"id": "b", "stub": ["q"], "recipe": "House", "show": ["n"], "tests": []},
        {"id": "c", "stub": ["q"]},
    ]
    a, b, c = study(tables, recipes=[HOUSE]).tables
    assert (a.show, a.beside, a.tests, a.levels) == (
        ("col_pct", "mean"),
        ("interval",),
        ("columns",),
        (0.01, 0.05),
    )
    assert a.display.rows is not None and a.display.rows.stat == "col_pct"
    assert (b.show, b.tests, b.beside) == (("n",), (), ("interval",))
    assert c == TableRequest(id="c", stub=("q",))


def test_the_recipe_is_written_once_and_its_tables_keep_their_own_alone() -> None:
    tables = [{"id": "a", "stub": ["q"], "recipe": "House"}, {"id": "b", "recipe": "House", "show": ["n"]}]
    whole = study(tables, recipes=[HOUSE])
    written = json.loads(whole.model_dump_json(exclude_unset=True, by_alias=True))
    assert written["tables"] == tables
    assert written["recipes"] == [HOUSE]
    assert parse_study(written) == whole


def test_a_table_by_itself_has_the_same_figures_without_its_recipe() -> None:
    (table,) = study([{"id": "a", "stub": ["q"], "recipe": "House"}], recipes=[HOUSE]).tables
    alone = by_itself(table)
    assert alone.recipe is None
    assert alone.model_dump(exclude={"recipe"}) == table.model_dump(exclude={"recipe"})
    assert TableRequest.model_validate(alone.model_dump(exclude_unset=True)) == alone


def test_rows_in_the_order_of_the_recipe_are_not_written_with_the_table() -> None:
    hidden = {"variables": [{"variable": "q", "label": "Q"}]}
    tables = [
        {"id": "a", "recipe": "House", "display": hidden},
        {"id": "b", "recipe": "House", "display": {"rows": None}},
    ]
    whole = study(tables, recipes=[HOUSE])
    assert [t.display.rows is None for t in whole.tables] == [False, True]
    assert json.loads(whole.model_dump_json(exclude_unset=True))["tables"] == tables
    alone = by_itself(whole.tables[0]).model_dump(mode="json", exclude_unset=True)
    assert TableRequest.model_validate(alone).display.rows == Sort(stat="col_pct")
    assert alone["display"]["variables"][0]["label"] == "Q"


def test_a_study_begins_with_four() -> None:
    names = [recipe.name for recipe in OURS]
    tables = study([{"id": name, "stub": ["q"], "recipe": name} for name in names]).tables
    assert [table.show for table in tables] == [recipe.show for recipe in OURS]


@pytest.mark.parametrize(
    ("parts", "said"),
    [
        ({"recipes": [HOUSE, HOUSE]}, "recipe 'House' is used twice"),
        ({"tables": [{"id": "t", "recipe": "Gone"}]}, "the recipe 'Gone', which is not there"),
        ({"usual_recipe": "Gone"}, "usual_recipe names 'Gone'"),
        (
            {"recipes": [HOUSE | {"nets": [{"label": "N", "stub": "q", "codes": [1]}]}]},
            "leave its variable out",
        ),
        ({"recipes": [HOUSE | {"rows": {"at": {"sex": 1}}}]}, "by the total column"),
        (
            {"recipes": [HOUSE | {"show": ["ratio"]}], "tables": [{"id": "t", "recipe": "House"}]},
            "tables[0] with the recipe 'House': a ratio needs a denominator",
        ),
    ],
)
def test_what_does_not_fit_is_refused(parts: dict[str, Any], said: str) -> None:
    with pytest.raises(StudyError) as refused:
        study(**({"tables": []} | parts))
    assert said in str(refused.value)
