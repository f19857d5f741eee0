"""A second reading of the definitions: every figure and test of a table from vectors over the cases, one
estimate at a time. Slow, plain, and without tallies; what the differential test holds the product against."""

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from scipy import linalg, stats

Vector = Any
"""An array, whatever it holds."""
EDGE, NOTHING = 1e-12, 1e-30
"""A weight that raking has driven to less than NOTHING of the whole is none in a test of a table."""


@dataclass
class Sample:
    """Cases: weight, stratum, PSU; population: PSUs of each case's stratum there; x, free: what weights
    were calibrated to, and the weights B is made of; replicates: (n, R) weights, each counting c;
    raked_again: to the margins."""

    w: Vector
    stratum: Vector
    psu: Vector
    policy: str = "certainty"
    population: Vector = None
    x: Vector = None
    free: Vector = None
    replicates: Vector = None
    c: Vector = None
    given_df: int | None = None
    raked_again: bool = False

    def __post_init__(self) -> None:
        self.units = {
            h: sorted(set(self.psu[self.stratum == h].tolist())) for h in sorted(set(self.stratum.tolist()))
        }

    @property
    def df(self) -> int:
        return (
            self.given_df
            if self.given_df is not None
            else sum(map(len, self.units.values())) - len(self.units)
        )

    def totals(self, z: Vector) -> dict[Any, Vector]:
        return {
            h: np.array([(self.w * z)[(self.stratum == h) & (self.psu == i)].sum() for i in units])
            for h, units in self.units.items()
        }

    def _formula(self, of: dict[Any, Vector], centred: bool, other: dict[Any, Vector] | None = None) -> float:
        other = of if other is None else other
        every, every2 = np.concatenate(list(of.values())), np.concatenate(list(other.values()))
        total, singles = 0.0, 0
        for h, t in of.items():
            u, n = other[h], len(t)
            f = n / self.population[self.stratum == h][0] if self.population is not None else 0.0
            if n == 1:
                singles += f < 1
                if f < 1 and self.policy == "centre":
                    total += (1 - f) * ((t - every.mean() * centred) @ (u - every2.mean() * centred))
            else:
                total += (1 - f) * n / (n - 1) * ((t - t.mean() * centred) @ (u - u.mean() * centred))
        return total * len(of) / (len(of) - singles) if self.policy == "average" else total

    def residual(self, z: Vector) -> tuple[Vector, Vector]:
        """z less x′B, and |x′B|."""
        if self.x is None or self.free is None:
            return z, np.zeros_like(z)
        b = np.linalg.pinv(self.x.T @ (self.free[:, None] * self.x), rcond=1e-12) @ (
            self.x.T @ (self.free * z)
        )
        return z - self.x @ b, np.abs(self.x @ b)

    def covariance(self, z: Vector, y: Vector) -> float:
        return self._formula(self.totals(self.residual(z)[0]), True, self.totals(self.residual(y)[0]))

    def variance(self, z: Vector, terms: Vector) -> float:
        e, fitted = self.residual(z)
        v, most = self._formula(self.totals(e), True), self._formula(self.totals(terms + fitted), False)
        return 0.0 if v <= 1e-20 * most else v


@dataclass
class Figure:
    """An estimate: Σ w a/Σ w b, or Σ w a where there is no b; z and the terms of z. shift: worked with a −
    shift · b, for digits."""

    sample: Sample
    a: Vector
    b: Vector | None
    inside: Vector
    shift: float = 0.0
    est: float = field(init=False)

    def __post_init__(self) -> None:
        w = self.sample.w
        self.base = 1.0 if self.b is None else float(w @ self.b)
        self.raw = self.a
        if self.b is not None:
            self.a = np.where(self.b > 0, self.a - self.shift * self.b, 0.0)
        self.moved = float(w @ self.a) / self.base if self.base > 0 else math.nan
        self.est = self.moved + self.shift
        self.base_n = int(((w > 0) & self.inside).sum())
        r, moved = (0.0, 0.0) if self.b is None else (self.est, self.moved)
        b = np.zeros_like(self.a) if self.b is None else self.b
        self.z, self.terms = (self.a - moved * b) / self.base, (np.abs(self.raw) + np.abs(r * b)) / self.base

    def again(self) -> Vector:
        """By replicate, NaN where it cannot be made."""
        w = self.sample.replicates
        assert w is not None
        top = w.T @ self.a
        if self.b is None:
            return top
        base = w.T @ self.b
        return np.where(base > 1e-11 * self.base, top / np.where(base > 0, base, 1), np.nan) + self.shift

    def size_again(self) -> Vector:
        return np.abs(self.again()) + abs(self.est)


