"""Means."""

from collections.abc import Iterator

from even_ballot.core.tables.results import Cell
from even_ballot.core.tables.statistics.rows import NumberRow
from even_ballot.core.tables.statistics.statistic import Statistic, register


def _mean(row: NumberRow, stat: str, first: int) -> Iterator[Cell]:
    yield from row.emit_means(stat, row.means(), first, row.plain_means())


register(
    Statistic(
        "mean",
        "Mean",
        "mean",
        "number",
        "column",
        number_cells=_mean,
        with_error=True,
        compared=True,
        marked=True,
        linear=True,
    )
)
