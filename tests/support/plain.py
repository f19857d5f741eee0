"""The definitions of the estimates, written out case by case: slow, plain, and independent of the tallies."""

import math
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy import stats


@dataclass
class Plain:
    """A sample: weight, stratum and PSU of every case; n_population by stratum; how one-PSU strata count."""

    w: Sequence[float]
    stratum: Sequence[int]
    psu: Sequence[int]
    population: dict[int, float] | None = None
    single_psu: str = "add_nothing"

    def totals(self, z: Sequence[float]) -> dict[int, dict[int, float]]:
        """T_hi by stratum and PSU."""
        sums: dict[int, dict[int, float]] = defaultdict(lambda: defaultdict(float))
        for w, h, i, value in zip(self.w, self.stratum, self.psu, z, strict=True):
            sums[h][i] += w * value
        return sums

    @property
    def df(self) -> int:
        units = {(h, i) for h, i in zip(self.stratum, self.psu, strict=True)}
        return len(units) - len(set(self.stratum))

    def covariance(self, z: Sequence[float], y: Sequence[float]) -> float:
        """Σ_h (1 − f_h) n_h/(n_h − 1) Σ_i (T_hi − T̄_h)(U_hi − Ū_h)."""
        t, u = self.totals(z), self.totals(y)
        total, singles = 0.0, 0
        every = [(t[h][i], u[h][i]) for h in t for i in t[h]]
        mean_t, mean_u = (sum(pair[k] for pair in every) / len(every) for k in (0, 1))
        for h in t:
            n = len(t[h])
            f = n / self.population[h] if self.population else 0.0
            if n == 1:
                if f < 1:
                    singles += 1
                    if self.single_psu == "mean_of_units":
                        (i,) = t[h]
                        total += (1 - f) * (t[h][i] - mean_t) * (u[h][i] - mean_u)
                continue
            bar_t, bar_u = sum(t[h].values()) / n, sum(u[h].values()) / n
            total += (1 - f) * n / (n - 1) * sum((t[h][i] - bar_t) * (u[h][i] - bar_u) for i in t[h])
        if self.single_psu == "mean_of_strata":
            total *= len(t) / (len(t) - singles)
        return total

    def variance(self, z: Sequence[float]) -> float:
        return self.covariance(z, z)

    def ratio(self, a: Sequence[float], b: Sequence[float]) -> tuple[float, list[float]]:
        """R and its linearised values (a − R b)/Σ w b."""
        base = sum(w * x for w, x in zip(self.w, b, strict=True))
        r = sum(w * x for w, x in zip(self.w, a, strict=True)) / base
        return r, [(x - r * y) / base for x, y in zip(a, b, strict=True)]


def logit_interval(p: float, variance: float, n: int, df: int, level: float = 0.95) -> tuple[float, float]:
    """Limits on the logit scale; p of 0 or 1 by the beta interval with the unweighted base."""
    tail = (1 - level) / 2
    if p <= 1e-12 or p >= 1 - 1e-12:
        x = round(p) * n
        low = stats.beta.ppf(tail, x, n - x + 1) if x > 0 else 0.0
        high = stats.beta.isf(tail, x + 1, n - x) if x < n else 1.0
        return low, high
    if variance <= 1e-12 * p * (1 - p) / n:
        return p, p
    half = stats.t.isf(tail, df) * math.sqrt(variance) / (p * (1 - p))
    centre = math.log(p / (1 - p))
    return tuple(1 / (1 + math.exp(-(centre + sign * half))) for sign in (-1, 1))  # type: ignore[return-value]


def quantile(values: Sequence[float], weights: Sequence[float], q: float) -> float:
    """The smallest value whose cumulative weight passes q Σ w; where one equals it, the mean with the
    next."""
    order = sorted({v for v, w in zip(values, weights, strict=True) if w > 0})
    whole = sum(weights)
    running = 0.0
    for k, value in enumerate(order):
        running += sum(w for v, w in zip(values, weights, strict=True) if v == value)
        if abs(running - q * whole) <= 1e-9 * whole:
            return (value + order[k + 1]) / 2 if k + 1 < len(order) else value
        if running > q * whole:
            return value
    return order[-1]


def independence(
    sample: Plain, rows: Sequence[int | None], columns: Sequence[int | None]
) -> tuple[float, float, float] | None:
    """chi2, df1 and F of Rao and Scott's second-order test, from dense matrices."""
    known = [r is not None and c is not None for r, c in zip(rows, columns, strict=True)]
    weight = [w if k else 0.0 for w, k in zip(sample.w, known, strict=True)]
    live_rows = sorted({r for r, w in zip(rows, weight, strict=True) if w > 0})  # type: ignore[type-var]
    live_columns = sorted({c for c, w in zip(columns, weight, strict=True) if w > 0})  # type: ignore[type-var]
    if len(live_rows) < 2 or len(live_columns) < 2 or sample.df < 1:
        return None
    cells = [(r, c) for r in live_rows for c in live_columns]
    base = [float(k) for k in known]
    shares = [
        sample.ratio(
            [float(k and (r, c) == cell) for r, c, k in zip(rows, columns, known, strict=True)], base
        )
        for cell in cells
    ]
    pi = np.array([s[0] for s in shares])
    z = [s[1] for s in shares]
    v = np.array([[sample.covariance(a, b) for b in z] for a in z])
    grid = pi.reshape(len(live_rows), len(live_columns))
    expected = np.outer(grid.sum(1), grid.sum(0)).ravel()
    n = sum(w > 0 for w in weight)
    chi2 = n * ((pi - expected) ** 2 / expected).sum()
    main, both = [], []
    for r, c in cells:
        row = [float(r == x) for x in live_rows[1:]]
        column = [float(c == x) for x in live_columns[1:]]
        main.append([1.0, *row, *column])
        both.append([x * y for x in row for y in column])
    x1, x2 = np.array(main), np.array(both)
    contrast = x2 - x1 @ np.linalg.inv(x1.T @ x1) @ x1.T @ x2
    inverse = np.diag([1 / p if p > 0 else 0.0 for p in pi])
    inner = contrast.T @ inverse @ contrast
    if 1 / np.linalg.cond(inner, 1) < 1e-10:
        inverse = np.diag(1 / expected)
        inner = contrast.T @ inverse @ contrast
    delta = np.linalg.inv(inner / n) @ contrast.T @ inverse @ v @ inverse @ contrast
    trace, squared = np.trace(delta), np.trace(delta @ delta)
    if trace <= 0:
        return None
    return float(chi2), float(trace**2 / squared), float(chi2 / trace)
