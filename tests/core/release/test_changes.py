"""What changed between two releases, against a plain reading of both; a plan after something has gone."""

import copy
import json
from typing import Any

import pytest
from builders import coded, raw
from hypothesis import given
from hypothesis import strategies as st

from even_ballot.core.release.changes import released_changes
from even_ballot.core.release.gone import without_gone
from even_ballot.core.release.plan import Style
from even_ballot.core.study.pipeline import run
from even_ballot.core.study.study_file import parse_study
from even_ballot.formats.documents.sections.changes import changes_blocks
from even_ballot.formats.printed.blocks import Paragraph, PrintedTable

SCALES = {"q": {"codes": [{"code": c, "label": f"q{c}"} for c in (1, 2, 3)]}}


@pytest.fixture(scope="module")
def before() -> dict[str, Any]:
    study = parse_study({
        "source": {"path": "a.csv"},
        "codebook": {"scales": SCALES, "variables": [{"name": "q", "kind": "coded", "scale": "q"}, {"name": "y", "kind": "number"}]},
        "tables": [{"id": "t", "title": "First", "stub": ["q", "y"], "show": ["n", "col_pct", "mean"]}, {"id": "u", "title": "Second", "stub": ["q"]}],
        "models": [{"id": "m", "kind": "linear", "outcome": "y", "terms": [["q"]]}],
        "correlations": [{"id": "c", "variables": ["q", "y"]}],
    })  # fmt: skip
    data = raw({"q": coded([1, 2, 3, 1, 2, 3, 1, 1]), "y": [str(v) for v in (4, 6, 9, 2, 5, 7, 3, 1)]})
    document: dict[str, Any] = json.loads(json.dumps(run(study, data, {}).document()))
    return document


def test_the_same_results_differ_in_nothing(before: dict[str, Any]) -> None:
    found = released_changes(before, copy.deepcopy(before))
    assert found.nothing and found.figures == sum(len(t["cells"]) for t in before["tables"]) + 3 + 1


@given(st.data())
def test_every_figure_that_moves_is_told_and_no_other(before: dict[str, Any], data: st.DataObject) -> None:
    after = copy.deepcopy(before)
    cells = after["tables"][0]["cells"]
    moved = data.draw(
        st.dictionaries(st.integers(0, len(cells) - 1), st.floats(-5, 5).filter(lambda x: abs(x) > 1e-3))
    )
    for at, by in moved.items():
        cells[at]["est"] += by
    found = released_changes(before, after)
    assert len(found.moved) == len(moved)
    by_change = sorted(round(of.change or 0.0, 9) for of in found.moved)
    assert by_change == sorted(round(by, 9) for by in moved.values())
    for of in found.moved:
        (cell,) = [
            c for at, c in enumerate(before["tables"][0]["cells"])
            if at in moved and abs(c["est"] - (of.before or 0.0)) < 1e-12 and abs(moved[at] - (of.change or 0.0)) < 1e-9
        ][:1]  # fmt: skip
        now = cell["est"] + (of.change or 0.0)
        outside = ("low" in cell and now < cell["low"]) or ("high" in cell and now > cell["high"])
        assert of.beyond == bool(outside)
    order = [(not of.beyond, -of.weight) for of in found.moved]
    assert order == sorted(order)


def test_figures_that_come_or_go_have_no_change(before: dict[str, Any]) -> None:
    after = copy.deepcopy(before)
    gone = after["tables"][0]["cells"].pop(0)
    (of,) = released_changes(before, after).moved
    assert (of.before, of.after, of.change, of.beyond) == (gone["est"], None, None, False)
    (back,) = released_changes(after, before).moved
    assert (back.before, back.after) == (None, gone["est"])


def test_tables_numbers_and_analyses_are_compared(before: dict[str, Any]) -> None:
    after = copy.deepcopy(before)
    after["cases"]["used"] -= 2
    after["design"]["df"] += 1
    after["tables"][1] = {**after["tables"][1], "id": "v", "title": "Third"}
    after["models"][0]["coefficients"][1]["est"] += 1
    after["correlations"][0]["pairs"][0]["est"] = 0.0
    found = released_changes(before, after)
    assert {(of.what, of.before, of.after) for of in found.numbers} == {
        ("cases in use", 8, 6), ("degrees of freedom", 7, 8),
    }  # fmt: skip
    assert [of.id for of in found.new] == ["v"] and [of.id for of in found.gone] == ["u"]
    assert {of.part for of in found.moved} == {"models", "correlations"}
    (coefficient,) = (of for of in found.moved if of.part == "models")
    assert (coefficient.row, coefficient.figure) == ("q: q2", "Coefficient")


def test_a_release_of_another_version_without_a_part_is_read(before: dict[str, Any]) -> None:
    old = {"tables": before["tables"]}
    found = released_changes(old, before)
    assert {of.part for of in found.new} == {"models", "correlations"} and not found.moved


def test_a_plan_without_parts_stays_as_it_is() -> None:
    for document in ({}, {"release": None}, {"release": {"title": "A"}}, {"release": {"parts": None}}):
        assert without_gone(document) == document
    named: dict[str, Any] = {
        "models": [{"id": "m"}],
        "release": {"parts": [{"model": "m"}, {"model": "n"}, {"text": "So."}]},
    }
    assert without_gone(named)["release"]["parts"] == [{"model": "m"}, {"text": "So."}]


def test_what_is_printed_alike_is_counted_and_not_listed(before: dict[str, Any]) -> None:
    after = copy.deepcopy(before)
    shares = [cell for cell in after["tables"][0]["cells"] if cell["stat"] == "col_pct"]
    shares[0]["est"] += 0.1
    shares[1]["est"] += 1e-6
    blocks = list(changes_blocks(released_changes(before, after), "release 1", Style()))
    (table,) = (block for block in blocks if isinstance(block, PrintedTable))
    assert len(table.groups[0].rows) == 1
    assert table.groups[0].rows[0].entries[2].text == "+10.0"
    assert table.notes == ("1 other figure changed by less than is printed.",)
    shares[0]["est"] -= 0.1
    said = [
        block.text
        for block in changes_blocks(released_changes(before, after), "release 1", Style())
        if isinstance(block, Paragraph)
    ]
    assert said[-1] == "1 other figure changed by less than is printed."
