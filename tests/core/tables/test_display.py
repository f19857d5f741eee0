"""How a table is shown: labels, order, what is left out, sorted rows and columns; figures stay what they
are."""

from dataclasses import replace
from typing import Any

import pytest
from builders import coded, dataset, scale

from even_ballot.core.calibration.weighted_sample import sampled
from even_ballot.core.sampling.design import Design
from even_ballot.core.tables.display import Display, displayed
from even_ballot.core.tables.results import HiddenFigure, TableResult
from even_ballot.core.tables.table_request import TableRequest
from even_ballot.core.tables.tabulate import tabulate
from even_ballot.formats.tables.grid import lay_out
from even_ballot.formats.tables.reading_in_words import in_words

DATA = dataset(
    {"q": coded([1, 1, 1, 2, 3, 3, 1, 3, 3, 2]), "r": coded([3, 3, 3, 2, 3, 3, 1, 3, 3, 2]), "b": coded([1, 2] * 5),
     "c": coded([3, 1, 3, 2, 3, 3, 1, 3, 2, 3])},
    q=scale(1, 2, 3), r=scale(1, 2, 3), b=scale(1, 2), c=scale(1, 2, 3),
)  # fmt: skip


def made(display: dict[str, Any], **request: Any) -> tuple[TableResult, TableRequest]:
    parts = {
        "id": "t",
        "stub": ["q"],
        "banner": ["c"],
        "show": ["n", "col_pct"],
        "display": display,
        **request,
    }
    asked = TableRequest.model_validate(parts)
    return tabulate(sampled(DATA, Design()), asked), asked


def rows(result: TableResult, asked: TableRequest) -> list[str]:
    return [line.category for s in lay_out(result, asked).sections for line in s.lines if line.category]


def test_rows_stand_in_their_order_under_their_labels_and_hidden_ones_are_left_out() -> None:
    categories = [
        {"code": 3, "label": "Third"},
        {"net": "low", "label": "One or two"},
        {"code": 2, "hide": True},
    ]
    result, asked = made(
        {"variables": [{"variable": "q", "label": "Question", "categories": categories}]},
        nets=[{"label": "low", "stub": "q", "codes": [1, 2]}],
    )  # fmt: skip
    assert rows(result, asked) == ["Third", "One or two", "A1"]
    assert lay_out(result, asked).sections[0].title == "Question"


def test_figures_do_not_depend_on_how_they_are_shown() -> None:
    plain, _ = made({})
    hidden, _ = made(
        {"variables": [{"variable": "q", "categories": [{"code": 1, "hide": True}]}], "total_column": False}
    )
    assert plain == hidden


def test_columns_are_relabelled_left_out_and_ordered_at_every_level_of_a_nest() -> None:
    shown = [
        {
            "variable": "c",
            "label": "C",
            "categories": [{"code": 3, "label": "Third"}, {"code": 1, "hide": True}],
        }
    ]
    result, asked = made({"variables": shown, "total_column": False}, banner=[["b", "c"], "c"])
    grid = lay_out(result, asked)
    assert [[(s.first, s.span, s.text) for s in row] for row in grid.headings][1:3] == [
        [(0, 2, "A1"), (2, 2, "A2")], [(0, 2, "C"), (2, 2, "C"), (4, 2, "C")],
    ]  # fmt: skip
    assert [[k.step for k in path] for path in grid.paths] == [[1, 3], [1, 2], [2, 3], [2, 2], [3], [2]]
    assert grid.columns == 6


def test_rows_are_sorted_by_a_column_and_columns_by_a_row() -> None:
    result, asked = made(
        {"rows": {"stat": "col_pct"}, "columns": {"stat": "n", "code": 1, "ascending": True}}
    )
    whole = {c.stub.code: c.est for c in result.cells if c.stat == "col_pct" and not c.banner}
    assert [whole[int(label[1:])] for label in rows(result, asked)] == sorted(whole.values(), reverse=True)
    across = {
        c.banner[0].code: c.est for c in result.cells if c.stat == "n" and c.banner and c.stub.code == 1
    }
    order = [path[0].code for path in lay_out(result, asked).paths[1:]]
    assert [across[code] for code in order] == sorted(across.values())


def test_the_last_answer_comes_first_and_codes_of_no_scale_last() -> None:
    plain, asked = made({})
    result, turned = made({"rows": {"stat": "place"}})
    before, after = rows(plain, asked), rows(result, turned)
    known = [label for label in before if "not in" not in label]
    assert after == [*known[::-1], *before[len(known) :]] and len(known) > 2
    as_asked, again = made({"rows": {"stat": "place", "ascending": True}})
    assert rows(as_asked, again) == before


def test_rows_are_sorted_by_one_column_of_the_banner() -> None:
    result, asked = made({"rows": {"stat": "col_pct", "at": {"c": 3}}})
    shares = {
        c.stub.code: c.est for c in result.cells if c.stat == "col_pct" and [k.code for k in c.banner] == [3]
    }
    assert [shares[int(label[1:])] for label in rows(result, asked)] == sorted(shares.values(), reverse=True)


@pytest.mark.parametrize(("by", "order"), [
    ({"code": 3}, ["r", "q"]), ({"code": 3, "ascending": True}, ["q", "r"]), ({"net": "agree"}, ["r", "q"]), ({"stat": "mean"}, ["r", "q"]),
])  # fmt: skip
def test_items_of_a_battery_are_sorted_by_the_share_that_agrees(by: dict[str, Any], order: list[str]) -> None:
    nets = [{"label": "agree", "codes": [3]}]
    result, asked = made(
        {"rows": by}, stub=["q", "r"], banner=[], layout="battery", nets=nets, show=["col_pct", "mean"]
    )
    grid = lay_out(result, asked)
    assert [line.variable for line in grid.sections[0].lines if line.strong] == order


def test_words_use_the_labels_shown_and_do_not_tell_of_what_is_left_out() -> None:
    shown = [
        {"variable": "c", "categories": [{"code": 1, "hide": True}]},
        {"variable": "q", "categories": [{"code": 1, "label": "Un"}]},
    ]
    result, asked = made({"variables": shown}, tests=["columns"])
    said = " ".join(reading.text for reading in in_words(result, asked))
    assert "A1" not in said
    assert "Un" in said


def test_words_do_not_call_an_answer_the_most_frequent_where_a_more_frequent_one_is_not_shown() -> None:
    result, asked = made({}, banner=[])
    assert "most frequent answer is" in in_words(result, asked)[0].text
    top = max((c for c in result.cells if c.stat == "col_pct"), key=lambda c: c.est).stub
    result, asked = made(
        {"variables": [{"variable": "q", "categories": [{"code": top.code, "hide": True}]}]}, banner=[]
    )
    assert not [reading for reading in in_words(result, asked) if "most frequent" in reading.text]
    hidden = replace(result, hidden=(HiddenFigure(top, (), "col_pct"),))
    plain = made({}, banner=[])[1]
    assert not [reading for reading in in_words(hidden, plain) if "most frequent" in reading.text]


def test_without_anything_said_everything_is_shown_as_it_is() -> None:
    result, _ = made({})
    shown = displayed(result, Display())
    assert [r.label for r in shown.stubs[0].rows] == ["A1", "A2", "A3"]
    assert [c.label for c in shown.banners[0].levels[0]] == ["A1", "A2", "A3"]
