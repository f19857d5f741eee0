"""Nets, quantiles, modes, plain estimates, degrees of freedom by cell, trend and Wald tests, against slow,
plain readings."""

from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from plain import Plain, quantile
from scipy import stats
from surveys import results, survey

from even_ballot.core.faults import StudyError
from even_ballot.core.study.results import Results

SEEDS = st.integers(0, 10**6)
CLUSTERED, ALONE = {"strata": ["h"], "clusters": ["i"]}, {"strata": ["h"]}


def plainly(found: Results, own: bool) -> Plain:
    data = found.data
    psu = np.arange(data.n) if own else data.column("i").values
    h = data.column("h").values.astype(int).tolist()
    return Plain(data.column("d").values.tolist(), h, psu.astype(int).tolist())


def pick(found: Results, **of: Any) -> list[Any]:
    cells = found.tables[0].cells
    for name, value in of.items():
        if name == "banner":
            cells = tuple(c for c in cells if tuple(b.code for b in c.banner) == value)
        elif name == "stat":
            cells = tuple(c for c in cells if c.stat == value)
        else:
            cells = tuple(c for c in cells if getattr(c.stub, name) == value)
    return list(cells)


@settings(max_examples=10, deadline=None)
@given(SEEDS, st.booleans(), st.booleans())
def test_a_net_is_its_categories_taken_as_one(seed: int, own: bool, calibrated: bool) -> None:
    design = {**(ALONE if own else CLUSTERED), "calibrated": calibrated}
    raked = {
        "margins": [
            {"by": ["b"], "targets": [{"at": {"b": 1}, "value": 0.4}, {"at": {"b": 2}, "value": 0.6}]}
        ]
    }
    nets = [
        {"label": "high", "stub": "q", "codes": [2, 3]},
        {"label": "top", "top": 2, "stub": "q"},
        {"label": "any", "stub": "many", "codes": [1, 2]},
    ]
    data = survey(seed)
    found = results(
        data,
        design,
        raked if calibrated else None,
        nets=nets,
        stub=["q", "many"],
        show=["n", "count", "col_pct", "row_pct"],
    )
    rest = pick(found, variable="q", code=1, stat="col_pct", banner=())[0]
    high, top = (
        pick(found, variable="q", net=label, stat="col_pct", banner=())[0] for label in ("high", "top")
    )
    assert high.est == pytest.approx(1 - rest.est)
    # What is not in the net is all the rest, so both are as uncertain.
    assert high.se == pytest.approx(rest.se)
    assert (top.est, top.se) == pytest.approx((high.est, high.se))
    assert high.n == rest.base_n - rest.n
    if calibrated:
        return
    answered = found.data.column("m1").answered | found.data.column("m2").answered
    chosen = (found.data.column("m1").values == 1) | (found.data.column("m2").values == 1)
    p, z = plainly(found, own).ratio(
        (chosen & answered).astype(float).tolist(), answered.astype(float).tolist()
    )
    any_of = pick(found, variable="many", net="any", stat="col_pct", banner=())[0]
    assert any_of.est == pytest.approx(p)
    assert any_of.se == pytest.approx(plainly(found, own).variance(z) ** 0.5)


@pytest.mark.parametrize(
    ("net", "what"),
    [
        ({"label": "x", "stub": "y", "codes": [1]}, "y is not a stub variable of this table"),
        ({"label": "x", "stub": "q", "codes": [1, 9]}, "q has no category 9"),
        ({"label": "x", "codes": [1], "top": 1}, "give one of the three"),
    ],
)
def test_a_net_that_does_not_fit_is_named(net: dict[str, Any], what: str) -> None:
    with pytest.raises(StudyError) as error:
        results(survey(1), CLUSTERED, nets=[net], stub=["q"])
    assert what in str(error.value)


@settings(max_examples=8, deadline=None)
@given(SEEDS)
def test_quantiles_and_modes_follow_their_definitions(seed: int) -> None:
    found = results(survey(seed), CLUSTERED, stub=["q", "y"], show=["q25", "median", "q90", "mode"], tests=[])
    data, w = found.data, found.data.column("d").values
    for name in ("q", "y"):
        column = data.column(name)
        there = column.answered
        for stat, q in (("q25", 0.25), ("median", 0.5), ("q90", 0.9)):
            cell = pick(found, variable=name, stat=stat, banner=())[0]
            assert cell.est == pytest.approx(quantile(column.values[there].tolist(), w[there].tolist(), q))
            assert cell.low is not None
            assert cell.high is not None
            assert cell.low <= cell.est <= cell.high
        sums = {v: w[there & (column.values == v)].sum() for v in np.unique(column.values[there])}
        assert [c.est for c in pick(found, variable=name, stat="mode", banner=())] == [
            v for v, s in sums.items() if s == pytest.approx(max(sums.values()), rel=1e-12)
        ]


