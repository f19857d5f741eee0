"""Small surveys at their extremes, every figure worked out case by case from the definitions: shares of 0
and 1, empty cells, one category, strata and PSUs that a domain leaves empty, single PSUs under every
policy, strata drawn whole, weights of 0."""

import math
from typing import Any

import pytest
from builders import coded, raw, scale
from hypothesis import given, settings
from hypothesis import strategies as st
from plain import Plain
from scipy import stats

from even_ballot.core.calibration.weighted_sample import sampled
from even_ballot.core.data.codebook import Codebook, Variable
from even_ballot.core.data.dataset import Dataset
from even_ballot.core.data.interpretation import interpret
from even_ballot.core.sampling.design import Design
from even_ballot.core.tables.request import TableRequest
from even_ballot.core.tables.results import Cell, TableResult
from even_ballot.core.tables.tabulate import tabulate

CODES = {"q": (1, 2, 3), "b": (1, 2)}
SHARES = ("col_pct", "row_pct", "total_pct")
Answers = dict[str, list[Any]]


@st.composite
def surveys(draw: Any) -> dict[str, Any]:
    """A few cases in a few strata; answers that tend to be all alike, or to be missing."""
    n = draw(st.integers(2, 14))
    few = st.sampled_from([[1], [2], [1, 2], [1, 2, 3], [1, None], [1, 3, None]])

    def column(options: list[Any]) -> list[Any]:
        return [draw(st.sampled_from(options)) for _ in range(n)]

    stratum = column(draw(st.sampled_from([[1], [1, 2], [1, 2, 3]])))
    psu = column([1, 2, 3]) if draw(st.booleans()) else list(range(1, n + 1))
    w = column(draw(st.sampled_from([[1.0], [0.5, 1.0, 2.0], [0.0, 1.0, 2.5]])))
    counts = {h: len({i for g, i in zip(stratum, psu, strict=True) if g == h}) for h in stratum}
    whole = draw(st.sampled_from([None, 0, 2]))
    population = None if whole is None else [counts[h] + whole for h in stratum]
    return {
        "n": n, "q": column(draw(few)), "b": column(draw(st.sampled_from([[1], [1, 2], [2, None]]))),
        "y": column(draw(st.sampled_from([[3.0], [1.0, 2.0, None], [-1.5, 4.0, 8.0]]))), "h": stratum, "i": psu, "w": w,
        "f": column([1, 1, 0]), "N": population, "single": draw(st.sampled_from(["certainty", "centre", "average"])),
        "own": len(set(zip(stratum, psu, strict=True))) == n and draw(st.booleans()),
        "filtered": draw(st.booleans()), "method": draw(st.sampled_from(["wald", "logit", "wilson", "beta"])),
        "sides": draw(st.sampled_from(["both", "lower", "upper"])), "level": draw(st.sampled_from([0.9, 0.95])),
    }  # fmt: skip


def data_of(s: dict[str, Any]) -> Dataset:
    columns = {
        "q": coded(s["q"]), "b": coded(s["b"]), "y": ["" if y is None else str(y) for y in s["y"]],
        "h": [f"h{h}" for h in s["h"]], "i": [f"i{i}" for i in s["i"]], "f": [str(f) for f in s["f"]], "w": [str(w) for w in s["w"]],
    }  # fmt: skip
    if s["N"] is not None:
        columns["N"] = [str(x) for x in s["N"]]
    scales = {"q": scale(1, 2, 3), "b": scale(1, 2)}
    numbers = [Variable(name=name, kind="number") for name in ("y", "f", "w", "N") if name in columns]
    variables = (*(Variable(name=name, kind="coded", scale=name) for name in scales), *numbers)
    return interpret(raw(columns), Codebook(scales=scales, variables=variables))


def plain_of(s: dict[str, Any]) -> Plain:
    population = None if s["N"] is None else dict(zip(s["h"], s["N"], strict=True))
    return Plain(s["w"], s["h"], s["i"], population, s["single"])


