"""Tables laid out in rows and columns, and the workbook made of them."""

import io
from typing import Any

import numpy as np
import openpyxl
import pytest
from builders import coded, dataset, raw, scale, study
from surveys import results, survey

from even_ballot.core.calibration.weighted_sample import sampled
from even_ballot.core.faults import StudyError
from even_ballot.core.sampling.design import Design
from even_ballot.core.study.pipeline import run
from even_ballot.core.tables.table_request import TableRequest
from even_ballot.core.tables.tabulate import tabulate
from even_ballot.formats.tables import whole_tests
from even_ballot.formats.tables.grid import lay_out
from even_ballot.formats.tables.layout import Grid
from even_ballot.formats.tables.line_figures import name_of
from even_ballot.formats.workbooks.workbook import workbook


def grid(**request: Any) -> Grid:
    rng = np.random.default_rng(2)
    n = 120
    columns = {name: coded(rng.integers(1, k + 1, n).tolist()) for name, k in (("q", 3), ("a", 2), ("b", 3))}
    columns["q"][0] = "7"
    data = dataset(
        {**columns, "x": [str(v) for v in rng.integers(0, 50, n)]},
        q=scale(1, 2, 3),
        a=scale(1, 2),
        b=scale(1, 2, 3),
    )
    asked = TableRequest.model_validate({"id": "t", **request})
    return lay_out(tabulate(sampled(data, Design()), asked), asked)


def test_headings_span_the_columns_under_them() -> None:
    laid = grid(stub=["q"], banner=["a", ["a", "b"]])
    assert laid.columns == 1 + 2 + 6
    for row in laid.headings:
        covered = [c for spanner in row for c in range(spanner.first, spanner.first + spanner.span)]
        assert covered == sorted(set(covered))
        assert set(covered) <= set(range(1, laid.columns))
    assert [(s.first, s.span, s.text) for s in laid.headings[0]] == [(3, 6, "a")]
    assert [(s.first, s.span) for s in laid.headings[1]] == [(3, 3), (6, 3)]
    assert [(s.first, s.span, s.text) for s in laid.headings[2]] == [(1, 2, "a"), (3, 3, "b"), (6, 3, "b")]


def test_every_column_that_is_compared_has_its_letter_in_the_last_row_of_headings() -> None:
    laid = grid(stub=["q"], banner=["a", ["a", "b"]], tests=["columns"])
    assert [spanner.first for spanner in laid.headings[-1]] == list(range(1, 9))
    assert laid.letters == (None, "A", "B", "A", "B", "C", "A", "B", "C")


def test_a_category_is_said_once_and_its_figures_stand_beneath() -> None:
    (section,) = grid(stub=["q"], banner=["a"], show=["n", "col_pct"]).sections
    first = section.lines[:5]
    assert [line.figure for line in first] == [
        "Cases (unweighted)",
        "Column %",
        "Standard error",
        "95 % lower limit",
        "95 % upper limit",
    ]
    assert [line.category for line in first] == ["A1", "", "", "", ""]
    assert [line.strong for line in first] == [True, True, False, False, False]


def test_one_sided_intervals_have_the_limit_asked_for() -> None:
    (section,) = grid(stub=["x"], show=["mean"], interval={"sides": "lower", "level": 0.9}).sections
    assert [line.figure for line in section.lines] == ["Mean", "Standard error", "90 % lower limit"]


def test_a_code_that_is_not_in_the_codebook_is_marked() -> None:
    (section,) = grid(stub=["q"], show=["n"]).sections
    assert [(line.category, line.marked) for line in section.lines][-1] == ("7 (not in the codebook)", True)