def test_modes_that_tie_are_all_named() -> None:
    found = results(survey(1), {"weight": None}, stub=["a"], show=["mode"], tests=[], banner=[])
    assert [c.est for c in found.tables[0].cells] == [1, 2, 3]


def test_a_quantile_is_said_by_its_per_cent() -> None:
    with pytest.raises(StudyError, match="there is no figure 'q101'"):
        results(survey(1), {}, show=["q101"])


@settings(max_examples=8, deadline=None)
@given(SEEDS, st.booleans())
def test_plain_estimates_are_those_of_a_simple_random_sample(seed: int, own: bool) -> None:
    found = results(
        survey(seed),
        ALONE if own else CLUSTERED,
        plain=True,
        stub=["q", "y"],
        show=["col_pct", "mean"],
        tests=[],
    )
    data, w = found.data, found.data.column("d").values
    for name in ("q", "y"):
        column = data.column(name)
        y, u = column.values[column.answered], w[column.answered]
        cell = pick(found, variable=name, code=None, stat="mean", banner=())[0]
        assert cell.plain is not None
        assert cell.plain.unweighted == pytest.approx(y.mean())
        assert cell.plain.unweighted_se == pytest.approx(y.std(ddof=1) / len(y) ** 0.5)
        assert cell.plain.weighted == pytest.approx(np.average(y, weights=u))
        spread = np.average((y - np.average(y, weights=u)) ** 2, weights=u) * len(y) / (len(y) - 1)
        assert cell.plain.weighted_se == pytest.approx((spread / len(y)) ** 0.5)
    share = pick(found, variable="q", code=2, stat="col_pct", banner=())[0]
    chosen = data.column("q").values[data.column("q").answered] == 2
    assert share.plain is not None
    assert share.plain.unweighted == pytest.approx(chosen.mean())
    assert share.plain.unweighted_se == pytest.approx(
        (chosen.mean() * (1 - chosen.mean()) / (len(chosen) - 1)) ** 0.5
    )
    # The design effect is the variance over the plain weighted one.
    assert share.se**2 / share.plain.weighted_se**2 == pytest.approx(share.deff)


@settings(max_examples=8, deadline=None)
@given(SEEDS, st.sampled_from([CLUSTERED, ALONE, {**CLUSTERED, "variance": {"method": "jackknife"}}]))
def test_degrees_of_freedom_of_a_cell_are_those_of_the_cases_of_its_base(
    seed: int, design: dict[str, Any]
) -> None:
    found = results(
        survey(seed, strata=4, psus=3, size=2),
        design,
        stub=["q", "y"],
        show=["col_pct", "mean"],
        where="i != 2",
        tests=[],
    )
    data = found.data
    for name in ("q", "y"):
        for code in (None, 1, 2):
            base = data.column(name).answered & (data.column("i").values != 2)
            base &= True if code is None else data.column("b").values == code
            h, i = data.column("h").values[base], data.column("i").values[base]
            psus = int(base.sum()) if design is ALONE else len({*zip(h, i, strict=True)})
            cells = pick(
                found,
                variable=name,
                banner=() if code is None else (code,),
                stat="col_pct" if name == "q" else "mean",
            )
            assert {c.df for c in cells} <= {psus - len(set(h))}


def slope_by_hand(sample: Plain, y: np.ndarray, x: np.ndarray, there: np.ndarray) -> tuple[float, float]:
    w = np.array(sample.w) * there
    mean_x, mean_y = (w * x).sum() / w.sum(), (w * y).sum() / w.sum()
    spread = (w * (x - mean_x) ** 2).sum()
    b = (w * (x - mean_x) * y).sum() / spread
    z = there * (x - mean_x) * (y - mean_y - b * (x - mean_x)) / spread
    return b, sample.variance(z.tolist()) ** 0.5


@settings(max_examples=10, deadline=None)
@given(SEEDS, st.booleans())
def test_a_trend_is_the_slope_on_the_banners_codes(seed: int, own: bool) -> None:
    found = results(
        survey(seed),
        ALONE if own else CLUSTERED,
        stub=["q", "y"],
        banner=["a"],
        show=["col_pct", "mean"],
        tests=["trend"],
    )
    sample, data = plainly(found, own), found.data
    x = data.column("a").values.astype(float)
    q, y = data.column("q"), data.column("y")
    df = found.units.degrees_of_freedom
    tests = {(t.stub["variable"], t.stub.get("code")): t for t in found.tables[0].tests}
    for key, values, there in (
        (("q", 1), (q.values == 1).astype(float), q.answered),
        (("q", None), np.where(q.answered, q.values, 0.0), q.answered),
        (("y", None), np.where(y.answered, y.values, 0.0), y.answered),
    ):
        b, se = slope_by_hand(sample, values, x, there.astype(float))
        test: Any = tests[key]
        assert (test.slope, test.se) == (pytest.approx(b), pytest.approx(se))
        assert test.p == pytest.approx(2 * stats.t.sf(abs(b / se), df))


