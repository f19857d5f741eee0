"""Tables against a plain, case-by-case reading of the definitions, on random designs."""

import math
from typing import Any

import numpy as np
import pytest
from builders import coded, dataset, scale
from hypothesis import given, settings
from hypothesis import strategies as st
from plain import Plain, independence, logit_interval, quantile

from even_ballot.core.calibration.weighted_sample import sampled
from even_ballot.core.faults import StudyError
from even_ballot.core.sampling.design import Design
from even_ballot.core.tables.results import TableResult
from even_ballot.core.tables.table_request import TableRequest
from even_ballot.core.tables.tabulate import tabulate


@st.composite
def samples(draw: st.DrawFn) -> dict[str, Any]:
    """A small sample: strata, PSUs within them, weights (some 0), a stub, a banner, a number, with gaps."""
    rng = np.random.default_rng(draw(st.integers(0, 2**32 - 1)))
    n = draw(st.integers(8, 60))
    strata = draw(st.integers(1, 3))
    stratum = rng.integers(0, strata, n)
    psu = rng.integers(0, 4, n)
    weights = np.round(rng.gamma(3, 0.4, n), 3) * (rng.random(n) > 0.05)
    weights[0] = 1.5
    gap = draw(st.sampled_from([0.0, 0.15]))

    def with_gaps(codes: np.ndarray) -> list[int | None]:
        return [None if hole < gap else int(code) for code, hole in zip(codes, rng.random(n), strict=True)]

    return {
        "stratum": stratum.tolist(), "psu": psu.tolist(), "w": weights.tolist(),
        "q": with_gaps(rng.integers(1, draw(st.integers(2, 5)), n)), "b": with_gaps(rng.integers(1, 4, n)),
        "y": [None if y is None else y / 2 for y in with_gaps(rng.integers(0, 30, n))],
        "clustered": draw(st.booleans()), "single": draw(st.sampled_from(["add_nothing", "mean_of_units"])),
    }  # fmt: skip


def run(sample: dict[str, Any], **request: Any) -> tuple[Any, Plain]:
    columns = {k: coded(sample[k]) for k in ("stratum", "psu", "w", "q", "b", "y")}
    data = dataset(columns, q=scale(1, 2, 3, 4), b=scale(1, 2, 3))
    clusters = ("psu",) if sample["clustered"] else ()
    design = Design(weight="w", strata=("stratum",), clusters=clusters, single_psu=sample["single"])
    table = tabulate(sampled(data, design, "w"), TableRequest(id="t", **request))
    psu = sample["psu"] if sample["clustered"] else list(range(len(sample["w"])))
    return table, Plain(sample["w"], sample["stratum"], psu, single_psu=sample["single"])


def cell(table: TableResult, stat: str, code: int | None, banner: int | None) -> Any:
    found = [
        c
        for c in table.cells
        if c.stat == stat
        and c.stub.code == code
        and (c.banner[0].code if c.banner else None) == banner
        and len(c.banner) < 2
    ]
    assert len(found) <= 1
    return found[0] if found else None


def close(a: float | None, b: float, absolute: float = 1e-9) -> bool:
    return a is not None and math.isclose(a, b, rel_tol=1e-7, abs_tol=absolute)


