"""The standard deviation."""

from collections.abc import Iterator

from even_ballot.core.tables.results import Cell
from even_ballot.core.tables.statistics.rows import NumberRow
from even_ballot.core.tables.statistics.statistic import Statistic, register


def _deviation(row: NumberRow, stat: str, first: int) -> Iterator[Cell]:
    yield from row.emit_values(stat, row.spread().sd.tolist(), first)


register(
    Statistic("sd", "Standard deviation", "sd", "number", "column", number_cells=_deviation, with_error=True)
)
