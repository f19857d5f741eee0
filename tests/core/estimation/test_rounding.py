"""What is only rounding is no error, no test and no difference; what cannot be made has no error either."""

import json
from typing import Any

import numpy as np
import pytest
from builders import raw
from surveys import SCALES, VARIABLES, A, B, figures, margin, survey
from surveys import results as of_survey

from even_ballot.core.estimation.comparisons import ColumnComparison
from even_ballot.core.study.pipeline import run
from even_ballot.core.study.results import Results
from even_ballot.core.study.study_file import parse_study

ALL_TESTS = ["independence", "wald", "columns", "trend"]


def results(columns: dict[str, list[Any]], design: dict[str, Any], stub: list[str], **table: Any) -> Results:
    scales = {"b": {"codes": [{"code": c, "label": f"b{c}"} for c in (1, 2, 3)]}}
    return run(parse_study({
        "source": {"path": "answers.csv"}, "design": design,
        "codebook": {"scales": scales, "variables": [{"name": "b", "kind": "coded", "scale": "b"}]},
        "tables": [{"id": "t", "stub": stub, "banner": ["b"], "show": ["mean"], **table}],
    }), raw(columns), {})  # fmt: skip


def weighed(weight: list[float], **columns: list[Any]) -> dict[str, list[Any]]:
    return {"w": [repr(x) for x in weight], **columns}


@pytest.mark.parametrize("clusters", [[], ["k"]])
def test_columns_that_are_constant_do_not_differ_by_their_rounding(clusters: list[str]) -> None:
    data = weighed([0.3, 0.3, 0.3, 0.1], x=[1.9, 2.1, 1.9, 2.1], b=[2, 1, 2, 1], k=[1, 2, 3, 4])
    table = results(data, {"weight": "w", "clusters": clusters}, ["x"], tests=ALL_TESTS).tables[0]
    assert table.tests == ()
    of = figures(table, "se")
    assert (of["x", None, (("b", 1),), "mean"], of["x", None, (("b", 2),), "mean"]) == (0.0, 0.0)
    assert (of["x", None, (), "mean"] or 0) > 0.01


def test_a_constant_has_no_trend_and_lone_cases_no_difference() -> None:
    data = weighed([0.3, 0.1, 0.7, 0.2], x=[0.1, 0.1, 0.1, 0.1], b=[1, 2, 3, 3])
    assert results(data, {"weight": "w"}, ["x"], tests=ALL_TESTS).tables[0].tests == ()


def test_one_constant_pair_leaves_the_other_p_values_alone() -> None:
    x = [1.9, 1.9, 2.1, 2.1, 5.0, 7.0]
    data = weighed([0.3, 0.1, 0.3, 0.1, 0.7, 0.2], x=x, b=[1, 1, 2, 2, 3, 3])
    found = results(data, {"weight": "w"}, ["x"], tests=["columns"], adjust="bonferroni").tables[0].tests
    pairs = {(t.a, t.b): t for t in found if isinstance(t, ColumnComparison)}
    assert set(pairs) == {((1,), (3,)), ((2,), (3,))}
    assert all(t.p_adjusted == pytest.approx(min(2 * t.p, 1)) for t in pairs.values())


@pytest.mark.parametrize("variance", ["linearised", "jackknife"])
@pytest.mark.parametrize("clusters", [["i"], []])
def test_what_raking_has_fixed_is_not_tested(variance: str, clusters: list[str]) -> None:
    crossed = [
        {"at": {"a": a, "b": b}, "value": A[a] * B[b] + (0.01 if (a, b) in ((1, 1), (2, 2)) else -0.01 if a < 3 else 0)}
        for a in A
        for b in B
    ]  # fmt: skip
    design = {"strata": ["h"], "clusters": clusters, "calibrated": True, "variance": {"method": variance}}
    weighting = {"margins": [{"by": ["a", "b"], "targets": crossed}], "tolerance": 1e-10}
    found = of_survey(survey(5, size=8), design, weighting, stub=["a"], tests=ALL_TESTS)
    assert found.tables[0].tests == ()
    shares = [c for c in found.tables[0].cells if c.stat == "col_pct"]
    assert {(c.se, c.low == c.est == c.high) for c in shares} == {(0.0, True)}


def test_results_hold_no_number_that_is_none() -> None:
    data = weighed([0.3, 0.3, 0.3, 0.1], x=[1e200, -1e200, 3e199, 1e200], b=[2, 1, 2, 1])
    found = results(
        data, {"weight": "w"}, ["x"], show=["mean", "sd", "median", "skewness", "kurtosis"], tests=ALL_TESTS
    )
    document = json.dumps(found.document(), allow_nan=False)
    sd = next(c for c in found.tables[0].cells if c.stat == "sd" and not c.banner).est
    w, x = np.array([3, 3, 3, 1]) / 10, np.array([10, -10, 3, 10])
    assert sd == pytest.approx(1e199 * np.sqrt((w @ (x - w @ x) ** 2) * 4 / 3)), document


