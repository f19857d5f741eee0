"""Trend over an ordered banner: the weighted least-squares slope of an answer on the banner's codes,
design-based."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np

from even_ballot.core.estimation.estimates import of_cases
from even_ballot.core.numerics.arrays import Floats
from even_ballot.core.sampling.linearisation import Linear
from even_ballot.core.sampling.replicates import EMPTY
from even_ballot.core.sampling.units import Units
from even_ballot.core.sampling.variance import variances


@dataclass(frozen=True)
class Trend:
    """The weighted linear slope of a share (or, without a code, of a mean) on the banner's codes."""

    stub: dict[str, Any]
    banner: tuple[str, ...]
    slope: float
    se: float
    t: float
    p: float
    low: float | None = None
    high: float | None = None
    kind: Literal["trend"] = "trend"


Cells = Callable[[Linear, Floats, Floats, Floats, Units], Linear]
"""Adds the groups of cases that are PSUs of their own, for (x − x̄)/Σ w (x − x̄)², (C,), lines ȳ + b(x −
x̄), (R, C), and |ȳ| + |b(x − x̄)|, (R, C)."""


def _slopes(w: Floats, wy: Floats, x: Floats) -> tuple[Floats, Floats, Floats, Floats]:
    """Slopes, means of y and of x, and Σ w (x − x̄)², from Σ w (…, C) and Σ w y (…, R, C)."""
    whole = w.sum(-1)
    mean_x, mean_y = (w * x).sum(-1) / whole, wy.sum(-1) / whole[..., None]
    apart = x - mean_x[..., None]
    spread = (w * apart**2).sum(-1)
    return (wy * apart[..., None, :]).sum(-1) / spread[..., None], mean_y, mean_x, spread


def of_alike(cells: Sequence[tuple[int, Floats, float]] | None) -> Cells | None:
    """Groups whose cases share a y: of each its column, its sums (3 U, R), and y.

    >>> of_alike(None) is None
    True
    """
    if cells is None:
        return None

    def added(linear: Linear, apart: Floats, line: Floats, most: Floats, units: Units) -> Linear:
        groups = [
            (own, (y - line[:, c]) * apart[c], (abs(y) + most[:, c]) * abs(apart[c])) for c, own, y in cells
        ]
        return of_cases(linear, groups, units)

    return added


def slopes(
    wy: Floats, w: Floats, size: Floats, x: Floats, units: Units, cells: Cells | None
) -> tuple[Floats, Floats]:
    """Slopes b of R quantities on x, and their variances, (R,): z = (x − x̄)(y − ȳ − b(x − x̄))/Σ w (x −
    x̄)².

    wy, size: (U, R, C), Σ w y and Σ w |y| by unit and column, |y| with what was taken off every y; w: (U,
    C), Σ w of their base; x: (C,), the columns' scores. cells: where every case is its own PSU. A
    replicate in which x does not vary has no slope.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> units = sampled(ferry(), Design(clusters=("boat",)), "w").units
    >>> w = np.array([[2.0, 1.0], [1.0, 1.0], [1.0, 2.0], [1.0, 1.0]])
    >>> b, variance = slopes(w[:, None] / 2, w, w[:, None] / 2, np.array([1.0, 2.0]), units, None)
    >>> b.round(4).tolist(), variance.tolist()
    ([0.0], [0.0])
    """
    with np.errstate(all="ignore"):
        b, mean_y, mean_x, spread = _slopes(w.sum(0), wy.sum(0), x)
        if units.replicates is not None:
            of_w, of_size = units.replicates.totals(w), np.abs(units.replicates.totals(size))
            again, _, means, spreads = _slopes(of_w, units.replicates.totals(wy), x)
            lost = ~(spreads > EMPTY * spread)
            again[lost] = np.nan
            terms = (of_size * np.abs(x - means[:, None])[:, None]).sum(-1) / np.where(lost, np.nan, spreads)[
                :, None
            ]
            return b, variances(Linear(again - b, terms + np.abs(again) + np.abs(b)), units)
        apart = (x - mean_x) / spread
        line = mean_y[:, None] + b[:, None] * (x - mean_x)
        totals = ((wy - line * w[:, None]) * apart).sum(-1)
        rows = units.rows
        most = np.abs(mean_y)[:, None] + np.abs(b[:, None] * (x - mean_x))
        terms = ((size[:rows] + most * w[:rows, None]) * np.abs(apart)).sum(-1)
        linear = Linear(totals, terms)
        return b, variances(linear if cells is None else cells(linear, apart, line, most, units), units)