def interval(p: float, v: float, n: int, df: int, s: dict[str, Any]) -> tuple[float | None, float | None]:
    """Limits of a share by the definitions; 0 and 1 on the open side, none for Wald."""
    tail = (1 - s["level"]) / (2 if s["sides"] == "both" else 1)
    t = stats.t.isf(tail, df)
    edge = p <= 1e-12 or p >= 1 - 1e-12
    m = float(n)
    if not edge and v == 0:
        low, high = p, p
    elif s["method"] == "wald":
        low, high = p - t * math.sqrt(v), p + t * math.sqrt(v)
    elif s["method"] == "wilson":
        m = m if edge else p * (1 - p) / v
        centre = (p + t * t / (2 * m)) / (1 + t * t / m)
        half = t * math.sqrt(p * (1 - p) / m + t * t / (4 * m * m)) / (1 + t * t / m)
        low, high = centre - half, centre + half
    elif s["method"] == "logit" and not edge:
        half = t * math.sqrt(v) / (p * (1 - p))
        at = math.log(p / (1 - p))
        low, high = (1 / (1 + math.exp(-(at + sign * half))) for sign in (-1, 1))
    else:
        if not edge:
            # A base of one case has no degrees of freedom; a share of one case is 0 or 1, so that does not
            # come here.
            m = min(p * (1 - p) / v * (stats.t.isf(tail, n - 1) / t) ** 2, n)
        x = p * m
        low = stats.beta.ppf(tail, x, m - x + 1) if x > 1e-9 else 0.0
        high = stats.beta.isf(tail, x + 1, m - x) if m - x > 1e-9 else 1.0
    open_low, open_high = (None, None) if s["method"] == "wald" else (0.0, 1.0)
    return (open_low if s["sides"] == "upper" else low), (open_high if s["sides"] == "lower" else high)


def expected(s: dict[str, Any], numerator: list[bool], base: list[bool]) -> dict[str, Any] | None:
    """A share of a base, or None where it is empty."""
    sample = plain_of(s)
    live = [b and w > 0 for b, w in zip(base, s["w"], strict=True)]
    n = sum(live)
    if n == 0:
        return None
    p, z = sample.ratio([float(x) for x in numerator], [float(x) for x in base])
    v = sample.variance(z)
    v = 0.0 if v <= 1e-12 * p * (1 - p) / n or p <= 1e-12 or p >= 1 - 1e-12 else v
    inside = 1e-12 < p < 1 - 1e-12
    low, high = interval(p, v, n, sample.df, s) if sample.df > 0 else (None, None)
    return {
        "est": p, "se": math.sqrt(v), "base_n": n, "n": sum(a and w > 0 for a, w in zip(numerator, s["w"], strict=True)),
        "low": low, "high": high, "deff": v / (p * (1 - p) / (n - 1)) if inside and n > 1 else None,
    }  # fmt: skip


def counted(s: dict[str, Any]) -> TableResult | None:
    """The table, or None where the design stops: nobody has a weight, or `average` has no other stratum."""
    data = data_of(s)
    design = {"strata": ["h"], "single_psu": s["single"], "population_size": None if s["N"] is None else "N"}
    sample = plain_of(s)
    units = sample.totals([1.0] * s["n"])
    singles = [
        h
        for h in units
        if len(units[h]) == 1 and not (s["N"] is not None and (sample.population or {})[h] == 1)
    ]
    if sum(s["w"]) == 0 or (s["single"] == "average" and singles and len(singles) == len(units)):
        return None
    request = TableRequest.model_validate({
        "id": "t", "stub": ["q", "y"], "banner": ["b"], "show": ["n", "count", *SHARES, "mean", "sd"], "where": "f == 1" if s["filtered"] else None,
        "interval": {"level": s["level"], "method": s["method"], "sides": s["sides"]},
    })  # fmt: skip
    made = Design.model_validate(design | ({} if s["own"] else {"clusters": ["i"]}))
    return tabulate(sampled(data, made, "w"), request)


def agrees(cell: Cell, wanted: dict[str, Any], about: Any) -> None:
    for name, value in wanted.items():
        mine = getattr(cell, name)
        assert (mine is None) is (value is None), (about, name, mine, value)
        if value is not None:
            assert mine == pytest.approx(value, rel=1e-7, abs=1e-10), (about, name)


