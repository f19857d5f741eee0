"""What figures depend on, as an appendix of the document."""

from collections.abc import Iterator, Sequence

from even_ballot.core.dependence.appendix import AppendixFigure, AppendixRow
from even_ballot.core.faults import counted
from even_ballot.core.release.plan import Style
from even_ballot.core.study.results import Results
from even_ballot.core.tables.results import Cell, TableResult
from even_ballot.core.tables.statistics import find_statistic, statistic_of
from even_ballot.formats.documents.own_text import plain_paragraph
from even_ballot.formats.documents.table_rows import times
from even_ballot.formats.printed.blocks import Block, Entry, Group, Head, Heading, PrintedTable, Row
from even_ballot.formats.printed.numerals import ABSENT, interval, numeral, places_of

_SAYS = (
    "Every figure was recomputed leaving out one decision at a time. Changes are in the figure\u2019s own "
    "unit (percentage points for per cents), and as multiples of its published standard error."
)
_NOTHING = 0.005


def _named(table: TableResult, cell: Cell) -> str:
    """A figure in words: its row, its column, what it is."""
    stub = next(of for of in table.stubs if of.variable == cell.stub.variable)
    rows = {c.code: c.label for c in stub.categories}
    row = cell.stub.net or rows.get(cell.stub.code or 0) if cell.stub.code or cell.stub.net else stub.title
    names = tuple(key.variable for key in cell.banner)
    over = next((of for of in table.banners if of.variables == names), None)
    column = "All"
    if over is not None:
        labels = [{c.code: c.label for c in level} for level in over.categories]
        steps = zip(cell.banner, labels, strict=True)
        column = ", ".join(key.net or of.get(key.code or 0, str(key.code)) for key, of in steps)
    return f"{row or stub.title} \u00b7 {column} \u00b7 {statistic_of(cell.stat).label_of(cell.stat)}"


def _moving(figure: AppendixFigure) -> list[AppendixRow]:
    """Decisions that change a figure by more than a hundredth of its standard error, or by anything where it
    has none, or without which it is gone."""
    least = _NOTHING if figure.cell.se else 0.0
    return [
        row
        for row in figure.rows
        if not row.refused and (row.change is None or abs(row.in_se or 0.0) > least)
    ]


def _others(figure: AppendixFigure) -> tuple[str, ...]:
    """What is said of the decisions that are not listed."""
    refused = sum(row.refused is not None for row in figure.rows)
    same = len(figure.rows) - refused - len(_moving(figure))
    said = []
    if same:
        said.append(
            f"{counted(same, 'decision')} not listed "
            f"{'changes' if same == 1 else 'change'} it by less than "
            f"{_NOTHING:g} standard errors."
        )
    if refused:
        said.append(f"The figure cannot be computed without {counted(refused, 'other decision')}.")
    return (" ".join(said),) if said else ()


def _rows(figure: AppendixFigure, style: Style) -> Iterator[Row]:
    cell = figure.cell
    statistic = find_statistic(cell.stat)
    shape = "number" if statistic is None else statistic.shape
    scale, places = times(shape), places_of(shape, style)

    def entry(value: float | None, sign: bool = False) -> Entry:
        if value is None:
            return Entry(ABSENT)
        own = "+" if sign and value > 0 else ""
        return Entry(own + numeral(scale * value, places, style), scale * value, places)

    low, high = (None if x is None else scale * x for x in (cell.low, cell.high))
    said = interval(low, high, places, style)
    yield Row(("As published" + (f" ({said})" if said else ""),), (entry(cell.est), Entry(""), Entry("")))
    for row in _moving(figure):
        yield Row((_said(row),), (entry(row.without), entry(row.change, True), _over_se(row, style)))


def _over_se(row: AppendixRow, style: Style) -> Entry:
    return Entry("") if row.in_se is None else Entry(numeral(row.in_se, 2, style), row.in_se, 2)


def _said(row: AppendixRow) -> str:
    said = f"{row.says}; instead: {row.instead}" if row.instead else row.says
    return f"{said} (with {row.also} more {'entry' if row.also == 1 else 'entries'})" if row.also else said


def depends_blocks(figures: Sequence[AppendixFigure], results: Results, style: Style) -> Iterator[Block]:
    """The appendix: a table for each figure, its decisions by how much they move it."""
    if not figures:
        return
    yield Heading("What these figures depend on", 1, "depends")
    yield plain_paragraph(_SAYS)
    tables = {table.id: table for table in results.tables}
    heads = (tuple(Head(c, 1, name) for c, name in enumerate(("Figure", "Change", "Change / SE"))),)
    for k, figure in enumerate(figures, start=1):
        table, at = tables[figure.table], f"depends-{k}"
        groups, named = (Group("", tuple(_rows(figure, style))),), _named(table, figure.cell)
        yield PrintedTable(at, at, "", named, table.title, ("Without",), heads, 3, groups, _others(figure))
