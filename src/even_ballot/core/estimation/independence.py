"""Independence of a stub and a banner variable: Rao and Scott's second-order test, and the adjusted Wald
test."""

from dataclasses import dataclass
from typing import Literal

import numpy as np
import scipy
from numpy.typing import NDArray

from even_ballot.core.numerics.arrays import Floats
from even_ballot.core.sampling.units import Units
from even_ballot.core.sampling.variance import covariance_of_shares, variances_of_contrasts

_NOTHING = 1e-30


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
    kind: Literal["independence"] = "independence"


@dataclass(frozen=True)
class Wald:
    """Adjusted Wald test of a stub against a banner variable: F = (df − k + 1)/(k · df) · d′ V⁻¹ d on k
    and df − k + 1, d the k differences between cell shares and products of their margins (Korn and
    Graubard, 1990)."""

    stub: str
    banner: tuple[str, ...]
    wald: float
    f: float
    df1: float
    df2: float
    p: float
    kind: Literal["wald"] = "wald"


def _interactions(rows: int, columns: int) -> Floats:
    """Dummies of the interaction, made orthogonal to constant, row and column dummies: (R·C, (R − 1)(C −
    1))."""
    row = np.repeat(np.eye(rows)[:, 1:], columns, axis=0)
    column = np.tile(np.eye(columns)[:, 1:], (rows, 1))
    main = np.column_stack([np.ones(rows * columns), row, column])
    both = np.einsum("ki,kj->kij", row, column).reshape(rows * columns, -1)
    return np.asarray(both - main @ np.linalg.lstsq(main, both, rcond=None)[0])


@dataclass(frozen=True)
class _Table:
    """A stub × banner without empty rows and columns: shares of its cells (R, C), their covariance (R·C,
    R·C), and the sums that they are made of, (U, R·C)."""

    shares: Floats
    covariance: Floats
    w: Floats
    own: Floats | None
    units: Units

    def moving(self, contrasts: Floats, terms: Floats) -> NDArray[np.bool_]:
        """Contrasts of the cells, (k, R·C), that have a variance, (k,); terms: what they are made of,
        taken absolutely."""
        return variances_of_contrasts(self.w, self.own, self.shares.ravel(), contrasts, terms, self.units) > 0

    @property
    def expected(self) -> Floats:
        """Products of the margins, (R, C)."""
        return np.outer(self.shares.sum(1), self.shares.sum(0))


def _table(w: Floats, own: Floats | None, units: Units) -> _Table | None:
    """The table of w (U, R, C), Σ w by unit; None where there is nothing to test."""
    sums = w.sum(0)
    # A weight that raking has driven to nothing is none: its inverse would be no number.
    least = _NOTHING * sums.sum()
    sums = np.where(sums > least, sums, 0.0)
    rows, columns = sums.sum(1) > 0, sums.sum(0) > 0
    height, width = int(rows.sum()), int(columns.sum())
    if height < 2 or width < 2 or units.degrees_of_freedom < 1:
        return None

    def flat(x: Floats) -> Floats:
        return x[:, rows][:, :, columns].reshape(len(x), height * width)

    cells, cases = flat(w), None if own is None else flat(own)
    pi = cells.sum(0) / cells.sum()
    return _Table(
        pi.reshape(height, width), covariance_of_shares(cells, cases, pi, units), cells, cases, units
    )


def independence(
    w: Floats, own: Floats | None, n: int, units: Units
) -> tuple[float, float, float, float, float] | None:
    """chi2, f, df1, df2, p of a stub × banner (Rao and Scott, 1984, second order).

    w: (U, R, C), Σ w by unit over cases with both answered; own: (3 U, R, C), of the cases where every
    case is its own PSU; n: their unweighted number. Rows and columns without weight are left out; fewer
    than two of either: None. Contrasts without a variance are left out; all of them: None.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> units = sampled(ferry(), Design(clusters=("boat",)), "w").units
    >>> w = np.array([[2.0, 1, 1, 1], [1, 2, 1, 3], [2, 1, 0, 1], [1, 1, 1, 1]]).reshape(4, 2, 2)
    >>> [round(x, 4) for x in independence(w, None, 20, units)]
    [0.8999, 4.3151, 1.0, 3.0, 0.1293]
    """
    table = _table(w, own, units)
    if table is None:
        return None
    pi, expected, v = table.shares.ravel(), table.expected.ravel(), table.covariance
    chi2 = float(n * ((pi - expected) ** 2 / expected).sum())
    c = _interactions(*table.shares.shape)
    inverse = np.divide(1.0, pi, out=np.zeros_like(pi), where=pi > _NOTHING)
    inner = c.T @ (inverse[:, None] * c)
    if 1 / np.linalg.cond(inner, 1) < 1e-10:
        inverse = 1 / expected
        inner = c.T @ (inverse[:, None] * c)
    scaled = inverse[:, None] * c
    moving = table.moving(scaled.T, (inverse[:, None] * np.abs(c).max(0)).T)
    if not moving.any():
        return None
    scaled, inner = scaled[:, moving], inner[np.ix_(moving, moving)]
    try:
        delta = np.linalg.solve(inner / n, scaled.T @ v @ scaled)
    except np.linalg.LinAlgError:
        # Cells whose weights lie too far apart for any test of them all.
        return None
    trace, trace_squared = float(np.trace(delta)), float(np.trace(delta @ delta))
    if not (trace > 0 and trace_squared > 0):
        return None
    f, df1 = chi2 / trace, trace**2 / trace_squared
    df2 = df1 * units.degrees_of_freedom
    return chi2, f, df1, df2, float(scipy.special.fdtrc(df1, df2, f))


