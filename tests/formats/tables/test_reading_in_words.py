"""A table in words: no sentence that its numbers do not bear."""

import re
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from surveys import results, survey

from even_ballot.core.estimation.comparisons import ColumnComparison
from even_ballot.core.estimation.independence import Independence
from even_ballot.core.tables.results import BannerKey, Cell, TableResult
from even_ballot.core.tables.table_request import TableRequest
from even_ballot.formats.tables.reading_in_words import Reading, in_words

NUMBER = r"-?\d[\d,]*(?:\.\d+)?"


def number(text: str) -> float:
    return float(text.replace(",", ""))


def cell_of(result: TableResult, reading: Reading, path: tuple[BannerKey, ...]) -> Cell:
    (cell,) = [c for c in result.cells if c.stub == reading.stub and c.stat == reading.stat
               and c.banner == path]  # fmt: skip
    return cell


def figures(cell: Cell) -> list[float]:
    """Estimate and limits as a sentence prints them."""
    share = cell.stat == "col_pct"
    return [
        round(100 * x, 1) if share else round(x, 2) for x in (cell.est, cell.low, cell.high) if x is not None
    ]


def printed(text: str) -> list[float]:
    """Estimates and limits in the order they stand: 41.2 % (35.0 to 47.3), 3.93 (3.88 to 3.98)."""
    found = []
    for parts in re.findall(rf"({NUMBER})(?: %)? \(({NUMBER}) to ({NUMBER})\)", text):
        found += [number(part) for part in parts]
    return found


@settings(max_examples=40, deadline=None)
@given(
    st.integers(0, 10**6),
    st.sampled_from([["a"], ["b"], [["b", "a"]], ["a", "b"]]),
    st.sampled_from([["col_pct"], ["col_pct", "mean"], ["mean"]]),
    st.booleans(),
)
def test_every_sentence_is_borne_by_its_numbers(
    seed: int, banner: list[str], show: list[str], nets: bool
) -> None:
    more: dict[str, Any] = {"nets": [{"label": "upper", "stub": "q", "codes": [2, 3]}]} if nets else {}
    found = results(
        survey(seed), {"strata": ["h"], "clusters": ["i"]}, stub=["q", "y", "many"], banner=banner, show=show,
        tests=["columns", "independence"], **more,
    )  # fmt: skip
    (result,) = found.tables

    request = TableRequest(
        id="t", stub=("q", "y", "many"), show=tuple(show), tests=("columns", "independence"), **more
    )
    readings = in_words(result, request)
    assert readings
    for reading in readings:
        if reading.stat == "independence":
            (test,) = [t for t in result.tests if isinstance(t, Independence) and t.stub == reading.stub.variable
                       and f"“{dict(zip(t.banner, titles(result, t.banner), strict=True))[t.banner[0]]}”" in reading.text]  # fmt: skip
            assert ("more than sampling alone would" in reading.text) is (test.p < 0.05)
            continue
        cells = [cell_of(result, reading, path) for path in reading.paths]
        want = [x for cell in cells if cell.low is not None for x in figures(cell)]
        assert printed(reading.text) == pytest.approx(want, abs=1e-9)
        if len(cells) == 2:
            check_difference(result, reading, cells)
        elif reading.stat == "col_pct":
            others = [c.est for c in result.cells if c.stat == "col_pct" and not c.banner and c.stub.variable == reading.stub.variable
                      and c.stub.code is not None]  # fmt: skip
            assert cells[0].est == max(others)
            chose = reading.stub.variable == "many"
            assert reading.text.startswith("Most chose" if chose else "Most answered") is (cells[0].est > 0.5)
            assert ("Most often chosen" if chose else "most frequent answer") in reading.text or cells[
                0
            ].est > 0.5


def titles(result: TableResult, variables: tuple[str, ...]) -> tuple[str, ...]:
    return next(b.titles for b in result.banners if b.variables == variables)


def check_difference(result: TableResult, reading: Reading, cells: list[Cell]) -> None:
    a, b = cells
    banner = tuple(step.variable for step in a.banner)
    key = {
        k: v
        for k, v in (
            ("variable", reading.stub.variable),
            ("code", reading.stub.code),
            ("net", reading.stub.net),
        )
        if v is not None
    }
    tests = [t for t in result.tests if isinstance(t, ColumnComparison) and t.banner == banner and t.stub["variable"] == reading.stub.variable
             and (("code" in t.stub or "net" in t.stub) is (reading.stat == "col_pct"))]  # fmt: skip
    if any("net" in t.stub for t in tests):
        tests = [t for t in tests if "net" in t.stub]
    pair = {tuple(step.code for step in cell.banner) for cell in cells}
    (mine,) = [t for t in tests if t.stub == key and {t.a, t.b} == pair]
    assert abs(mine.t) == max(abs(t.t) for t in tests)
    assert a.est >= b.est
    said = re.search(rf"the difference of ({NUMBER})( points)?[ ;]", reading.text)
    assert said is not None
    size = 100 * (a.est - b.est) if said[2] else a.est - b.est
    assert number(said[1]) == pytest.approx(size, abs=0.051)
    # Picked among many, it is held against all of them.
    assert ("is larger than sampling alone would explain" in reading.text) is (mine.p * len(tests) < 0.05)
    assert ("could be due to sampling alone" in reading.text) is not ("is larger" in reading.text)


def test_a_mean_of_codes_that_are_names_is_not_told() -> None:
    found = results(
        survey(3), {"strata": ["h"]}, stub=["q"], banner=["a"], show=["col_pct", "mean"], tests=["columns"]
    )
    request = TableRequest(id="t", stub=("q",), show=("col_pct", "mean"), tests=("columns",))
    told = in_words(found.tables[0], request)
    names = in_words(found.tables[0], request, nominal=["q"])
    assert [r for r in told if r.stat != "mean"] == list(names) != list(told)
