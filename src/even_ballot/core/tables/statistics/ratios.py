"""Ratios of two numbers' totals."""

from collections.abc import Iterator

from even_ballot.core.tables.results import Cell
from even_ballot.core.tables.statistics.rows import NumberRow
from even_ballot.core.tables.statistics.statistic import Statistic, register


def _ratio(row: NumberRow, stat: str, first: int) -> Iterator[Cell]:
    found = row.ratios()
    if found is not None:
        estimates, df = found
        yield from row.emit_means(stat, estimates, first, df=df)


register(
    Statistic(
        "ratio",
        "Ratio",
        "ratio",
        "number",
        "column",
        number_cells=_ratio,
        with_error=True,
        compared=True,
        marked=True,
        linear=True,
    )
)
