"""Geometric means: e to the power of the mean of logarithms; none where a value is 0 or less.

The standard error is that of the mean of logarithms times the geometric mean, the limits are those of the
mean of logarithms turned back.
"""

from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from even_ballot.core.numerics.arrays import Floats
from even_ballot.core.tables.results import Cell
from even_ballot.core.tables.statistics.rows import NumberRow
from even_ballot.core.tables.statistics.statistic import Statistic, register


def _logarithm(values: Floats) -> Floats:
    with np.errstate(all="ignore"):
        return np.asarray(np.where(values > 0, np.log(np.maximum(values, 0)), np.nan))


def _geometric_mean(row: NumberRow, stat: str, first: int) -> Iterator[Cell]:
    logs = row.means_of(_logarithm)
    with np.errstate(all="ignore"):
        low, high = (np.exp(limit) for limit in row.limits(logs))
        est = np.exp(logs.est)
        yield from row.emit_means(
            stat, replace(logs, est=est, variance=logs.variance * est**2), first, limits=(low, high)
        )


register(
    Statistic(
        "geometric_mean",
        "Geometric mean",
        "geometric mean",
        "number",
        "column",
        number_cells=_geometric_mean,
        with_error=True,
        marked=True,
        linear=True,
    )
)