@pytest.mark.parametrize("figure", [{"stat": "col_pct", "code": 2}, {"stat": "mean"}])
def test_items_by_groups_are_the_rows_of_a_crosstab(figure: dict[str, Any]) -> None:
    asked: dict[str, Any] = {"stub": ["q", "b"], "banner": ["a"], "show": ["col_pct", "mean"]}
    across = grid(**asked, layout="items_by_groups", figure=figure)
    whole = grid(**asked)
    (section,) = across.sections
    shown = [line for line in section.lines if line.strong]
    assert [line.variable for line in shown] == ["q", "b"]
    for k, line in enumerate(shown):
        stat = figure["stat"]
        same = [of for of in whole.sections[k].lines if of.stat == stat and of.code == figure.get("code")]
        assert line.values == same[0].values
    assert across.figure == ("Mean" if figure["stat"] == "mean" else "Column %: A2")
    assert {line.figure for line in shown} == {across.figure}


def test_items_by_groups_say_their_base_once_or_between_which_it_lies() -> None:
    asked: dict[str, Any] = {"banner": ["a"], "layout": "items_by_groups", "show": ["mean"]}
    (one,) = grid(stub=["b", "x"], **asked).sections[0].bases
    assert one.label == "Base (unweighted)"
    assert one.values[0] == 120
    low, high = grid(stub=["q", "b"], **asked).sections[0].bases
    assert (low.values[0], high.values[0]) == (119, 120)


def test_items_by_groups_have_letters_between_the_groups_and_are_sorted_by_a_column() -> None:
    asked: dict[str, Any] = {"stub": ["q", "b"], "banner": ["a"], "layout": "items_by_groups"}
    asked |= {"show": ["mean"], "tests": ["columns"], "levels": [0.999]}
    laid = grid(**asked)
    assert laid.letters == (None, "A", "B")
    assert all(any(line.letters or ()) for line in laid.sections[0].lines if line.strong)
    order = []
    for ascending in (True, False):
        by = {"rows": {"stat": "mean", "at": {"a": 2}, "ascending": ascending}}
        (section,) = grid(**asked, display=by).sections
        order.append([line.variable for line in section.lines if line.strong])
    assert order[0] == order[1][::-1]


@pytest.mark.parametrize("figure", [{"stat": "col_pct", "code": 3}, {"stat": "col_pct", "net": "Low"}])
def test_items_by_groups_that_have_not_the_answer_are_refused(figure: dict[str, Any]) -> None:
    asked: dict[str, Any] = {"stub": ["q", "a"], "banner": ["b"], "layout": "items_by_groups"}
    with pytest.raises(StudyError) as refused:
        grid(**asked, figure=figure)
    assert [fault.where for fault in refused.value.faults] == ["tables[0].figure"]
    with pytest.raises(ValueError, match="among those in show"):
        grid(**asked, figure={"stat": "median"})


def test_the_test_of_a_table_is_said_and_why_there_is_none() -> None:
    laid = grid(stub=["q", "x"], banner=["a", ["a", "b"]], show=["mean"], tests=["independence", "trend"])
    said = [(test.name.split()[0], test.stub, test.banner, test.row, test.why) for test in laid.tests]
    nested, number = whole_tests._NOT_NESTED, whole_tests._NO_CATEGORIES
    assert said == [
        ("Independence", "q", "a", "", None),
        ("Independence", "x", "a", "", number),
        ("Independence", "q", "a › b", "", nested),
        ("Independence", "x", "a › b", "", nested),
        *(("Trend,", "q", "a", row, None) for row in ("A1", "A2", "A3", "7 (not in the codebook)", "mean")),
        ("Trend,", "x", "a", "mean", None),
        ("Trend,", "q", "a › b", "", nested),
        ("Trend,", "x", "a › b", "", nested),
    ]
    first, *_ = whole_tests.lines_of(laid.tests, "{:.{}f}".format)
    f, df1, df2, p = (figure.value for figure in laid.tests[0].figures)
    assert f"q F = {f:.2f} on {df1:.2f} and {df2:.1f} degrees of freedom, p = {p:.3f}; x (no test: " in first


