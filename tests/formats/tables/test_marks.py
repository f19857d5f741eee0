"""Marks for weak figures, letters beside the larger ones, and batteries laid out with their items down."""

from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from surveys import results, study, survey

from even_ballot.core.estimation.comparisons import ColumnComparison
from even_ballot.core.faults import StudyError
from even_ballot.core.tables.results import BannerKey, Cell, StubKey
from even_ballot.core.tables.signs.letters import column_letters, letters_of
from even_ballot.core.tables.signs.marks import Marks, weak
from even_ballot.formats.tables.grid import lay_out
from even_ballot.formats.tables.layout import Grid

CLUSTERED = {"strata": ["h"], "clusters": ["i"]}


def cell(**of: Any) -> Cell:
    return Cell(**{"stub": StubKey("q", 1), "banner": (), "stat": "col_pct", "est": 0.5, **of})


def test_a_figure_is_weak_by_each_rule_that_is_set() -> None:
    poor = cell(se=0.2, base_n=20, deff=4.0, df=5)
    assert weak(poor, Marks(base=30, rse=0.3, effective=10, df=8)) == (
        "base under 30", "relative standard error over 30 %", "effective base under 10", "fewer than 8 degrees of freedom",
    )  # fmt: skip
    assert weak(poor, Marks(base=None, df=None)) == ()
    assert weak(cell(stat="n"), Marks()) == ()
    assert weak(cell(base_n=30, df=8, se=0.15, deff=3.0), Marks(rse=0.3, effective=10)) == ()


def test_wide_intervals_are_weak_in_points_and_over_the_estimate_or_its_complement() -> None:
    rare, common = cell(est=0.02, low=0.01, high=0.04, se=0.01), cell(est=0.98, low=0.96, high=0.99, se=0.01)
    rules = Marks(base=None, df=None, width=0.05, relative_width=1.3, rse=0.3)
    wide = ("interval wider than 130 % of the estimate",)
    relative = ("relative standard error over 30 %",)
    assert weak(rare, rules) == relative + wide and weak(common, rules) == ()
    both = rules.model_copy(update={"complement": True})
    assert weak(rare, both) == weak(common, both) == relative + wide
    assert weak(cell(low=0.4, high=0.46), both) == ("interval wider than 5 points",)
    # A mean has no complement, and its interval no points.
    assert weak(cell(stat="mean", est=0.98, low=0.96, high=1.2), both) == ()
    assert weak(cell(), both) == ()


def laid(seed: int, marks: Marks | None = None, **table: Any) -> Grid:
    data = survey(seed, strata=3, psus=4, size=8)
    found = results(data, CLUSTERED, **table)
    return lay_out(found.tables[0], study(CLUSTERED, None, {"id": "t", **table}).tables[0], marks)


def test_weak_figures_are_marked_where_they_stand_and_counted_below() -> None:
    grid = laid(1, Marks(base=50, df=None), stub=["q"], banner=["b"], show=["col_pct"], tests=[])
    marks = [line.marks for line in grid.sections[0].lines if line.strong]
    assert all(m is not None and not m[0] and m[1] and m[2] for m in marks)
    assert grid.notes == ("° unreliable: base under 50 (6 figures).",)
    assert laid(1, None, stub=["q"], banner=["b"], show=["col_pct"], tests=[]).notes == ()


def test_letters_begin_anew_for_each_set_of_columns_that_are_compared() -> None:
    letters = column_letters([(1, 1), (1, 2), (2, 1), (2, 2), (2, 3)])
    assert list(letters.values()) == ["A", "B", "A", "B", "C"]
    assert column_letters([(k,) for k in range(28)])[(27,)] == "BB"


def compared(a: tuple[int, ...], b: tuple[int, ...], diff: float, p: float) -> ColumnComparison:
    return ColumnComparison({"variable": "q", "code": 1}, ("b",), a, b, diff, 0.1, diff / 0.1, p, p)


def test_the_larger_column_gets_the_letter_of_the_smaller_by_level() -> None:
    letters = column_letters([(1,), (2,), (3,)])
    tests = [
        compared((1,), (2,), 0.2, 0.003),
        compared((1,), (3,), -0.1, 0.03),
        compared((2,), (3,), -0.3, 0.2),
    ]
    assert letters_of(tests, letters, (0.01, 0.05)) == {(1,): "B", (3,): "a"}
    assert letters_of(tests, letters, (0.05,)) == {(1,): "B", (3,): "A"}


