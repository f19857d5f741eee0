"""To which side values lie, and how far out."""

from collections.abc import Iterator

from even_ballot.core.tables.results import Cell
from even_ballot.core.tables.statistics.rows import NumberRow
from even_ballot.core.tables.statistics.statistic import Statistic, register


def _shape(row: NumberRow, stat: str, first: int) -> Iterator[Cell]:
    yield from row.emit_values(stat, getattr(row.spread(), stat).tolist(), first)


register(
    Statistic(
        "skewness",
        "Skewness",
        "skewness",
        "number",
        "column",
        number_cells=_shape,
        with_error=True,
        in_unit=False,
    )
)
register(
    Statistic(
        "kurtosis",
        "Excess kurtosis",
        "kurtosis",
        "number",
        "column",
        number_cells=_shape,
        with_error=True,
        in_unit=False,
    )
)