@settings(max_examples=150, deadline=None)
@given(surveys())
def test_shares_and_counts_at_the_extremes(s: dict[str, Any]) -> None:
    result = counted(s)
    if result is None:
        return
    cells = {
        (c.stub.variable, c.stub.code, c.banner[0].code if c.banner else None, c.stat): c
        for c in result.cells
    }
    inside = [not s["filtered"] or f == 1 for f in s["f"]]
    for code in CODES["q"]:
        for b in (None, *CODES["b"]):
            column = [i and (b is None or x == b) for i, x in zip(inside, s["b"], strict=True)]
            in_cell = [c and q == code for c, q in zip(column, s["q"], strict=True)]
            answered = [c and q is not None for c, q in zip(column, s["q"], strict=True)]
            both = [
                i and q is not None and x is not None for i, q, x in zip(inside, s["q"], s["b"], strict=True)
            ]
            in_row = [
                i and q == code and x is not None for i, q, x in zip(inside, s["q"], s["b"], strict=True)
            ]
            bases = {"col_pct": answered, "row_pct": in_row, "total_pct": answered if b is None else both}
            for stat, base in bases.items():
                cell = cells.get(("q", code, b, stat))
                wanted = None if stat == "row_pct" and b is None else expected(s, in_cell, base)
                assert (cell is None) is (wanted is None), (stat, code, b)
                if cell is not None and wanted is not None:
                    agrees(cell, wanted, (stat, code, b))
            total = [float(x) for x in in_cell]
            count = cells["q", code, b, "count"]
            assert count.est == pytest.approx(sum(w * x for w, x in zip(s["w"], total, strict=True)))
            assert count.se == pytest.approx(math.sqrt(plain_of(s).variance(total)), rel=1e-7, abs=1e-9)
            assert cells["q", code, b, "n"].est == sum(
                x and w > 0 for x, w in zip(in_cell, s["w"], strict=True)
            )


@settings(max_examples=150, deadline=None)
@given(surveys())
def test_means_at_the_extremes(s: dict[str, Any]) -> None:
    result = counted(s)
    if result is None:
        return
    sample = plain_of(s)
    for name in ("q", "y"):
        for b in (None, *CODES["b"]):
            live = [
                (not s["filtered"] or f == 1) and (b is None or x == b) and y is not None
                for f, x, y in zip(s["f"], s["b"], s[name], strict=True)
            ]
            n = sum(x and w > 0 for x, w in zip(live, s["w"], strict=True))
            found = {c.stat: c for c in result.cells if c.stub.variable == name and c.stub.code is None
                     and (c.banner[0].code if c.banner else None) == b}  # fmt: skip
            assert ("mean" in found) is (n > 0)
            assert ("sd" in found) is (n > 1)
            if n == 0:
                continue
            values = [y if x else 0.0 for x, y in zip(live, s[name], strict=True)]
            mean, z = sample.ratio(values, [float(x) for x in live])
            weight = sum(w for w, x in zip(s["w"], live, strict=True) if x)
            spread = (
                sum(w * (y - mean) ** 2 for w, y, x in zip(s["w"], values, live, strict=True) if x) / weight
            )
            square = spread * n / (n - 1) if n > 1 else None
            v = sample.variance(z)
            v = 0.0 if square is not None and v <= 1e-12 * square / n else v
            cell = found["mean"]
            assert cell.est == pytest.approx(mean)
            assert cell.base_n == n
            if n > 1:
                assert found["sd"].est == pytest.approx(math.sqrt(square or 0), abs=1e-9)
                assert cell.se == pytest.approx(math.sqrt(v), rel=1e-7, abs=1e-9)
            if n == 1 or sample.df < 1:
                assert cell.low is None
                assert cell.high is None
            else:
                t = stats.t.isf((1 - s["level"]) / (2 if s["sides"] == "both" else 1), sample.df)
                agrees(cell, {
                    "low": None if s["sides"] == "upper" else mean - t * math.sqrt(v),
                    "high": None if s["sides"] == "lower" else mean + t * math.sqrt(v),
                }, name)  # fmt: skip
