"""Medians and other quantiles with Woodruff's limits (Woodruff, 1952), and modes."""

import re
from collections.abc import Iterator

from even_ballot.core.tables.results import Cell
from even_ballot.core.tables.statistics.rows import NumberRow
from even_ballot.core.tables.statistics.statistic import Statistic, register

QUANTILE = r"q(\d{1,2}(\.\d+)?|100)"


def per_cent(stat: str) -> float | None:
    """Which quantile a figure is, in per cent; None for figures that are none.

    >>> per_cent("median"), per_cent("q97.5"), per_cent("mean")
    (50.0, 97.5, None)
    """
    if stat != "median" and not re.fullmatch(QUANTILE, stat):
        return None
    return 50.0 if stat == "median" else float(stat[1:])


class _Quantile(Statistic):
    """A quantile by its per cent: q25, q97.5."""

    def label_of(self, name: str, several: bool = False) -> str:
        return f"{name[1:]} % quantile"

    def short_of(self, name: str) -> str:
        return {"q25": "lower quartile", "q75": "upper quartile"}.get(name, f"{name[1:]} % quantile")

    def is_extreme(self, name: str) -> bool:
        return per_cent(name) in (0, 100)

    @property
    def choices(self) -> tuple[str, ...]:
        return ("q25", "q75")


def _quantile(row: NumberRow, stat: str, first: int) -> Iterator[Cell]:
    q = (per_cent(stat) or 0) / 100
    for column in range(first, len(row.paths)):
        found = row.quantile(q, column)
        if found is not None:
            yield from row.emit_value(stat, column, found.value, found.low, found.high, found.se)


def _modes(row: NumberRow, stat: str, first: int) -> Iterator[Cell]:
    for column, ranks in enumerate(row.ranks()):
        if column >= first and ranks is not None:
            for value in ranks.modes():
                yield from row.emit_value(stat, column, value)


register(
    Statistic(
        "median", "Median", "median", "number", "column", number_cells=_quantile, with_error=True, marked=True
    )
)
register(
    _Quantile(
        QUANTILE,
        "Quantile",
        "quantile",
        "number",
        "column",
        number_cells=_quantile,
        with_error=True,
        marked=True,
    ),
    family=True,
)
register(Statistic("mode", "Mode", "mode", "number", "column", number_cells=_modes, with_error=True))
