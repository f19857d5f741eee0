"""What the picture of a table or model shows."""

from collections.abc import Iterator, Sequence

from even_ballot.core.data.batteries import item_of, stem_of
from even_ballot.core.models.results import Factor, ModelResult
from even_ballot.core.tables.display import displayed
from even_ballot.core.tables.results import BannerPath, Cell, StubHeading, StubKey, TableResult
from even_ballot.core.tables.statistics import statistic_of
from even_ballot.core.tables.table_request import TableRequest
from even_ballot.formats.analyses.rows import said_factor
from even_ballot.formats.estimates.lines import Names
from even_ballot.formats.printed.blocks import Chart, Series

_APART = 8
"""Bars side by side that are told apart."""
MOST = 40
"""Categories or columns in one picture."""


class _Drawn:
    """The figures of a table as pictures need them."""

    def __init__(self, result: TableResult, request: TableRequest) -> None:
        self.result, self.request = displayed(result, request.display, request.items_down), request
        self._cells = {(c.stub, c.banner, c.stat): c for c in result.cells}
        self.names = Names(result)
        columns = list(dict.fromkeys(c.banner for c in result.cells))
        deepest = [path for path in columns if self._is_column(path)]
        self.columns = deepest[:MOST] or [()]

    def _is_column(self, path: BannerPath) -> bool:
        if not path:
            return not self.result.banners
        return any(tuple(k.variable for k in path) == banner.variables for banner in self.result.banners)

    def at(self, stub: StubKey, path: BannerPath, stat: str) -> Cell | None:
        return self._cells.get((stub, path, stat))

    def series(self, name: str, cells: Sequence[Cell | None], scale: float) -> Series:
        def of(what: str) -> tuple[float | None, ...]:
            values = (None if c is None else getattr(c, what) for c in cells)
            return tuple(None if v is None else scale * v for v in values)

        return Series(name, of("est"), of("low"), of("high"))


def _share_of(request: TableRequest, kind: str) -> str | None:
    shares = [s for s in request.show if statistic_of(s).shape == "share" and statistic_of(s).base != "row"]
    return next(iter(shares), None)


def _grouped(drawn: _Drawn, stub: StubHeading, stat: str) -> Chart:
    """Answers down, a bar for each column."""
    rows = [row for row in stub.rows if not row.stray and not isinstance(row.step, str)][:MOST]
    series = tuple(
        drawn.series(
            drawn.names.column(path),
            [drawn.at(StubKey.of(stub.variable, row.step), path, stat) for row in rows],
            100.0,
        )
        for path in drawn.columns
    )
    kind = "shares" if len(rows) > 1 and stub.kind == "coded" and len(series) > 4 else "groups"
    axis = f"{statistic_of(stat).label_of(stat, stub.kind == 'multi')}"
    labels = tuple(row.label for row in rows)
    # A share that is not shown leaves no place for those after it: then each stands by itself.
    if kind == "shares" and all(v is not None for s in series for v in s.values):
        return _turned(series, labels, axis)
    some = "" if len(series) <= _APART else f" (the first {_APART} of {len(series)} columns)"
    return Chart("groups", labels, series[:_APART], axis + some)


def _turned(series: Sequence[Series], labels: Sequence[str], axis: str) -> Chart:
    """Many columns: a bar each, of its shares one after the other."""
    answers = tuple(Series(label, tuple(s.values[k] for s in series)) for k, label in enumerate(labels))
    return Chart("shares", tuple(s.name for s in series), answers, axis)


def _battery(drawn: _Drawn, stat: str) -> Chart:
    """Items down, their answers one after the other; all cases."""
    stubs = drawn.result.stubs[:MOST]
    stem = stem_of([stub.title for stub in drawn.result.stubs]) if len(drawn.result.stubs) > 1 else ""
    rows = [row for row in stubs[0].rows if not row.stray and not isinstance(row.step, str)]
    series = tuple(
        drawn.series(row.label, [drawn.at(StubKey.of(s.variable, row.step), (), stat) for s in stubs], 100.0)
        for row in rows
    )
    return Chart("shares", tuple(item_of(s.title, stem) for s in stubs), series, statistic_of(stat).label)


def charts_of(result: TableResult, request: TableRequest) -> Iterator[tuple[str, Chart]]:
    """The pictures of a table: what each is of, and what it shows. A battery has one; otherwise each stub
    variable with shares has one, and each with means."""
    drawn = _Drawn(result, request)
    stat = _share_of(request, "coded")
    if request.layout == "battery":
        chart = _battery(drawn, stat) if stat is not None and drawn.result.stubs else None
        if chart is not None and all(v is not None for s in chart.series for v in s.values):
            yield "", chart
        return
    for stub in drawn.result.stubs:
        about = stub.title if len(drawn.result.stubs) > 1 else ""
        if stub.kind != "number" and stat is not None and stub.rows:
            yield about, _grouped(drawn, stub, stat)
        elif "mean" in request.figures_for(stub.kind):
            cells = [drawn.at(StubKey(stub.variable), path, "mean") for path in drawn.columns]
            if any(cells):
                names = tuple(drawn.names.column(path) for path in drawn.columns)
                yield about, Chart("means", names, (drawn.series("Mean", cells, 1.0),), "Mean")


def chart_of_model(model: ModelResult) -> Chart | None:
    """A model's odds ratios or coefficients with their intervals, without the intercept."""
    terms = {of.variable: of for of in model.variables}
    rows = [of for of in model.coefficients if of.term]
    if not rows:
        return None
    names = tuple(" × ".join(said_factor(Factor(f.variable, f.code), terms) for f in of.term) for of in rows)
    if model.kind == "logistic":
        values = [(of.odds_ratio, of.or_low, of.or_high) for of in rows]
        est, low, high = (tuple(column) for column in zip(*values, strict=True))
        return Chart("odds", names, (Series("Odds ratio", est, low, high),), "Odds ratio")
    plain = [(of.est, of.low, of.high) for of in rows]
    est, low, high = (tuple(column) for column in zip(*plain, strict=True))
    return Chart("effects", names, (Series("Coefficient", est, low, high),), "Coefficient")