def test_replicates_give_a_trend_of_about_the_same_error() -> None:
    design = {**CLUSTERED, "variance": {"method": "jackknife"}}
    more: dict[str, Any] = {"stub": ["q"], "banner": ["a"], "show": ["col_pct"], "tests": ["trend"]}
    data = survey(3, strata=4, psus=10)
    linear, again = (results(data, d, **more).tables[0].tests for d in (CLUSTERED, design))
    for one, other in zip(linear, again, strict=True):
        assert one.slope == pytest.approx(other.slope)
        assert one.se == pytest.approx(other.se, rel=0.1)


@settings(max_examples=10, deadline=None)
@given(SEEDS, st.booleans())
def test_the_adjusted_wald_test_is_that_of_the_differences_from_independence(seed: int, own: bool) -> None:
    found = results(
        survey(seed, strata=3, psus=5),
        ALONE if own else CLUSTERED,
        stub=["q"],
        banner=["a"],
        show=["col_pct"],
        tests=["wald"],
    )
    sample, data = plainly(found, own), found.data
    q, a = data.column("q"), data.column("a").values
    there = q.answered
    cells = [(r, c) for r in (1, 2, 3) for c in (1, 2, 3)]
    shares = [
        sample.ratio(
            ((q.values == r) & (a == c) & there).astype(float).tolist(), there.astype(float).tolist()
        )
        for r, c in cells
    ]
    pi = np.array([s[0] for s in shares]).reshape(3, 3)
    v = np.array([[sample.covariance(s[1], t[1]) for t in shares] for s in shares])
    picked = [(r, c) for r in (0, 1) for c in (0, 1)]
    apart = np.array([pi[r, c] - pi[r].sum() * pi[:, c].sum() for r, c in picked])
    step = 1e-6
    jacobian = np.zeros((4, 9))
    for k in range(9):
        moved = pi.ravel().copy()
        moved[k] += step
        grid = moved.reshape(3, 3)
        jacobian[:, k] = [
            (grid[r, c] - grid[r].sum() * grid[:, c].sum() - d) / step
            for (r, c), d in zip(picked, apart, strict=True)
        ]
    statistic = apart @ np.linalg.solve(jacobian @ v @ jacobian.T, apart)
    df = found.units.degrees_of_freedom
    (test,) = found.tables[0].tests
    assert test.kind == "wald"
    assert test.wald == pytest.approx(statistic, rel=1e-3)
    assert (test.df1, test.df2) == (4, df - 3)
    assert test.f == pytest.approx(test.wald * (df - 3) / (4 * df))
    assert test.p == pytest.approx(stats.f.sf(test.f, 4, df - 3))


def test_the_interval_of_a_difference_is_that_of_its_standard_error() -> None:
    found = results(
        survey(2),
        CLUSTERED,
        stub=["q"],
        banner=["a"],
        show=["col_pct"],
        tests=["columns"],
        interval={"level": 0.9},
    )
    t = stats.t.isf(0.05, found.units.degrees_of_freedom)
    assert found.tables[0].tests
    for test in found.tables[0].tests:
        assert (test.low, test.high) == (
            pytest.approx(test.diff - t * test.se),
            pytest.approx(test.diff + t * test.se),
        )


@settings(max_examples=12, deadline=None)
@given(SEEDS, st.booleans())
def test_intervals_take_each_figures_own_degrees_of_freedom_where_asked(seed: int, own: bool) -> None:
    """Against t of the cell's df times its error, for means, quantiles and shares (Wald)."""
    data = survey(seed, strata=3, psus=3, size=4)
    design = ALONE if own else CLUSTERED
    asked: dict[str, Any] = {
        "stub": ["q", "y"],
        "banner": ["b"],
        "show": ["col_pct", "mean", "median", "total"],
        "where": "b == 1 or h == 1",
    }
    by = {
        of: results(data, design, interval={"method": "wald", "df": of}, **asked).tables[0].cells
        for of in ("cell", "design")
    }  # fmt: skip
    whole = results(data, design, **asked).units.degrees_of_freedom
    compared = 0
    for cell, usual in zip(by["cell"], by["design"], strict=True):
        assert (cell.est, cell.df) == (usual.est, usual.df)
        if cell.stat == "median" or cell.se is None or cell.se == 0 or usual.low is None:
            continue
        assert cell.df is not None
        if cell.df < 1:
            assert (cell.low, cell.high) == (None, None)
            continue
        t, t_usual = stats.t.ppf(0.975, min(cell.df, whole)), stats.t.ppf(0.975, whole)
        assert usual.high == pytest.approx(usual.est + t_usual * cell.se)
        assert cell.high == pytest.approx(cell.est + t * cell.se)
        compared += 1
    assert compared