def wald(w: Floats, own: Floats | None, units: Units) -> tuple[float, float, float, float, float] | None:
    """wald, f, df1, df2, p of the adjusted Wald test of a stub × banner; w and own as above. None where
    there is nothing to test or the design has too few degrees of freedom for so many cells; differences
    without a variance are left out.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> units = sampled(ferry(), Design(clusters=("boat",)), "w").units
    >>> w = np.array([[2.0, 1, 1, 1], [1, 2, 1, 3], [2, 1, 0, 1], [1, 1, 1, 1]]).reshape(4, 2, 2)
    >>> [round(x, 4) for x in wald(w, None, units)]
    [5.0068, 5.0068, 1.0, 3.0, 0.1112]
    """
    table = _table(w, own, units)
    if table is None:
        return None
    height, width = table.shares.shape
    df = units.degrees_of_freedom
    rows, columns = table.shares.sum(1), table.shares.sum(0)
    at = np.indices((height, width)).reshape(2, -1)
    places = [(r, c) for r in range(height - 1) for c in range(width - 1)]
    cell = np.array([(at[0] == r) & (at[1] == c) for r, c in places], np.float64)
    margins = np.array([(at[0] == r) * columns[c] + (at[1] == c) * rows[r] for r, c in places])
    # d(π_rc − π_r· π_·c) by each cell.
    jacobian = cell - margins
    moving = table.moving(jacobian, cell + margins)
    jacobian, apart = jacobian[moving], (table.shares - table.expected)[:-1, :-1].ravel()[moving]
    k = len(jacobian)
    if not 0 < k <= df:
        return None
    v = jacobian @ table.covariance @ jacobian.T
    if not np.isfinite(v).all() or 1 / np.linalg.cond(v, 1) < 1e-12:
        return None
    statistic = float(apart @ np.linalg.solve(v, apart))
    if not statistic >= 0:
        return None
    f = (df - k + 1) / (k * df) * statistic
    return statistic, f, float(k), float(df - k + 1), float(scipy.special.fdtrc(k, df - k + 1, f))


def of_several_answers(
    shares: Floats, columns: Floats, covariance: Floats, n: int, df: int
) -> tuple[float, float, float, float, float] | None:
    """chi2, f, df1, df2, p of a several-answer question against a banner variable: every option's table of
    chosen or not, together (Rao and Scott's first- and second-order corrections; Bilder and Loughin, 2004).

    shares: (J, C), of each column who chose each option; columns: (C,), the columns' shares; covariance: (J
    · C, J · C), of the shares less those of everybody; n: cases. None where fewer than two columns or no
    option is left, or all covariances are 0.

    >>> shares, columns = np.array([[0.5, 0.3]]), np.array([0.5, 0.5])
    >>> v = np.array([[0.004, -0.004], [-0.004, 0.004]])
    >>> [round(x, 4) for x in of_several_answers(shares, columns, v, 100, 20)]
    [4.1667, 2.5, 1.0, 20.0, 0.1295]
    """
    all_of = shares @ columns
    if shares.shape[0] < 1 or shares.shape[1] < 2 or df < 1:
        return None
    scale = np.sqrt(columns / (all_of * (1 - all_of))[:, None]).ravel()
    apart = (shares - all_of[:, None]).ravel() * scale
    v = covariance * np.outer(scale, scale)
    trace, trace_squared, statistic = float(np.trace(v)), float((v * v.T).sum()), float(apart @ apart)
    if not (trace > 0 and trace_squared > 0 and np.isfinite(trace_squared)):
        return None
    f, df1 = statistic / trace, trace**2 / trace_squared
    df2 = df1 * df
    return n * statistic, f, df1, df2, float(scipy.special.fdtrc(df1, df2, f))