class Slope:
    """The weighted least-squares slope of y on x over a base."""

    def __init__(self, sample: Sample, y: Vector, x: Vector, base: Vector, shift: float = 0.0) -> None:
        self.raw = np.where(base, np.abs(y + shift), 0.0)
        self.shift = abs(shift)
        self.sample, self.y, self.x, self.of = sample, np.where(base, y, 0.0), np.where(base, x, 0.0), base
        self.est, mean_y, mean_x, self.spread = self._line(sample.w)
        if self.spread > EDGE:
            apart = np.where(base, self.x - mean_x, 0.0) / self.spread
            self.z = apart * (self.y - mean_y - self.est * (self.x - mean_x))
            self.terms = np.abs(apart) * (
                self.raw + self.shift + abs(mean_y) + np.abs(self.est * (self.x - mean_x))
            )

    def _line(self, w: Vector) -> tuple[float, float, float, float]:
        w = w * self.of
        if not w.sum() > 0:
            return math.nan, math.nan, math.nan, 0.0
        mean_x, mean_y = float(w @ self.x) / w.sum(), float(w @ self.y) / w.sum()
        spread = float(w @ (self.x - mean_x) ** 2)
        return (
            (float(w @ ((self.x - mean_x) * (self.y - mean_y))) / spread if spread > 0 else math.nan),
            mean_y,
            mean_x,
            spread,
        )

    def again(self) -> Vector:
        assert self.sample.replicates is not None
        lines = [self._line(w) if np.isfinite(w).all() else (math.nan,) * 4 for w in self.sample.replicates.T]
        return np.array([b if spread > 1e-11 * self.spread else math.nan for b, _, _, spread in lines])

    def size_again(self) -> Vector:
        size = np.abs(self.again()) + abs(self.est)
        for r, w in enumerate(self.sample.replicates.T):
            if not math.isnan(size[r]):
                _, _, mean_x, spread = self._line(w)
                size[r] += float((w * self.of) @ np.abs((self.raw + self.shift) * (self.x - mean_x))) / spread
        return size


def variance_of(
    parts: Sequence[tuple[float, "Figure | Slope"]], terms: Sequence[float] | None = None
) -> float:
    """The variance of a sum of estimates, each times a number; terms: the sizes of what each number is
    made of."""
    sizes = [abs(k) for k, _ in parts] if terms is None else terms
    s = parts[0][1].sample
    if s.replicates is None:
        return s.variance(
            sum(k * f.z for k, f in parts), sum(k * f.terms for k, (_, f) in zip(sizes, parts, strict=True))
        )
    apart = sum(k * (f.again() - f.est) for k, f in parts)
    size = sum(k * f.size_again() for k, (_, f) in zip(sizes, parts, strict=True))
    v, most = float(s.c @ apart**2), float(s.c @ size**2)
    if not s.raked_again and s.c.sum() > 0:
        most /= s.c.sum() * min(sum(map(len, s.units.values())), 10_000)
    return 0.0 if v <= 1e-20 * most else v


def share_variance(f: Figure) -> float:
    if f.est <= EDGE or f.est >= 1 - EDGE:
        v = variance_of([(1, f)])
        return v if math.isnan(v) else 0.0
    v = variance_of([(1, f)])
    return 0.0 if v <= 1e-12 * f.est * (1 - f.est) / f.base_n else v


