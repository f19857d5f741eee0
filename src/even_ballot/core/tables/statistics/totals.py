"""Totals of numbers."""

from collections.abc import Iterator

from even_ballot.core.tables.results import Cell
from even_ballot.core.tables.statistics.rows import NumberRow
from even_ballot.core.tables.statistics.statistic import Statistic, register


def _total(row: NumberRow, stat: str, first: int) -> Iterator[Cell]:
    found = row.totals()
    if found is not None:
        yield from row.emit_means(stat, found, first, of_one_case=True)


register(
    Statistic(
        "total",
        "Total",
        "total",
        "number",
        "column",
        number_cells=_total,
        with_error=True,
        marked=True,
        linear=True,
    )
)