@settings(max_examples=60, deadline=None)
@given(samples())
def test_percentages_follow_their_definitions(sample: dict[str, Any]) -> None:
    table, plain = run(
        sample, stub=("q",), banner=("b",), show=("n", "count", "col_pct", "row_pct", "total_pct")
    )
    q, b, w = sample["q"], sample["b"], sample["w"]
    for code in (1, 2, 3, 4):
        for column in (None, 1, 2, 3):
            here = [column is None or x == column for x in b]
            chosen = [float(x == code and h) for x, h in zip(q, here, strict=True)]
            bases = {
                "col_pct": [float(x is not None and h) for x, h in zip(q, here, strict=True)],
                "row_pct": [float(x == code and y is not None) for x, y in zip(q, b, strict=True)],
                "total_pct": [
                    float(x is not None and (column is None or y is not None))
                    for x, y in zip(q, b, strict=True)
                ],
            }
            n = sum(c > 0 and x > 0 for c, x in zip(chosen, w, strict=True))
            assert cell(table, "n", code, column).est == n
            count = cell(table, "count", code, column)
            assert close(count.est, sum(c * x for c, x in zip(chosen, w, strict=True)))
            if plain.df:
                assert close(count.se, math.sqrt(max(plain.variance(chosen), 0)), 1e-7)
            for stat, base in bases.items():
                if stat == "row_pct" and column is None:
                    assert cell(table, stat, code, None) is None
                    continue
                base_n = sum(x > 0 and y > 0 for x, y in zip(base, w, strict=True))
                got = cell(table, stat, code, column)
                if base_n == 0:
                    assert got is None
                    continue
                p, z = plain.ratio(chosen, base)
                variance = plain.variance(z)
                assert close(got.est, p)
                assert (got.n, got.base_n) == (n, base_n)
                if not plain.df:
                    assert got.low is got.high is None
                    continue
                low, high = logit_interval(p, variance, base_n, plain.df)
                assert close(got.se, math.sqrt(max(variance, 0)), 1e-7)
                if variance > 1e-9:
                    assert close(got.low, low, 1e-7)
                    assert close(got.high, high, 1e-7)
                if 1e-12 < p < 1 - 1e-12 and base_n > 1:
                    assert close(got.deff, variance / (p * (1 - p) / (base_n - 1)), 1e-6)
                else:
                    assert got.deff is None


@settings(max_examples=40, deadline=None)
@given(samples())
def test_numbers_follow_their_definitions(sample: dict[str, Any]) -> None:
    table, plain = run(
        sample, stub=("y", "q"), banner=("b",), show=("mean", "sd", "median", "skewness", "kurtosis")
    )
    for name in ("y", "q"):
        for column in (None, 1, 2, 3):
            inside = [
                float(v is not None and (column is None or x == column))
                for v, x in zip(sample[name], sample["b"], strict=True)
            ]
            value = [0.0 if v is None else float(v) for v in sample[name]]
            kept = [(v, w) for v, w, i in zip(value, sample["w"], inside, strict=True) if i and w > 0]
            of_column = {
                c.stat: c
                for c in table.cells
                if c.stub.variable == name and [s.code for s in c.banner] == ([column] if column else [])
            }
            if not kept:
                assert not of_column
                continue
            mean, z = plain.ratio([v * i for v, i in zip(value, inside, strict=True)], inside)
            n, whole = len(kept), sum(w for _, w in kept)
            m2, m3, m4 = (sum(w * (v - mean) ** k for v, w in kept) / whole for k in (2, 3, 4))
            assert close(of_column["mean"].est, mean)
            assert of_column["mean"].base_n == n
            assert close(of_column["median"].est, quantile([v for v, _ in kept], [w for _, w in kept], 0.5))
            if n > 1:
                assert close(of_column["sd"].est, math.sqrt(m2 * n / (n - 1)), 1e-8)
            else:
                assert "sd" not in of_column
                assert of_column["mean"].low is of_column["mean"].high is None
            if m2 > 1e-9:
                assert close(of_column["skewness"].est, m3 / m2**1.5, 1e-7)
                assert close(of_column["kurtosis"].est, m4 / m2**2 - 3, 1e-7)
            if plain.df and n > 1:
                assert close(of_column["mean"].se, math.sqrt(max(plain.variance(z), 0)), 1e-7)


@settings(max_examples=30, deadline=None)
@given(samples())
def test_independence_follows_its_definition(sample: dict[str, Any]) -> None:
    table, plain = run(sample, stub=("q",), banner=("b",), show=("n",), tests=("independence",))
    want = independence(plain, sample["q"], sample["b"])
    if want is None:
        assert table.tests == ()
        return
    (got,) = table.tests
    assert close(got.chi2, want[0], 1e-7)
    if want[2] < 1e6:
        assert math.isclose(got.df1, want[1], rel_tol=1e-4)
        assert math.isclose(got.f, want[2], rel_tol=1e-4)