@pytest.mark.parametrize(
    ("strata", "clusters", "df"), [(["h"], [], 3), ([], ["i"], 3), ([], [], 3), (["h"], ["i"], 9)]
)
def test_replicate_columns_count_their_number_unless_strata_and_clusters_are_named(
    strata: list[str], clusters: list[str], df: int
) -> None:
    data = survey(4)
    from_columns = {"method": "columns", "columns": ["y1", "y2", "y3", "y4"], "scale": 0.25}
    more = {f"y{k}": [f"{1 + 0.1 * ((j + k) % 3)}" for j in range(len(data.rows))] for k in range(1, 5)}
    extra = raw(more)
    wide = type(data)(
        (*data.names, *extra.names), (*data.labels, *extra.labels), (*data.columns, *extra.columns), data.rows
    )
    found = of_survey(wide, {"strata": strata, "clusters": clusters, "variance": from_columns})
    assert found.units.degrees_of_freedom == df


def test_a_lone_stratum_stands_still_in_half_samples() -> None:
    h, i = [1, 1, 2, 2, 3, 3], [1, 2, 1, 2, 1, 1]
    data = weighed([1.0] * 6, x=[1, 2, 3, 5, 50, 60], b=[1] * 6, h=h, i=i)
    design = {"strata": ["h"], "clusters": ["i"], "single_psu": "add_nothing", "weight": "w"}
    half, jack = (
        results(data, {**design, "variance": {"method": method}}, ["x"]).tables[0].cells[0].se for method in ("balanced", "jackknife")
    )  # fmt: skip
    assert half is not None
    assert half == pytest.approx(jack, rel=0.2)
    assert half < 1


@pytest.mark.parametrize("method", ["logit", "wilson", "beta", "wald"])
def test_a_share_without_error_has_no_limits(method: str) -> None:
    # Leaving out the only cluster that answered leaves no base.
    data = weighed([1.0] * 6, q=[1, 2, "", "", "", ""], b=[1] * 6, i=[1, 1, 2, 2, 3, 3])
    columns = {**data, "b": [1, 2, 1, 1, 2, 2]}
    document = {
        "source": {"path": "answers.csv"}, "codebook": {"scales": SCALES, "variables": VARIABLES[:3]},
        "design": {"weight": "w", "clusters": ["i"], "variance": {"method": "jackknife"}},
        "tables": [{"id": "t", "stub": ["q"], "show": ["col_pct"], "interval": {"method": method, "sides": "lower"}}],
    }  # fmt: skip
    columns["a"] = [1] * 6
    for cell in run(parse_study(document), raw(columns), {}).tables[0].cells:
        assert (cell.se, cell.low, cell.high) == (None, None, None)


def test_a_replicate_without_two_categories_makes_no_trend() -> None:
    data = weighed(
        [1.0] * 8, x=[1, 2, 4, 3, 5, 6, 8, 7], b=[1, 1, 1, 1, 1, 1, 2, 2], i=[1, 1, 2, 2, 3, 3, 4, 4]
    )
    table = results(
        data, {"weight": "w", "clusters": ["i"], "variance": {"method": "jackknife"}}, ["x"], tests=["trend"]
    ).tables[0]
    assert table.tests == ()


def test_every_share_says_the_degrees_of_freedom_of_its_base() -> None:
    cells = of_survey(survey(2), {"strata": ["h"], "clusters": ["i"]}).tables[0].cells
    shares = [c for c in cells if c.stat.endswith("_pct")]
    assert {c.stat for c in shares} == {"col_pct", "row_pct", "total_pct", "response_pct"}
    assert all(c.df is not None and 0 < c.df <= 9 for c in shares)


def test_a_plain_error_at_100_per_cent_is_0() -> None:
    data = weighed([0.1, 0.2, 0.3, 0.1, 0.1, 0.2], x=[1] * 6, b=[1] * 6)
    columns = {**data, "b": [1, 1, 1, 2, 2, 2]}
    table = results(columns, {"weight": "w"}, ["b"], show=["col_pct"], plain=True).tables[0]
    whole = [c.plain for c in table.cells if c.est > 0.999]
    assert len(whole) == 2
    assert all(p is not None and (p.unweighted_se, p.weighted_se) == (0.0, 0.0) for p in whole)


def test_skewness_keeps_its_digits_at_large_values() -> None:
    x = [1e8 + k for k in (-0.5, 0.5, 0.5, 0.5)]
    found = results(weighed([1.3, 0.7, 0.9, 1.1], x=x, b=[1] * 4), {"weight": "w"}, ["x"], show=["skewness"])
    small = results(
        weighed([1.3, 0.7, 0.9, 1.1], x=[-0.5, 0.5, 0.5, 0.5], b=[1] * 4),
        {"weight": "w"},
        ["x"],
        show=["skewness"],
    )
    assert found.tables[0].cells[0].est == pytest.approx(small.tables[0].cells[0].est, rel=1e-9)


def test_a_sample_that_meets_its_margins_already_is_reported() -> None:
    found = run(parse_study({
        "source": {"path": "answers.csv"}, "codebook": {"scales": SCALES, "variables": [VARIABLES[1]]},
        "weightings": [{"margins": [margin("b", {1: 3 / 11, 2: 8 / 11})]}], "tables": [{"id": "t", "stub": ["b"]}],
    }), raw({"b": [1] * 3 + [2] * 8}), {})  # fmt: skip
    (report,) = found.weightings
    assert report.converged
    assert sum(bar.cases for bar in report.histogram) == 11
