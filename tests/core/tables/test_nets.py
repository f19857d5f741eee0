"""Nets as columns, total rows, dates, the filter of a study, and tables that share passes: each against
another way to ask."""

from typing import Any

import pytest
from builders import coded, dataset, scale
from hypothesis import given, settings
from hypothesis import strategies as st
from surveys import SCALES, TABLE, VARIABLES, survey

from even_ballot.core.calibration.weighted_sample import sampled
from even_ballot.core.estimation.comparisons import ColumnComparison
from even_ballot.core.faults import StudyError
from even_ballot.core.sampling.design import Design
from even_ballot.core.study.pipeline import run
from even_ballot.core.study.results import Results
from even_ballot.core.study.study_file import parse_study
from even_ballot.core.tables.results import BannerKey, Cell, StubKey, TableResult
from even_ballot.core.tables.shared import SharedCounts
from even_ballot.core.tables.table_request import TableRequest
from even_ballot.core.tables.tabulate import counted_table, tabulate

COLLAPSE = {
    "do": "collapse", "variable": "a", "into": "a12", "label": "a",
    "groups": [{"code": 1, "label": "first two", "from": [1, 2]}, {"code": 2, "label": "last", "from": [3]}],
}  # fmt: skip
DESIGNS: list[dict[str, Any]] = [
    {"strata": ["h"], "clusters": ["i"]}, {"strata": ["h"]}, {},
    {"strata": ["h"], "clusters": ["i"], "variance": {"method": "jackknife"}},
    {"strata": ["h"], "clusters": ["i"], "variance": {"method": "bootstrap", "count": 30, "seed": 4}},
]  # fmt: skip
NET = {"label": "first two", "banner": "a", "codes": [1, 2]}
SHOW = [*TABLE["show"], "sd", "q25", "mode"]


def results(seed: int, design: dict[str, Any], **parts: Any) -> Results:
    """A run of tables on a random survey in which `a` is also there with its first two categories as one."""
    return run(parse_study({
        "source": {"path": "answers.csv"}, "codebook": {"scales": SCALES, "variables": VARIABLES}, "ledger": [COLLAPSE],
        "design": {"weight": "d", **design}, **parts,
    }), survey(seed), {})  # fmt: skip


def table(seed: int, design: dict[str, Any], **request: Any) -> Any:
    return results(seed, design, tables=[{**TABLE, "show": SHOW, **request}]).tables[0]


def cells(result: TableResult, banner: tuple[BannerKey, ...]) -> dict[tuple[StubKey, str], list[Cell]]:
    found: dict[tuple[StubKey, str], list[Cell]] = {}
    for cell in result.cells:
        if cell.banner == banner:
            found.setdefault((cell.stub, cell.stat), []).append(cell)
    return found


def same(mine: dict[tuple[StubKey, str], list[Cell]], theirs: dict[tuple[StubKey, str], list[Cell]]) -> None:
    assert mine.keys() == theirs.keys()
    assert mine
    for key, own in mine.items():
        for a, b in zip(own, theirs[key], strict=True):
            for name in ("est", "se", "low", "high", "n", "base_n", "deff", "df"):
                x, y = getattr(a, name), getattr(b, name)
                assert (x is None) is (y is None), (key, name)
                if x is not None:
                    assert x == pytest.approx(y, rel=1e-9, abs=1e-12), (key, name)