def limits(
    f: Figure, v: float, df: int, interval: dict[str, Any], share: bool
) -> tuple[float | None, float | None]:
    if df < 1 or math.isnan(v):
        return None, None
    sides, level = interval.get("sides", "both"), interval.get("level", 0.95)
    tail = (1 - level) / 2 if sides == "both" else 1 - level
    t, se, p, n = float(stats.t.isf(tail, df)), math.sqrt(v), f.est, f.base_n
    method = interval.get("method", "logit") if share else "wald"
    edge = share and (p <= EDGE or p >= 1 - EDGE)
    if share and not edge and v <= 0:
        low, high = p, p
    elif method == "wald":
        low, high = p - t * se, p + t * se
    elif method == "wilson":
        m, q = (n, round(p)) if edge else (p * (1 - p) / v, p)
        pq = 0.0 if edge else p * (1 - p)
        centre, half = (
            (q + t * t / (2 * m)) / (1 + t * t / m),
            t * math.sqrt(pq / m + t * t / (4 * m * m)) / (1 + t * t / m),
        )
        low, high = centre - half, centre + half
    elif method == "logit" and not edge:
        centre, half = math.log(p / (1 - p)), t * se / (p * (1 - p))
        low, high = 1 / (1 + math.exp(-(centre - half))), 1 / (1 + math.exp(-(centre + half)))
    else:
        m = float(n) if edge else min(p * (1 - p) / v * (float(stats.t.isf(tail, max(n - 1, 1))) / t) ** 2, n)
        x = (round(p) if edge else p) * m
        low = float(stats.beta.ppf(tail, x, m - x + 1)) if x > 0 else 0.0
        high = float(stats.beta.isf(tail, x + 1, m - x)) if m - x > 0 else 1.0
    if share and method != "wald":
        low, high = min(max(low, 0), 1), min(max(high, 0), 1)
    bounds = (0.0, 1.0) if share and method != "wald" else (None, None)
    return (bounds[0] if sides == "upper" else low), (bounds[1] if sides == "lower" else high)


