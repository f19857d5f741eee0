"""Trend over an ordered banner: the weighted least-squares slope of an answer on the banner's codes, design-based."""

import numpy as np

from even_ballot.core.dataset import Floats
from even_ballot.core.design import Units
from even_ballot.core.linear import Linear
from even_ballot.core.variance import variances


def _slopes(w: Floats, wy: Floats, x: Floats) -> tuple[Floats, Floats, Floats, Floats]:
    """Slopes, means of y and of x, and Σ w (x − x̄)², from Σ w (…, C) and Σ w y (…, R, C)."""
    whole = w.sum(-1)
    mean_x, mean_y = (w * x).sum(-1) / whole, wy.sum(-1) / whole[..., None]
    apart = x - mean_x[..., None]
    spread = (w * apart**2).sum(-1)
    return (wy * apart[..., None, :]).sum(-1) / spread[..., None], mean_y, mean_x, spread


def slopes(wy: Floats, w: Floats, squares: tuple[Floats, Floats, Floats] | None, x: Floats, units: Units) -> tuple[Floats, Floats]:
    """Slopes b of R quantities on x, and their variances, (R,): z = (x − x̄)(y − ȳ − b(x − x̄))/Σ w (x − x̄)².

    wy: (U, R, C), Σ w y by unit and column; w: (U, C), Σ w of their base; x: (C,), the columns' scores. squares: where every case
    is its own PSU, Σ w² y², Σ w² y, (U, R, C), and Σ w², (U, C).
    """
    with np.errstate(all="ignore"):
        b, mean_y, mean_x, spread = _slopes(w.sum(0), wy.sum(0), x)
        if units.replicates is not None:
            again = _slopes(units.replicates.totals(w), units.replicates.totals(wy), x)[0]
            return b, variances(Linear(again - b), units)
        apart = (x - mean_x) / spread
        line = mean_y[:, None] + b[:, None] * (x - mean_x)
        totals = ((wy - line * w[:, None]) * apart).sum(-1)
        if squares is None:
            return b, variances(Linear(totals), units)
        yy, y, one = squares
        second = ((yy - 2 * line * y + line**2 * one[:, None]) * apart**2).sum(-1)
        return b, variances(Linear(totals, second, ((y - line * one[:, None]) * apart).sum(-1)), units)