@pytest.mark.parametrize("design", DESIGNS)
@settings(max_examples=5, deadline=None)
@given(seed=st.integers(0, 10**6))
def test_a_net_as_a_column_is_the_column_of_a_collapsed_variable(design: dict[str, Any], seed: int) -> None:
    netted = table(seed, design, banner=["a", ["b", "a"]], nets=[NET])
    collapsed = table(seed, design, banner=["a12", ["b", "a12"]])
    bare = table(seed, design, banner=["a", ["b", "a"]])
    same(cells(netted, (BannerKey("a", net="first two"),)), cells(collapsed, (BannerKey("a12", 1),)))
    for b in (1, 2):
        mine = cells(netted, (BannerKey("b", b), BannerKey("a", net="first two")))
        same(mine, cells(collapsed, (BannerKey("b", b), BannerKey("a12", 1))))
    for banner in ((), (BannerKey("a", 2),), (BannerKey("b", 1), BannerKey("a", 3))):
        same(cells(netted, banner), cells(bare, banner))
    own = [t for t in netted.tests if not (isinstance(t, ColumnComparison) and {"first two"} & {*t.a, *t.b})]
    assert len(own) == len(bare.tests)
    for test, as_bare in zip(own, bare.tests, strict=True):
        assert (test.kind, test.stub, test.banner) == (as_bare.kind, as_bare.stub, as_bare.banner)
        assert test.p == pytest.approx(as_bare.p, rel=1e-9, abs=1e-12)
    theirs = {
        (str(t.stub), t.diff, t.se)
        for t in collapsed.tests
        if isinstance(t, ColumnComparison) and t.banner == ("a12",)
    }
    found = {
        (str(t.stub), t.diff, t.se)
        for t in netted.tests
        if isinstance(t, ColumnComparison) and t.banner == ("a",) and "first two" in t.a + t.b
    }
    assert len(found) == len(theirs)
    for _, diff, se in found:
        assert any(abs(diff) == pytest.approx(abs(d)) and se == pytest.approx(s) for _, d, s in theirs)


def test_columns_that_share_cases_are_not_compared() -> None:
    result = table(3, DESIGNS[0], banner=["a"], nets=[NET])
    pairs = {frozenset((t.a, t.b)) for t in result.tests if isinstance(t, ColumnComparison)}
    assert frozenset({("first two",), (3,)}) in pairs
    assert not {frozenset({("first two",), (1,)}), frozenset({("first two",), (2,)})} & pairs


@pytest.mark.parametrize("design", DESIGNS)
def test_a_total_row_is_everybody_who_answered(design: dict[str, Any]) -> None:
    result = table(5, design, banner=["a"], total_row=True)
    for name in ("q", "many"):
        for code in (None, 1, 2, 3):
            banner = () if code is None else (BannerKey("a", code),)
            of = {
                c.stat: c for c in result.cells if c.stub == StubKey(name, net="All") and c.banner == banner
            }
            others = [c for c in result.cells if c.stub.variable == name and c.banner == banner]
            assert of["col_pct"].est == pytest.approx(1)
            assert of["n"].est == next(c.base_n for c in others if c.stat == "col_pct")
            if name == "q":
                whole = sum(c.est for c in others if c.stat == "count" and c.stub.code is not None)
                assert of["count"].est == pytest.approx(whole)
                total = sum(c.est for c in others if c.stat == "total_pct" and c.stub.code is not None)
                assert of["total_pct"].est == pytest.approx(total)
        shares = [c.est for c in result.cells if c.stub == StubKey(name, net="All") and c.stat == "row_pct"]
        assert sum(shares) == pytest.approx(1)


@settings(max_examples=10, deadline=None)
@given(seed=st.integers(0, 10**6))
def test_the_filter_of_a_study_is_that_of_each_of_its_tables(seed: int) -> None:
    tables = [{**TABLE, "id": "t1"}, {**TABLE, "id": "t2", "where": "y > 20"}]
    filtered = results(seed, DESIGNS[0], where="b == 1", tables=tables).tables
    written = results(seed, DESIGNS[0], tables=[
        {**TABLE, "id": "t1", "where": "b == 1"}, {**TABLE, "id": "t2", "where": "b == 1 and y > 20"}
    ]).tables  # fmt: skip
    assert filtered == written
    assert filtered[0] != results(seed, DESIGNS[0], tables=tables).tables[0]


def test_a_fault_in_the_filter_of_a_study_says_where() -> None:
    with pytest.raises(StudyError) as error:
        results(1, {}, where="nobody == 1", tables=[TABLE])
    assert error.value.faults[0].where.startswith("where")