@dataclass
class Table:
    """What a table is made of: coded stubs (codes, 0 where unanswered), a number (NaN), several answers
    (columns, NaN), one banner variable, a filter."""

    sample: Sample
    inside: Vector
    coded: dict[str, tuple[Vector, Sequence[int]]]
    numbers: dict[str, Vector]
    several: dict[str, Vector]
    banner: str | None
    interval: dict[str, Any]
    adjust: str = "none"

    def columns(self) -> Iterator[tuple[tuple[Any, ...], Vector]]:
        yield (), np.ones(len(self.inside), bool)
        if self.banner is not None:
            values, codes = self.coded[self.banner]
            for code in codes:
                yield ((self.banner, code),), values == code

    def cells(self) -> Iterator[tuple[tuple[Any, ...], dict[str, Any]]]:
        for name, (values, codes) in self.coded.items():
            yield from self._shares(name, [(code, values == code) for code in codes], values != 0)
            yield from self._means(name, np.where(values != 0, values, np.nan).astype(float))
        for name, values in self.numbers.items():
            yield from self._means(name, values)
        for name, parts in self.several.items():
            answered, chosen = ~np.isnan(parts).all(1), parts == 1
            yield from self._shares(
                name,
                [(k + 1, chosen[:, k]) for k in range(parts.shape[1])],
                answered,
                chosen.sum(1).astype(float),
            )

    def _cell(self, f: Figure, n: int | None, share: bool, deff: float | None, v: float) -> dict[str, Any]:
        low, high = limits(f, v, self.sample.df, self.interval, share)
        return {
            "est": f.est,
            "se": None if math.isnan(v) else math.sqrt(v),
            "low": low,
            "high": high,
            "n": n,
            "base_n": f.base_n,
            "deff": deff,
        }

    def _shares(
        self, name: str, rows: Sequence[tuple[int, Vector]], answered: Vector, m: Vector | None = None
    ) -> Iterator[tuple[tuple[Any, ...], dict[str, Any]]]:  # fmt: skip
        s, one = self.sample, (lambda x: x.astype(float))
        known = np.ones(len(answered), bool) if self.banner is None else self.coded[self.banner][0] != 0
        for path, column in self.columns():
            for code, row in rows:
                part = row & column & answered & self.inside
                n = int((part & (s.w > 0)).sum())
                count = Figure(s, one(part), None, part)
                v = variance_of([(1, count)])
                low, high = limits(count, v, s.df, self.interval, False)
                yield (name, code, path, "n"), {"est": n}
                se = None if math.isnan(v) else math.sqrt(v)
                yield (
                    (name, code, path, "count"),
                    {"est": count.est, "se": se, "low": low, "high": high, "n": n},
                )
                bases = {"col_pct": answered & column, "total_pct": answered & (known if path else True)}
                if path:
                    bases["row_pct"] = row & answered & known
                for stat, base in bases.items():
                    f = Figure(s, one(part), one(base & self.inside), base & self.inside)
                    if not f.base > 0:
                        continue
                    v, p = share_variance(f), f.est
                    deff = (
                        None
                        if not EDGE < p < 1 - EDGE or f.base_n < 2 or math.isnan(v)
                        else v / (p * (1 - p) / (f.base_n - 1))
                    )
                    yield (name, code, path, stat), self._cell(f, n, True, deff, v)
                if m is not None:
                    base = answered & column & self.inside
                    f = Figure(s, one(part), np.where(base, m, 0.0), base)
                    f.base_n = int(m[base & (s.w > 0)].sum())
                    if f.base > 0:
                        yield (
                            (name, code, path, "response_pct"),
                            self._cell(f, n, True, None, share_variance(f)),
                        )

    def _means(self, name: str, y: Vector) -> Iterator[tuple[tuple[Any, ...], dict[str, Any]]]:
        s = self.sample
        for path, column in self.columns():
            base = ~np.isnan(y) & column & self.inside
            f = Figure(
                s,
                np.where(base, np.nan_to_num(y), 0.0),
                base.astype(float),
                base,
                _first(y, base & (s.w > 0)),
            )
            if not f.base > 0:
                continue
            v = variance_of([(1, f)])
            there = base & (s.w > 0)
            w, values = s.w[there], y[there]
            # Small first: a mean of large values is not held to their last digits.
            apart = values - values[0]
            apart = apart - float(w @ apart) / w.sum()
            m2, m3, m4 = (float(w @ apart**k) / w.sum() for k in (2, 3, 4))
            varied = m2 > (1e-14 * math.sqrt(float(w @ values**2) / w.sum())) ** 2
            sd = math.sqrt(m2 * f.base_n / (f.base_n - 1)) if f.base_n > 1 and varied else 0.0
            cell = self._cell(
                f, None, False, v / (sd**2 / f.base_n) if sd > 0 and not math.isnan(v) else None, v
            )
            if f.base_n == 1:
                cell |= {"low": None, "high": None}
            yield (name, None, path, "mean"), cell
            if f.base_n > 1:
                yield (name, None, path, "sd"), {"est": sd}
            if varied:
                yield (name, None, path, "skewness"), {"est": m3 / m2**1.5}
                yield (name, None, path, "kurtosis"), {"est": m4 / m2**2 - 3}

    def tests(self) -> Iterator[tuple[tuple[Any, ...], dict[str, Any]]]:
        if self.banner is None or self.sample.df < 1:
            return
        values, codes = self.coded[self.banner]
        rows: list[tuple[tuple[str, int | None], Callable[[Vector], Figure], bool]] = []
        for name, (of, own) in self.coded.items():
            base = (of != 0) & self.inside
            rows += [((name, code), self._share(of == code, base), True) for code in own]
            rows.append(((name, None), self._mean(np.where(base, of, 0).astype(float), base), False))
        for name, y in self.numbers.items():
            base = ~np.isnan(y) & self.inside
            rows.append(((name, None), self._mean(np.where(base, np.nan_to_num(y), 0.0), base), False))
        for name, parts in self.several.items():
            base = ~np.isnan(parts).all(1) & self.inside
            rows += [
                ((name, k + 1), self._share(parts[:, k] == 1, base), True) for k in range(parts.shape[1])
            ]
        for key, make, share in rows:
            yield from self._pairs(key, [(code, make(values == code)) for code in codes], share)
        for name, (of, own) in self.coded.items():
            for kind, test in (("independence", self._independence), ("wald", self._wald)):
                found = test(of, own, values, codes)
                if found is not None:
                    yield (kind, name), found
        yield from self._slopes(values)

    def _slopes(self, x: Vector) -> Iterator[tuple[tuple[Any, ...], dict[str, Any]]]:
        both = self.inside & (x != 0)
        found: list[tuple[tuple[Any, ...], Vector, Vector, float]] = []
        for name, (of, own) in self.coded.items():
            found += [((name, code), (of == code).astype(float), of != 0, 0.0) for code in own]
            found.append(((name, None), of.astype(float), of != 0, 0.0))
        for name, y in self.numbers.items():
            base = ~np.isnan(y)
            shift = _first(y, base & self.inside)
            found.append(((name, None), np.nan_to_num(y - shift), base, shift))
        for name, parts in self.several.items():
            found += [
                ((name, k + 1), parts[:, k] == 1, ~np.isnan(parts).all(1), 0.0) for k in range(parts.shape[1])
            ]
        for key, y, base, shift in found:
            line = Slope(self.sample, y, x.astype(float), base & both, shift)
            v = variance_of([(1, line)]) if line.spread > EDGE else math.nan
            if v > 0:
                t = line.est / math.sqrt(v)
                p = 2 * float(stats.t.sf(abs(t), self.sample.df))
                yield ("trend", *key), {"slope": line.est, "se": math.sqrt(v), "t": t, "p": p}

    def _share(self, row: Vector, base: Vector) -> Callable[[Vector], Figure]:
        return lambda column: Figure(
            self.sample, (row & base & column).astype(float), (base & column).astype(float), base & column
        )

    def _mean(self, y: Vector, base: Vector) -> Callable[[Vector], Figure]:
        return lambda column: Figure(
            self.sample,
            np.where(column, y, 0.0),
            (base & column).astype(float),
            base & column,
            _first(y, base),
        )

    def _pairs(
        self, key: tuple[str, int | None], figures: list[tuple[int, Figure]], share: bool
    ) -> Iterator[tuple[tuple[Any, ...], dict[str, Any]]]:  # fmt: skip
        found = []
        for i, (a, f) in enumerate(figures):
            for b, g in figures[i + 1 :]:
                if f.base > 0 and g.base > 0:
                    v = variance_of([(1, f), (-1, g)])
                    noise = 1e-12 * sum(x.est * (1 - x.est) / x.base_n for x in (f, g)) if share else 0.0
                    if not math.isnan(v) and v > noise:
                        t = (f.est - g.est) / math.sqrt(v)
                        found.append(
                            (
                                (a, b),
                                f.est - g.est,
                                math.sqrt(v),
                                t,
                                2 * float(stats.t.sf(abs(t), self.sample.df)),
                            )
                        )
        p = np.array([x[-1] for x in found])
        for (pair, diff, se, t, own), fair in zip(found, adjusted(p, self.adjust), strict=True):
            yield ("columns", *key, *pair), {"diff": diff, "se": se, "t": t, "p": own, "p_adjusted": fair}

    def _wald(
        self, of: Vector, own: Sequence[int], values: Vector, codes: Sequence[int]
    ) -> dict[str, Any] | None:
        s = self.sample
        both = (of != 0) & (values != 0) & self.inside
        live = both & (s.w > NOTHING * s.w.sum())
        rows, columns = (
            [c for c in own if (live & (of == c)).any()],
            [c for c in codes if (live & (values == c)).any()],
        )
        if len(rows) < 2 or len(columns) < 2:
            return None

        def share(of_them: Vector) -> Figure:
            return Figure(s, (both & of_them).astype(float), both.astype(float), both)

        apart, differences = [], []
        for r in rows[:-1]:
            for c in columns[:-1]:
                cell, row, column = share((of == r) & (values == c)), share(of == r), share(values == c)
                parts = [(1.0, cell), (-column.est, row), (-row.est, column)]
                if variance_of(parts) > 0:
                    apart.append(parts)
                    differences.append(cell.est - row.est * column.est)
        k, df, d = len(apart), s.df, np.array(differences)
        if not 0 < k <= df:
            return None
        if s.replicates is None:
            z = [sum(times * f.z for times, f in parts) for parts in apart]
            v = np.array([[s.covariance(a, b) for b in z] for a in z])
        else:
            moved = np.stack([sum(times * (f.again() - f.est) for times, f in parts) for parts in apart])
            v = moved @ (s.c[:, None] * moved.T)
        if not np.isfinite(v).all() or 1 / np.linalg.cond(v, 1) < 1e-12:
            return None
        w = float(d @ np.linalg.solve(v, d))
        f = (df - k + 1) / (k * df) * w
        p = float(stats.f.sf(f, k, df - k + 1))
        return {"wald": w, "f": f, "df1": k, "df2": df - k + 1, "p": p} if w >= 0 else None

    def _independence(
        self, of: Vector, own: Sequence[int], values: Vector, codes: Sequence[int]
    ) -> dict[str, Any] | None:
        s = self.sample
        both = (of != 0) & (values != 0) & self.inside
        live = both & (s.w > NOTHING * s.w.sum())
        rows, columns = (
            [c for c in own if (live & (of == c)).any()],
            [c for c in codes if (live & (values == c)).any()],
        )
        if len(rows) < 2 or len(columns) < 2:
            return None
        cells = [(r, c) for r in rows for c in columns]
        shares = [
            Figure(s, (both & (of == r) & (values == c)).astype(float), both.astype(float), both)
            for r, c in cells
        ]
        pi = np.array([f.est for f in shares])
        grid = pi.reshape(len(rows), len(columns))
        expected = np.outer(grid.sum(1), grid.sum(0)).ravel()
        n = int((both & (s.w > 0)).sum())
        main = np.array(
            [[1.0, *(r == x for x in rows[1:]), *(c == x for x in columns[1:])] for r, c in cells]
        )
        inter = np.array(
            [[float(r == x and c == y) for x in rows[1:] for y in columns[1:]] for r, c in cells]
        )
        contrast = inter - main @ np.linalg.lstsq(main, inter, rcond=None)[0]
        inverse = np.where(pi > NOTHING, 1 / np.where(pi > 0, pi, 1), 0.0)
        if 1 / np.linalg.cond(contrast.T @ (inverse[:, None] * contrast), 1) < 1e-10:
            inverse = 1 / expected
        scaled = inverse[:, None] * contrast
        keep = [
            variance_of(
                list(zip(column.tolist(), shares, strict=True)), (inverse * np.abs(of).max()).tolist()
            )
            > 0
            for column, of in zip(scaled.T, contrast.T, strict=True)
        ]
        if not any(keep):
            return None
        scaled, contrast = scaled[:, keep], contrast[:, keep]
        if s.replicates is None:
            v = np.array([[s.covariance(f.z, g.z) for g in shares] for f in shares])
        else:
            apart = np.stack([f.again() - f.est for f in shares])
            v = apart @ (s.c[:, None] * apart.T)
        if not np.isfinite(v).all():
            return None
        delta = np.linalg.solve(contrast.T @ (inverse[:, None] * contrast) / n, scaled.T @ v @ scaled)
        trace, squared = float(np.trace(delta)), float(np.trace(delta @ delta))
        if trace <= 0:
            return None
        chi2 = n * float(((pi - expected) ** 2 / expected).sum())
        df1 = trace**2 / squared
        return {
            "chi2": chi2,
            "f": chi2 / trace,
            "df1": df1,
            "df2": df1 * s.df,
            "p": float(stats.f.sf(chi2 / trace, df1, df1 * s.df)),
        }


