"""A second reading of the definitions: every figure and test of a table from vectors over the cases, one
estimate at a time. Slow, plain, and without tallies; what the differential test holds the product against."""

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from reading_estimates import (
    EDGE,
    NOTHING,
    Figure,
    Sample,
    Slope,
    Vector,
    limits,
    share_variance,
    variance_of,
)
from scipy import stats


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
        for name, parts in self.several.items():
            found = several_independence(self.sample, parts, values, codes, self.inside)
            if found is not None:
                yield ("independence", name), found
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

    def _live(
        self, of: Vector, own: Sequence[int], values: Vector, codes: Sequence[int]
    ) -> tuple[Vector, list[int], list[int]]:
        """Who answered both, and the rows and columns with weight."""
        both = (of != 0) & (values != 0) & self.inside
        live = both & (self.sample.w > NOTHING * self.sample.w.sum())
        rows = [c for c in own if (live & (of == c)).any()]
        return both, rows, [c for c in codes if (live & (values == c)).any()]

    def _wald(
        self, of: Vector, own: Sequence[int], values: Vector, codes: Sequence[int]
    ) -> dict[str, Any] | None:
        s = self.sample
        both, rows, columns = self._live(of, own, values, codes)
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
        both, rows, columns = self._live(of, own, values, codes)
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


def several_independence(
    s: Sample, parts: Vector, values: Vector, codes: Sequence[int], inside: Vector
) -> dict[str, Any] | None:
    """The test of a several-answer question, (n, J), against a banner variable, 0 where unanswered."""
    both = ~np.isnan(parts).all(1) & (values != 0) & inside
    live = both & (s.w > NOTHING * s.w.sum())
    columns = [code for code in codes if (live & (values == code)).any()]
    chosen, found = np.nan_to_num(parts), list[tuple[float, list[tuple[float, Figure]]]]()
    for j in range(parts.shape[1]):
        whole = Figure(s, chosen[:, j] * both, both.astype(float), both)
        for code in columns if EDGE < whole.est < 1 - EDGE else ():
            own = both & (values == code)
            part = Figure(s, chosen[:, j] * own, own.astype(float), own)
            scale = float(s.w @ own / (s.w @ both)) / (whole.est * (1 - whole.est))
            found.append((scale, [(1.0, part), (-1.0, whole)]))
    if len(columns) < 2 or not found:
        return None
    a, d = np.array([scale for scale, _ in found]), np.array([p.est - q.est for _, ((_, p), (_, q)) in found])
    moving = np.array([variance_of(pair) > 0 for _, pair in found])
    if s.replicates is None:
        z = [p.z - q.z for _, ((_, p), (_, q)) in found]
        v = np.array([[s.covariance(x, y) for y in z] for x in z])
    else:
        apart = np.stack([p.again() - q.again() - (p.est - q.est) for _, ((_, p), (_, q)) in found])
        v = apart @ (s.c[:, None] * apart.T)
    v = np.where(np.outer(moving, moving), v, 0.0) if np.isfinite(v).all() else np.full_like(v, np.nan)
    trace, squared = float(a @ np.diag(v)), float(np.trace(np.diag(a) @ v @ np.diag(a) @ v))
    if not trace > 0 or s.df < 1:
        return None
    f, df1 = float(a @ d**2) / trace, trace**2 / squared
    chi2, df2 = int((both & (s.w > 0)).sum()) * float(a @ d**2), df1 * s.df
    return {"chi2": chi2, "f": f, "df1": df1, "df2": df2, "p": float(stats.f.sf(f, df1, df2))}


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
