"""Tests of a stub variable by a whole banner entry, as a table says them; where there is none, why."""

from collections.abc import Callable, Iterator
from itertools import groupby

from even_ballot.core.estimation.independence import Independence, Wald
from even_ballot.core.estimation.trend import Trend
from even_ballot.core.tables.results import BannerHeading, StubHeading, StubKey, TableResult
from even_ballot.core.tables.table_request import TableRequest
from even_ballot.formats.tables.layout import TestFigure, WholeTest

NAMES = {
    "independence": "Independence (Rao and Scott, second order)",
    "wald": "Independence (adjusted Wald)",
    "trend": "Trend, slope per code",
}
_NOT_NESTED = "it is of one variable, and these columns are nested"
_NO_CATEGORIES = "a number has no categories to be tested; its means are compared by letters"
_ONE_ANSWER = "it is of questions with one answer"
_NONE = "it needs two categories with cases on either side, and degrees of freedom"
_SUPPRESSED = "it is suppressed, or cannot be calculated"
LEAST_P = 0.0005
"""Under it p is said to be under 0.001."""


def whole_tests(result: TableResult, request: TableRequest) -> Iterator[WholeTest]:
    """One for each test asked for, banner entry and stub variable; of trends, one for each row.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> from even_ballot.core.tables.tabulate import tabulate
    >>> request = TableRequest(id="t", stub=("crosses",), banner=("isle",), tests=("independence",))
    >>> (test,) = whole_tests(tabulate(sampled(ferry(), Design(), "w"), request), request)
    >>> test.stub, [figure.symbol for figure in test.figures]
    ('How often do you cross?', ['F', 'df1', 'df2', 'p'])
    """
    for kind in (kind for kind in NAMES if kind in request.tests):
        for banner in result.banners:
            for stub in result.stubs:
                found = list(_found(result, kind, stub, banner))
                yield from found or [_none(result, kind, stub, banner)]


def _found(result: TableResult, kind: str, stub: StubHeading, banner: BannerHeading) -> Iterator[WholeTest]:
    name, across = NAMES[kind], " › ".join(banner.titles)
    labels = {StubKey.of(stub.variable, row.step): row.label for row in stub.rows}
    for test in result.tests:
        if test.kind != kind or test.banner != banner.variables:
            continue
        if isinstance(test, Independence | Wald) and test.stub == stub.variable:
            figures = (
                TestFigure("F", test.f, 2),
                TestFigure("df1", test.df1, 2),
                TestFigure("df2", test.df2, 1),
                TestFigure("p", test.p, 3),
            )
            yield WholeTest(name, stub.title, across, "", figures)
        elif isinstance(test, Trend) and test.stub["variable"] == stub.variable:
            key = StubKey(stub.variable, test.stub.get("code"), test.stub.get("net"))
            own = key.code is None and key.net is None
            slope = TestFigure("slope" if own else "slope %", test.slope * (1 if own else 100), 2)
            row = "mean" if own else labels.get(key, "")
            if row:
                trend = (slope, TestFigure("t", test.t, 2), TestFigure("p", test.p, 3))
                yield WholeTest(name, stub.title, across, row, trend)


def _none(result: TableResult, kind: str, stub: StubHeading, banner: BannerHeading) -> WholeTest:
    if len(banner.variables) > 1:
        why = _NOT_NESTED
    elif kind != "trend" and stub.kind == "number":
        why = _NO_CATEGORIES
    elif kind == "wald" and stub.kind == "multi":
        why = _ONE_ANSWER
    else:
        why = _NONE if result.hidden is None else _SUPPRESSED
    return WholeTest(NAMES[kind], stub.title, " › ".join(banner.titles), "", (), why)


def lines_of(tests: tuple[WholeTest, ...], number: Callable[[float, int], str]) -> Iterator[str]:
    """A line for each test and banner entry. number: prints a number with so many decimal places.

    >>> figures = (TestFigure("t", 2.5, 1), TestFigure("p", 0.0001, 3))
    >>> list(lines_of((WholeTest("Trend", "Spend", "Age", "", figures),), "{:.{}f}".format))
    ['Trend by Age: Spend t = 2.5, p < 0.001.']
    """
    for (name, banner), group in groupby(tests, lambda test: (test.name, test.banner)):
        said = [" ".join(filter(None, (test.stub, test.row, _said(test, number)))) for test in group]
        yield f"{name} by {banner}: {'; '.join(said)}."


def _said(test: WholeTest, number: Callable[[float, int], str]) -> str:
    if test.why is not None:
        return f"(no test: {test.why})"
    of = {figure.symbol: number(figure.value, figure.places) for figure in test.figures}
    p = next(figure.value for figure in test.figures if figure.symbol == "p")
    chance = f"p < {number(0.001, 3)}" if p < LEAST_P else f"p = {of['p']}"
    if "F" in of:
        return f"F = {of['F']} on {of['df1']} and {of['df2']} degrees of freedom, {chance}"
    slope = f"{of['slope %']} points, " if "slope %" in of else f"{of['slope']}, " if "slope" in of else ""
    return f"{slope}t = {of['t']}, {chance}"