@settings(max_examples=15, deadline=None)
@given(st.integers(0, 10**6), st.sampled_from([["a"], [["b", "a"]], ["a", "b"]]))
def test_every_letter_in_the_grid_is_borne_by_a_test_and_every_test_by_a_letter(
    seed: int, banner: list[Any]
) -> None:
    table: dict[str, Any] = {
        "stub": ["q"],
        "banner": banner,
        "show": ["col_pct"],
        "tests": ["columns"],
        "levels": [0.1],
    }
    data = survey(seed, strata=3, psus=4, size=8)
    found = results(data, CLUSTERED, **table)
    grid = lay_out(found.tables[0], study(CLUSTERED, None, {"id": "t", **table}).tables[0])
    assert grid.letters is not None
    at: dict[Any, int] = {tuple((k.variable, k.code) for k in path): c for c, path in enumerate(grid.paths)}
    for line in (line for line in grid.sections[0].lines if line.strong):
        said = {(c, letter) for c, text in enumerate(line.letters or ()) for letter in (text or "").split()}
        borne = set()
        for test in found.tables[0].tests:
            if (
                isinstance(test, ColumnComparison)
                and test.stub.get("code") == line.code
                and test.p_adjusted < 0.1
            ):
                larger, smaller = (test.a, test.b) if test.diff > 0 else (test.b, test.a)
                of, beside = (at[tuple(zip(test.banner, path, strict=True))] for path in (larger, smaller))
                borne.add((of, grid.letters[beside]))
        assert said == borne


def test_a_battery_has_its_items_down_and_their_answers_across() -> None:
    table: dict[str, Any] = {
        "stub": ["q", "a"],
        "banner": ["b"],
        "show": ["col_pct", "mean"],
        "tests": [],
        "layout": "battery",
    }
    with pytest.raises(StudyError, match="a has different answers from q, so they cannot share columns"):
        laid(1, **table)
    grid = laid(1, **{**table, "stub": ["q", "q"], "nets": [{"label": "upper", "top": 2}]})
    assert grid.battery is not None
    assert [(c.code, c.net, c.stat) for c in grid.battery] == [
        (1, None, "col_pct"), (2, None, "col_pct"), (3, None, "col_pct"), (None, "upper", "col_pct"), (None, None, "mean"),
        (None, None, "base"),
    ]  # fmt: skip
    assert [section.path for section in grid.sections] == [(), (BannerKey("b", 1),), (BannerKey("b", 2),)]
    found = results(
        survey(1, strata=3, psus=4, size=8),
        CLUSTERED,
        stub=["q"],
        banner=["b"],
        show=["col_pct", "mean"],
        tests=[],
    )
    want = {c.stub.code: c.est for c in found.tables[0].cells if not c.banner and c.stat == "col_pct"}
    first = grid.sections[0].lines[0]
    assert first.values[:3] == (want[1], want[2], want[3])
    assert first.values[3] == pytest.approx(want[2] + want[3])
    assert first.shapes == ("share", "share", "share", "share", "number", "whole")


def test_quantiles_are_weak_by_the_rules_as_means_are() -> None:
    grid = laid(
        3, Marks(base=50, df=None), stub=["y"], banner=["b"], show=["mean", "median", "q25"], tests=[]
    )
    marks = {line.stat: line.marks for line in grid.sections[0].lines if line.strong}
    assert marks["median"] == marks["q25"] == marks["mean"]
    assert marks["median"] is not None
    assert marks["median"][1] == ("base under 50",)
    few = laid(3, Marks(base=None, df=1000), stub=["y"], banner=["b"], show=["median"], tests=[])
    assert all(
        "degrees of freedom" in mark[0]
        for line in few.sections[0].lines
        if line.strong
        for mark in line.marks or ()
    )


def test_no_letter_stands_where_either_base_is_weak_or_too_small() -> None:
    asked: dict[str, Any] = {
        "stub": ["q", "y"], "banner": ["b"], "show": ["col_pct", "mean"], "tests": ["columns"], "levels": [0.9],
    }  # fmt: skip

    def letters(marks: Marks | None) -> int:
        lines = (line for section in laid(3, marks, **asked).sections for line in section.lines)
        return sum(letter is not None for line in lines for letter in line.letters or ())

    assert letters(None) > 0
    assert letters(Marks(base=1000, df=None)) == 0
    assert letters(Marks(base=None, df=None, letters=1000)) == 0
    assert letters(Marks(base=None, df=None, letters=2)) == letters(None)
    notes = laid(3, Marks(base=None, df=None, letters=1000), **asked).notes
    assert any("its base under 1,000" in note and "left out" in note for note in notes)