def test_a_mean_says_what_its_codes_mean_and_which_end_is_high() -> None:
    said = "Means and their like are of the codes: 1 = A1 … 3 = A3."
    assert said in grid(stub=["q", "b", "x"], show=["mean"]).notes
    assert said in grid(stub=["q", "b"], banner=["a"], show=["mean"], layout="items_by_groups").notes
    two = grid(stub=["q", "a"], show=["median"]).notes
    assert "Means and their like of a are of the codes: 1 = A1, 2 = A2." in two
    assert not any("codes" in note for note in grid(stub=["q", "x"], show=["col_pct"]).notes)


@pytest.mark.parametrize("show", [["col_pct"], ["n"], ["row_pct", "count"]])
def test_a_number_among_figures_of_answers_stands_there_with_its_mean(show: list[str]) -> None:
    laid = grid(stub=["q", "x"], banner=["a"], show=show)
    means = grid(stub=["x"], banner=["a"], show=["mean"])
    assert laid.sections[1] == means.sections[0]
    assert laid.notes == ()


def test_bases_are_those_of_the_column() -> None:
    laid = grid(stub=["q"], banner=["a"], show=["col_pct"])
    (bases,) = (of.values for of in laid.sections[0].bases)
    assert bases[0] == sum(b or 0 for b in bases[1:]) == 120


@pytest.mark.parametrize("show", [["total_pct", "col_pct"], ["col_pct", "total_pct"]])
def test_the_base_of_an_item_is_that_of_its_column_in_whatever_order_figures_stand(show: list[str]) -> None:
    laid = grid(stub=["a"], banner=["b"], show=show, layout="battery")
    everybody, *columns = (section.lines[0].values[-1] or 0 for section in laid.sections)
    assert everybody == sum(columns) == 120
    assert all(base < 120 for base in columns)


def test_whatever_is_asked_of_items_stands_across_and_what_cannot_is_said() -> None:
    show = ["n", "count", "row_pct", "col_pct", "total_pct", "mean", "sd", "median"]
    laid = grid(stub=["a", "a"], banner=["b"], show=show, layout="battery", tests=["columns"])
    assert laid.battery is not None
    codes = list(dict.fromkeys(of.code for of in laid.battery if of.code is not None))
    assert len(codes) == 2
    of_answers = ("n", "count", "col_pct", "total_pct")
    assert [(of.code, of.stat) for of in laid.battery] == [
        *((code, stat) for stat in of_answers for code in codes),
        *((None, stat) for stat in ("mean", "sd", "median", "base")),
    ]
    k = len(codes)
    assert [(s.first, s.span, s.text) for s in laid.headings[0]] == [
        (at * k, k, name_of(stat)) for at, stat in enumerate(of_answers)
    ]
    line = laid.sections[0].lines[0]
    counts, shares, base = line.values[:k], line.values[2 * k : 3 * k], line.values[-1]
    # Sums that people check.
    assert sum(value or 0 for value in counts) == base
    assert sum(value or 0 for value in shares) == pytest.approx(1)
    assert line.shapes is not None
    assert line.shapes[:k] == ("whole",) * k
    assert [note.split(" ")[0] for note in laid.notes][-2:] == ["Row", "Letters"]
    alone = grid(stub=["a"], show=["n"], layout="battery")
    assert alone.headings[0] == ()
    assert sum(value or 0 for value in alone.sections[0].lines[0].values[:-1]) == 120


def test_several_answers_have_a_base_of_cases_and_one_of_responses() -> None:
    asked: dict[str, Any] = {"stub": ["many"], "banner": ["a"], "show": ["n", "col_pct", "response_pct"]}
    (result,) = results(survey(3), {}, **asked).tables
    (section,) = lay_out(result, TableRequest.model_validate({"id": "t", **asked})).sections
    assert [bases.label for bases in section.bases] == [
        "Base: cases (unweighted)",
        "Base: responses (unweighted)",
    ]
    cases, responses = (bases.values for bases in section.bases)
    chosen = [line.values for line in section.lines if line.stat == "n"]
    assert list(responses) == [sum(column) for column in zip(*chosen, strict=True)]
    assert responses != cases


