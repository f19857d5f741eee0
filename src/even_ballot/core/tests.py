"""Tests: independence of two variables, and which columns differ."""

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from scipy import special

from even_ballot.core.dataset import Floats
from even_ballot.core.design import Units
from even_ballot.core.variance import covariance_of_shares

Adjust = Literal["none", "bonferroni", "holm", "fdr"]


@dataclass(frozen=True)
class Independence:
    """Rao and Scott's second-order test of a stub against a banner variable."""

    stub: str
    banner: tuple[str, ...]
    chi2: float
    f: float
    df1: float
    df2: float
    p: float
    kind: str = "independence"


@dataclass(frozen=True)
class Columns:
    """The difference of two banner columns, a less b, in one stub row (a share, or a mean where it has no code)."""

    stub: dict[str, Any]
    banner: tuple[str, ...]
    a: tuple[int, ...]
    b: tuple[int, ...]
    diff: float
    se: float
    t: float
    p: float
    p_adjusted: float
    kind: str = "columns"


def _interactions(rows: int, columns: int) -> Floats:
    """Dummies of the interaction, made orthogonal to constant, row and column dummies: (R·C, (R − 1)(C − 1))."""
    row = np.repeat(np.eye(rows)[:, 1:], columns, axis=0)
    column = np.tile(np.eye(columns)[:, 1:], (rows, 1))
    main = np.column_stack([np.ones(rows * columns), row, column])
    both = np.einsum("ki,kj->kij", row, column).reshape(rows * columns, -1)
    return np.asarray(both - main @ np.linalg.lstsq(main, both, rcond=None)[0])


def independence(w: Floats, ww: Floats | None, n: int, units: Units) -> tuple[float, float, float, float, float] | None:
    """chi2, f, df1, df2, p of a stub × banner (Rao and Scott, 1984, second order).

    w: (U, R, C), Σ w by unit over cases with both answered; ww: Σ w² likewise where every case is its own PSU; n:
    their unweighted number. Rows and columns without weight are left out; fewer than two of either: None.
    """
    sums = w.sum(0)
    rows, columns = sums.sum(1) > 0, sums.sum(0) > 0
    height, width = int(rows.sum()), int(columns.sum())
    df = units.degrees_of_freedom
    if height < 2 or width < 2 or df < 1:
        return None

    def flat(x: Floats) -> Floats:
        return x[:, rows][:, :, columns].reshape(len(x), height * width)

    cells = flat(w)
    pi = cells.sum(0) / cells.sum()
    grid = pi.reshape(height, width)
    expected = np.outer(grid.sum(1), grid.sum(0)).ravel()
    chi2 = float(n * ((pi - expected) ** 2 / expected).sum())
    v = covariance_of_shares(cells, None if ww is None else flat(ww), pi, units)
    c = _interactions(height, width)
    inverse = np.divide(1.0, pi, out=np.zeros_like(pi), where=pi > 0)
    inner = c.T @ (inverse[:, None] * c)
    if 1 / np.linalg.cond(inner, 1) < 1e-10:
        inverse = 1 / expected
        inner = c.T @ (inverse[:, None] * c)
    scaled = inverse[:, None] * c
    delta = np.linalg.solve(inner / n, scaled.T @ v @ scaled)
    trace, trace_squared = float(np.trace(delta)), float(np.trace(delta @ delta))
    if trace <= 0 or trace_squared <= 0:
        return None
    f, df1 = chi2 / trace, trace**2 / trace_squared
    return chi2, f, df1, df1 * df, float(special.fdtrc(df1, df1 * df, f))


def adjusted(p: Floats, how: Adjust) -> Floats:
    """p-values adjusted for their number: Bonferroni, Holm, or Benjamini and Hochberg (1995)."""
    m = len(p)
    if how == "none" or m == 0:
        return p
    if how == "bonferroni":
        return np.minimum(p * m, 1)
    order = np.argsort(p, kind="stable")
    steps = p[order] * (m - np.arange(m)) if how == "holm" else p[order] * m / np.arange(1, m + 1)
    monotone = np.maximum.accumulate(steps) if how == "holm" else np.minimum.accumulate(steps[::-1])[::-1]
    result = np.empty(m)
    result[order] = np.minimum(monotone, 1)
    return result