def _first(y: Vector, base: Vector) -> float:
    """A value among those that count."""
    return float(y[base][0]) if base.any() else 0.0


def adjusted(p: Vector, how: str) -> list[float]:
    m, order = len(p), np.argsort(p, kind="stable")
    out = p.copy()
    if how == "bonferroni":
        out = np.minimum(p * m, 1)
    elif how == "holm":
        for k, i in enumerate(order):
            out[i] = min(1, max((m - j) * p[order[j]] for j in range(k + 1)))
    elif how == "fdr":
        for k, i in enumerate(order):
            out[i] = min(1, min(m / (j + 1) * p[order[j]] for j in range(k, m)))
    return out.tolist()


def jackknife(sample: Sample, d: Vector) -> tuple[Vector, Vector]:
    """Base weights of each replicate, (n, R), and what each counts; strata of one PSU are passed over."""
    columns, c = [], []
    for h, units in sample.units.items():
        n, here = len(units), sample.stratum == h
        f = n / sample.population[here][0] if sample.population is not None else 0.0
        for i in units if n > 1 else ():
            left = here & (sample.psu == i)
            columns.append(np.where(left, 0.0, np.where(here, d * n / (n - 1), d)))
            c.append((1 - f) * (n - 1) / n)
    return (np.stack(columns, 1) if columns else np.zeros((len(d), 0))), np.array(c)