@settings(max_examples=30, deadline=None)
@given(samples())
def test_columns_are_compared_with_their_covariance(sample: dict[str, Any]) -> None:
    table, plain = run(
        sample, stub=("q",), banner=("b",), show=("col_pct",), tests=("columns",), adjust="bonferroni"
    )
    for test in table.tests:
        sides = []
        for column in (test.a[0], test.b[0]):
            base = [
                float(q is not None and b == column) for q, b in zip(sample["q"], sample["b"], strict=True)
            ]
            sides.append(
                plain.ratio(
                    [x * (q == test.stub["code"]) for x, q in zip(base, sample["q"], strict=True)], base
                )
            )
        (p_a, z_a), (p_b, z_b) = sides
        assert close(test.diff, p_a - p_b)
        assert close(test.se, math.sqrt(plain.variance([x - y for x, y in zip(z_a, z_b, strict=True)])), 1e-7)
        pairs = sum(t.stub == test.stub for t in table.tests)
        assert close(test.p_adjusted, min(1.0, test.p * pairs))


def _simple(**request: Any) -> TableResult:
    data = dataset(
        {"q": ["1", "2", "1", "7", "", "2"], "b": ["1", "1", "2", "2", "2", "1"]},
        q=scale(1, 2, 3),
        b=scale(1, 2, 3),
    )
    return tabulate(sampled(data, Design()), TableRequest(id="t", **request))


def test_every_code_has_its_row_and_a_stray_code_follows_marked() -> None:
    table = _simple(stub=("q",), banner=("b",), show=("n",))
    assert [(c.code, c.in_codebook) for c in table.stubs[0].categories] == [
        (1, True),
        (2, True),
        (3, True),
        (7, False),
    ]
    assert [c.est for c in table.cells if c.stub.code == 3] == [0, 0, 0, 0]


def test_a_stray_code_counts_in_bases_but_not_in_means() -> None:
    table = _simple(stub=("q",), show=("col_pct", "mean"))
    shares = {c.stub.code: c for c in table.cells if c.stat == "col_pct"}
    mean = next(c for c in table.cells if c.stat == "mean")
    assert (shares[7].est, shares[7].base_n) == (0.2, 5)
    assert (mean.est, mean.base_n) == (1.5, 4)


def test_the_total_column_takes_everybody_whatever_they_answered_in_the_banner() -> None:
    data = dataset({"q": ["1", "2", "1"], "b": ["1", "", "2"]}, q=scale(1, 2), b=scale(1, 2))
    table = tabulate(
        sampled(data, Design()),
        TableRequest(id="t", stub=("q",), banner=("b",), show=("n",)),
    )
    assert [c.est for c in table.cells if not c.banner] == [2, 1]
    assert sum(c.est for c in table.cells if c.banner) == 2


def test_a_filter_is_a_domain_that_removes_nobody_from_the_design() -> None:
    data = dataset(
        {"q": ["1", "2", "1", "2"], "g": ["1", "1", "2", "2"], "h": ["1", "2", "3", "4"]}, q=scale(1, 2)
    )
    design = Design(strata=("g",), clusters=("h",))
    table = tabulate(
        sampled(data, design),
        TableRequest(id="t", stub=("q",), show=("n", "count"), where="g == 1"),
    )
    counts = [c for c in table.cells if c.stat == "count"]
    assert table.in_filter == 2
    assert [c.est for c in counts] == [1, 1]
    assert all(c.se == 1.0 for c in counts)


@pytest.mark.parametrize(
    ("request_", "what"),
    [
        ({"stub": ()}, "no stub"),
        ({"stub": ("nobody",)}, "no variable 'nobody'"),
        ({"stub": ("q",), "banner": ("words",)}, "only coded variables and dates can be in a banner"),
        ({"stub": ("q",), "where": "q >"}, "is not a valid formula"),
    ],
)
def test_what_does_not_fit_is_said_with_its_place(request_: dict[str, Any], what: str) -> None:
    data = dataset({"q": ["1", "2"], "words": ["a", "b"]}, q=scale(1, 2))
    with pytest.raises(StudyError, match=what) as error:
        tabulate(sampled(data, Design()), TableRequest(id="t", **request_))
    assert error.value.faults[0].where.startswith("tables[0].")