@pytest.mark.parametrize(("period", "codes", "labels"), [
    ("year", [2025, 2026], ["2025", "2026"]),
    ("quarter", [20254, 20261, 20262], ["4th quarter 2025", "1st quarter 2026", "2nd quarter 2026"]),
    ("month", [202511, 202512, 202601, 202602, 202603, 202604], ["November 2025", "December 2025", "January 2026"]),
])  # fmt: skip
def test_a_date_is_counted_by_its_periods_as_a_coded_variable_is(
    period: str, codes: list[int], labels: list[str]
) -> None:
    days = ["2025-11-30", "2025-12-01", "2026-01-31", "", "2026-04-01", "2026-01-02"]
    of = {
        "year": lambda d: d[:4],
        "quarter": lambda d: f"{d[:4]}{(int(d[5:7]) + 2) // 3}",
        "month": lambda d: d[:4] + d[5:7],
    }[period]
    data = dataset({"when": days, "coded": [of(d) if d else "" for d in days], "b": coded([1, 2, 1, 2, 1, 2])},
                   coded=scale(*codes), b=scale(1, 2))  # fmt: skip
    assert data.variable("when").kind == "date"
    for down, over in (("when", "b"), ("b", "when")):
        asked = {"id": "t", "show": ["n", "col_pct", "row_pct"], "dates": period, "tests": ["columns"]}
        mine, theirs = (
            tabulate(
                sampled(data, Design()),
                TableRequest.model_validate({**asked, "stub": [d], "banner": [o]}),
            )
            for d, o in ((down, over), *[tuple(name.replace("when", "coded") for name in (down, over))])
        )
        assert [(c.stub.code, [b.code for b in c.banner], c.stat, c.est, c.se) for c in mine.cells] == [
            (c.stub.code, [b.code for b in c.banner], c.stat, c.est, c.se) for c in theirs.cells
        ]
    heading = tabulate(sampled(data, Design()), TableRequest(id="t", stub=("when",), dates=period)).stubs[0]
    assert [c.label for c in heading.categories][: len(labels)] == labels


def test_days_are_those_that_occur_where_they_lie_far_apart() -> None:
    data = dataset({"when": ["1990-05-01", "2026-04-01", "2026-04-01"]})
    result = tabulate(
        sampled(data, Design()),
        TableRequest(id="t", stub=("when",), dates="day", show=("n",)),
    )
    assert [(c.stub.code, c.est) for c in result.cells] == [(19900501, 1), (20260401, 2)]
    assert [c.label for c in result.stubs[0].categories] == ["1 May 1990", "1 April 2026"]


def test_tables_that_share_passes_are_those_counted_alone() -> None:
    requests = [
        TableRequest.model_validate({**TABLE, **parts})
        for parts in ({}, {"banner": ["a", "b"]}, {"where": "a != 2"}, {"interval": {"method": "wilson"}}, {"banner": ["a"], "nets": [NET]},
                      {"banner": [["a", "b"]], "nets": [NET]}, {"nets": [{"label": "low", "codes": [1, 2]}]}, {"total_row": True})
    ]  # fmt: skip
    data = results(9, DESIGNS[0], tables=[TABLE]).data
    sample = sampled(data, Design.model_validate(DESIGNS[0]), "d")
    shared = SharedCounts(sample)
    together = [counted_table(shared, request) for request in [*requests, *requests[::-1]]]
    alone = [tabulate(sample, request) for request in requests]
    assert together == [*alone, *alone[::-1]]


@pytest.mark.parametrize(("net", "where", "says"), [
    ({"label": "x", "banner": "b", "codes": [1, 2]}, "tables[0].nets[0].banner", "b is not a banner variable"),
    ({"label": "x", "banner": "a", "codes": [1, 9]}, "tables[0].nets[0].codes", "a has no category 9"),
])  # fmt: skip
def test_a_net_of_columns_that_are_not_there_is_refused(net: dict[str, Any], where: str, says: str) -> None:
    with pytest.raises(StudyError) as error:
        table(1, {}, banner=["a"], nets=[net])
    assert error.value.faults[0].where == where
    assert says in error.value.faults[0].what


def test_a_net_is_a_row_or_a_column() -> None:
    with pytest.raises(StudyError, match="give stub or banner, not both"):
        parse_study({"source": {"path": "a.csv"}, "tables": [{"id": "t", "nets": [{**NET, "stub": "q"}]}]})


def test_a_stub_with_no_dates_has_no_rows() -> None:
    data = dataset({"when": ["2026-04-01", ""], "b": coded([1, 2])}, b=scale(1, 2))
    asked = TableRequest(id="t", stub=("when",), where="b == 2", show=("n", "col_pct"))
    assert all(cell.est == 0 for cell in tabulate(sampled(data, Design()), asked).cells)