def bootstrap(sample: Sample, d: Vector, count: int, seed: int) -> tuple[Vector, Vector]:
    """Rescaled bootstrap; the draws, stratum by stratum, are those of NumPy's default generator."""
    draws, weights = np.random.default_rng(seed), np.repeat(d[:, None], count, 1)
    for h, units in sample.units.items():
        n, here = len(units), sample.stratum == h
        root = math.sqrt(1 - (n / sample.population[here][0] if sample.population is not None else 0.0))
        if n > 1:
            drawn = draws.multinomial(n - 1, [1 / n] * n, size=count)
            for k, i in enumerate(units):
                weights[here & (sample.psu == i)] *= 1 - root + root * n / (n - 1) * drawn[:, k]
    return weights, np.full(count, 1 / count)


def half_samples(sample: Sample, d: Vector, fay: float) -> tuple[Vector, Vector]:
    """Balanced half samples, the first unit of each stratum of two on the plus side."""
    size = 1
    while size < len(sample.units) + 1:
        size *= 2
    signs, weights = linalg.hadamard(size), np.repeat(d[:, None], size, 1)
    for k, (h, units) in enumerate(sample.units.items()):
        here = sample.stratum == h
        f = len(units) / sample.population[here][0] if sample.population is not None else 0.0
        for side, i in zip((1, -1), units if len(units) == 2 else (), strict=False):
            weights[here & (sample.psu == i)] *= 1 + side * signs[:, k + 1] * (1 - fay) * math.sqrt(1 - f)
    return weights, np.full(size, 1 / (size * (1 - fay) ** 2))


