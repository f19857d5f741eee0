"""How many cases there are, and how many they stand for."""

from collections.abc import Iterator

from even_ballot.core.estimation.shares import totals
from even_ballot.core.tables.results import Cell
from even_ballot.core.tables.statistics.rows import CategoryRows
from even_ballot.core.tables.statistics.statistic import Statistic, register


def _cases(rows: CategoryRows, first: int) -> Iterator[Cell]:
    n = rows.block.part.n[:, first:].T.tolist()
    for path, column in zip(rows.paths[first:], n, strict=True):
        yield from (Cell(key, path, "n", cases) for key, cases in zip(rows.keys, column, strict=True))


def _weighted(rows: CategoryRows, first: int) -> Iterator[Cell]:
    found = totals(rows.block.part.at(slice(None), slice(first, None)), rows.units)
    yield from rows.emit(rows.keys, rows.paths[first:], "count", found, with_n=True, counted=True)


register(Statistic("n", "Cases (unweighted)", "cases", "whole", "none", _cases))
register(
    Statistic(
        "count", "Count (weighted)", "weighted count", "whole", "none", _weighted, marked=True, linear=True
    )
)