@pytest.mark.parametrize("banner", [[], ["a"], ["a", ["a", "b"]]])
def test_every_table_becomes_a_sheet_with_every_figure(banner: list[Any]) -> None:
    rng = np.random.default_rng(4)
    codes = {name: coded(rng.integers(1, k + 1, 60).tolist()) for name, k in (("q", 3), ("a", 2), ("b", 3))}
    scales = {
        k: {"codes": [{"code": c, "label": f"{k}{c}"} for c in range(1, n + 1)]}
        for k, n in (("q", 3), ("a", 2), ("b", 3))
    }
    variables = [{"name": k, "kind": "coded", "scale": k} for k in scales]
    tables = [
        {"id": "one", "title": "Same title", "stub": ["q"], "banner": banner},
        {"id": "two", "title": "Same title", "stub": ["a"], "where": "b == 1"},
    ]
    made = study(codebook={"scales": scales, "variables": variables}, tables=tables)
    results = run(made, raw(codes), {})
    book = openpyxl.load_workbook(io.BytesIO(workbook(made, results)))
    assert len(set(book.sheetnames)) == 5
    sheet = book.worksheets[1]
    numbers = [c.value for row in sheet.iter_rows() for c in row if isinstance(c.value, int | float)]
    for cell in results.tables[0].cells:
        want = cell.est * 100 if cell.stat == "col_pct" else cell.est
        assert any(number == pytest.approx(want) for number in numbers)
    assert "Cases where b == 1" in book.worksheets[2]["A2"].value


def test_a_title_that_looks_like_a_formula_stays_a_text() -> None:
    codes = {"q": ["1", "2"]}
    made = study(
        codebook={"scales": {"q": {"codes": [{"code": 1, "label": "=1+1"}, {"code": 2, "label": "b"}]}}, "variables": [{"name": "q", "kind": "coded", "scale": "q"}]},
        tables=[{"id": "t", "title": "=HYPERLINK(1)", "stub": ["q"]}],
    )  # fmt: skip
    book = openpyxl.load_workbook(io.BytesIO(workbook(made, run(made, raw(codes), {}))))
    kinds = {c.data_type for sheet in book for row in sheet.iter_rows() for c in row if c.value is not None}
    assert "f" not in kinds


def test_where_there_is_nothing_to_count_the_notes_say_so() -> None:
    data = dataset(
        {"q": coded([None, None]), "x": ["1", "2"], "b": coded([1, 2])}, q=scale(1, 2), b=scale(1, 2)
    )
    made = {}
    for where in (None, "b == 9"):
        asked = TableRequest(
            id="t", stub=("q", "x"), banner=("b",), show=("n", "col_pct", "mean"), where=where
        )
        made[where] = lay_out(tabulate(sampled(data, Design()), asked), asked).notes
    assert made[None] == ("No figure that was asked for can be calculated for q.",)
    assert made["b == 9"] == ("No case meets the filter, so there is nothing to count.",)


def test_what_stands_beside_a_figure_is_what_was_asked_for() -> None:
    (section,) = grid(stub=["q"], show=["col_pct"], beside=["rse", "deff", "effective"]).sections
    assert [line.figure for line in section.lines[:4]] == [
        "Column %",
        "Relative standard error %",
        "Design effect",
        "Effective base",
    ]
    share, relative, deff, effective = (line.values[0] for line in section.lines[:4])
    assert section.bases[0].values[0] is not None
    assert effective == pytest.approx(section.bases[0].values[0] / deff)  # type: ignore[operator]
    (with_errors,) = grid(stub=["q"], show=["col_pct"], beside=["se"]).sections
    assert relative == pytest.approx(with_errors.lines[1].values[0] / share)  # type: ignore[operator]
    (battery,) = grid(stub=["a"], show=["col_pct", "mean"], layout="battery", beside=["effective"]).sections
    assert [line.shapes[0] for line in battery.lines if line.shapes] == ["share", "whole"]