def rake_within_limits(
    d: Vector, x: Vector, targets: Vector, low: float, high: float, whole: float
) -> Vector | None:
    """w = clip(d · exp(x′λ), low · w̄, high · w̄) with x′w = targets · whole: the least of the dual
    function, which is convex, by Newton's method with halved steps. None: it cannot be done."""
    live = d > 0
    d, x, aim = d[live], x[live], targets * whole
    lowest, highest = low * whole / live.sum(), high * whole / live.sum()
    d = d * whole / d.sum()

    def weights(eta: Vector) -> Vector:
        return np.clip(d * np.exp(np.clip(eta, -500, 500)), lowest, highest)

    def dual(of: Vector) -> float:
        """Its derivative by eta is the weights."""
        eta, w = x @ of, weights(x @ of)
        at = np.clip(eta, np.log(lowest / d), np.log(highest / d))
        return float((d * np.exp(at) + w * (eta - at)).sum() - aim @ of)

    of = np.zeros(x.shape[1])
    for _ in range(300):
        w = weights(x @ of)
        gap = x.T @ w - aim
        if np.abs(gap).max() <= 1e-13 * whole:
            out = np.zeros(len(live))
            out[live] = w
            return out
        free = np.where((w > lowest) & (w < highest), w, 1e-6 * w)
        step, times = np.linalg.lstsq(x.T @ (free[:, None] * x), gap, rcond=1e-12)[0], 1.0
        start, far = dual(of), np.abs(gap).max()
        while times > 1e-9:
            there = of - times * step
            # Near the end a step's gain is less than the dual's digits show; the gap shows it.
            if (
                dual(there) < start - 1e-4 * times * float(gap @ step)
                or np.abs(x.T @ weights(x @ there) - aim).max() < far / 2
            ):
                break
            times /= 2
        of = of - times * step
    return None


def rake(
    d: Vector, margins: Sequence[tuple[Vector, dict[int, float], bool]], groups: Vector, whole: float
) -> Vector | None:
    """Weights raked inside each group to shares of its base weight; a held unknown (0) keeps its own.
    None: it cannot be done."""
    w = d / d.sum()
    share = {g: w[groups == g].sum() for g in set(groups.tolist())}
    worst = math.inf
    for _ in range(1_000):
        worst = 0.0
        for values, targets, hold in margins:
            for g, of_group in share.items():
                inside = groups == g
                unknown = (d / d.sum())[inside & (values == 0)].sum() if hold else 0.0
                for code, target in targets.items():
                    cell = inside & (values == code)
                    aim, now = target * (of_group - unknown), w[cell].sum()
                    worst = max(worst, abs(now - aim))
                    if now > 0:
                        w[cell] *= aim / now
                    elif aim > 0:
                        return None
                if hold and (cell := inside & (values == 0)).any() and unknown > 0:
                    worst = max(worst, abs(w[cell].sum() - unknown))
                    w[cell] *= unknown / w[cell].sum()
        if worst <= 1e-13:
            return w * whole
    return None
