"""Numbers at the ends of what a computer holds: a figure that cannot be is absent, nothing else is lost, and no
warning reaches anyone."""

import json
import math
import warnings
from typing import Any

import numpy as np
import pytest
from builders import raw, study
from hypothesis import given, settings
from hypothesis import strategies as st

from even_ballot.core.study.pipeline import run

SCALES = {
    name: {"codes": [{"code": c, "label": f"{name}{c}"} for c in (1, 2, 3)], "ordered": True}
    for name in ("g", "q", "r")
}
KINDS = [{"name": name, "kind": "coded", "scale": name} for name in SCALES] + [
    {"name": n, "kind": "number"} for n in ("y", "x", "w", "rep1", "rep2")
]


def found_in(columns: dict[str, list[Any]], **parts: Any) -> dict[str, Any]:
    """results.json of a study of some columns; a warning is an error."""
    variables = [kind for kind in KINDS if kind["name"] in columns]
    made = study(codebook={"scales": SCALES, "variables": variables}, **parts)
    with warnings.catch_warnings():
        warnings.simplefilter("error")
        document = run(made, raw(columns), {}).document()
    json.dumps(document, allow_nan=False)
    return document


LESS = [{"label": "d", "of": [{"at": {"g": 1}, "times": 1}, {"at": {"g": 2}, "times": -1}]}]
OVER = [{**LESS[0], "label": "r", "ratio": True}]
SHOW = ["n", "count", "col_pct", "row_pct", "total_pct", "mean", "sd", "median", "q10", "skewness", "kurtosis", "total", "ratio",
        "geometric_mean"]  # fmt: skip
DESIGNS: list[dict[str, Any]] = [
    {}, {"weight": "w"}, {"weight": "w", "strata": ["g"], "single_psu": "mean_of_units"}, {"weight": "w", "variance": {"method": "jackknife"}},
    {"weight": "w", "variance": {"method": "bootstrap", "count": 20}},
    {"weight": "w", "variance": {"method": "columns", "columns": ["rep1", "rep2"], "scale": 0.5}},
]  # fmt: skip


def everything(columns: dict[str, list[Any]], design: dict[str, Any]) -> dict[str, Any]:
    asked: Any = dict(  # noqa: C408
design=design,
        tables=[{"id": "t", "stub": ["q", "y"], "banner": ["g", ["g", "r"]], "show": SHOW, "per": "x", "plain": True,
                 "tests": ["independence", "wald", "columns", "trend"], "contrasts": LESS + OVER,
                 "interval": {"df": "cell", "method": method}, "beside": ["se", "interval", "rse", "deff", "effective"]} | {"id": method}
                for method in ("logit", "wilson", "beta", "wald")],
        models=[{"id": "l", "kind": "linear", "outcome": "y", "terms": [["x"], ["g"]], "predictions": ["g"]},
                {"id": "m", "kind": "logistic", "outcome": "q", "event": [1], "terms": [["y"], ["g"]], "predictions": ["g"]},
                {"id": "k", "kind": "logistic", "outcome": "q", "event": [2], "terms": [["x"], ["g", "r"]], "predictions": ["r"]}],
        reliability=[{"id": "r", "items": ["q", "r", "y"]}],
        correlations=[{"id": "p", "variables": ["y", "x", "q"]}, {"id": "s", "variables": ["y", "x", "q"], "method": "spearman"}],
    )  # fmt: skip
    return found_in(columns, **asked)


FAR = st.sampled_from([
    0.0, 1.0, 2.0, -1.0, 5e-324, 1e-300, 1e-160, 1e-30, 1e30, 1e100, 1e150, 1e154, 1e160, 1e200, 1e300, 1.7e308, -1e160, -1.7e308, 1e12, 1e12 + 1,
])  # fmt: skip
CODE = st.sampled_from([1, 2, 3, 3, 2, 1, None, 9])


@settings(max_examples=100, deadline=None)
@given(
    st.lists(
        st.tuples(CODE, CODE, CODE, FAR, FAR, st.sampled_from([1.0, 2.0, 0.0, 1e-12, 1e12])),
        min_size=4,
        max_size=24,
    ),
    st.sampled_from(DESIGNS),
)
def test_no_number_ends_a_run(cases: list[tuple[Any, ...]], design: dict[str, Any]) -> None:
    g, q, r, y, x, w = (list(of) for of in zip(*cases, strict=True))
    if "strata" in design:
        g = [1 if value is None else value for value in g]
    if not any(w):
        w[0] = 1.0
    replicates = {"rep1": [2 * v for v in w], "rep2": [v * (i % 2) for i, v in enumerate(w)]}
    if not any(replicates["rep2"]):
        replicates["rep2"] = w
    everything({"g": g, "q": q, "r": r, "y": y, "x": x, "w": w, **replicates}, design)


def near_and_far(stat: str, **design: Any) -> list[dict[str, Any]]:
    y = [0, 1, -1, 2, 3, 1, 5, 4, 2, 0, 1, 3]
    found = []
    for level in (0.0, 1e12):
        asked: Any = dict(  # noqa: C408
design=design,
            tables=[{"id": "t", "stub": ["y"], "banner": ["g"], "show": [stat], "tests": ["columns", "trend"]}],
        )  # fmt: skip
        columns: dict[str, list[Any]] = {
            "g": [1, 1, 1, 1, 2, 2, 2, 2, 3, 3, 3, 3],
            "y": [f"{level + d:.1f}" for d in y],
            "p": list(range(12)),
        }
        found.append(found_in(columns, **asked)["tables"][0])
    return found


@pytest.mark.parametrize("design", [{}, {"clusters": ["p"]}, {"variance": {"method": "jackknife"}}])
@pytest.mark.parametrize("stat", ["mean", "total"])
def test_1e12_give_or_take_1_keeps_its_error(stat: str, design: dict[str, Any]) -> None:
    near, far = near_and_far(stat, **design)
    for a, b in zip(near["cells"], far["cells"], strict=True):
        if stat == "mean":
            assert b["se"] == pytest.approx(a["se"], rel=1e-3), (a, b)
        else:
            assert b["se"] > 0, b
    if stat == "mean":
        for a, b in zip(near["tests"], far["tests"], strict=True):
            assert b["p"] == pytest.approx(a["p"], rel=1e-2)


@pytest.mark.parametrize("value", [0.1, 1e12 + 0.1, 3.0, 1e-7])
@pytest.mark.parametrize(
    "design",
    [
        {"weight": "w"},
        {"weight": "w", "clusters": ["p"]},
        {"weight": "w", "variance": {"method": "jackknife"}},
    ],
)
def test_a_constant_has_no_error_wherever_it_lies(value: float, design: dict[str, Any]) -> None:
    rng = np.random.default_rng(3)
    columns = {
        "g": rng.integers(1, 4, 40).tolist(),
        "y": [value] * 40,
        "w": (1 + rng.random(40)).tolist(),
        "p": (np.arange(40) // 4).tolist(),
    }
    asked: Any = dict(  # noqa: C408
design=design,
        tables=[{"id": "t", "stub": ["y"], "banner": ["g"], "show": ["mean"], "tests": ["columns", "trend"], "contrasts": LESS}],
    )  # fmt: skip
    table = found_in(columns, **asked)["tables"][0]
    assert {cell["se"] for cell in table["cells"]} == {0.0}
    assert table.get("tests", []) == []
    assert [(of["se"], of.get("p")) for of in table["contrasts"]] == [(0.0, None)]


def test_strata_that_are_taken_whole_leave_no_error_and_no_test() -> None:
    """Their rounding is held against terms that know nothing of the finite population."""
    rng = np.random.default_rng(1)
    n = 60
    columns = {"g": [1] * 30 + [2] * 30, "q": rng.integers(1, 4, n).tolist(), "y": rng.normal(50, 9, n).tolist(),
               "w": (1 + rng.random(n)).tolist(), "size": [30] * n}  # fmt: skip
    asked: Any = dict(  # noqa: C408
design={"weight": "w", "strata": ["g"], "population_size": "size"},
        tables=[{"id": "t", "stub": ["q", "y"], "banner": ["g"], "show": ["col_pct", "mean", "total"], "where": "g == 1 or q == 2",
                 "tests": ["independence", "columns", "trend", "wald"], "contrasts": LESS}],
    )  # fmt: skip
    table = found_in(columns, **asked)["tables"][0]
    assert {cell["se"] for cell in table["cells"]} == {0.0}
    assert table.get("tests", []) == []
    assert {of["se"] for of in table["contrasts"]} == {0.0}


def test_one_sided_limits_stay_open_where_there_is_no_error() -> None:
    for sides, given_, open_ in (("lower", "low", "high"), ("upper", "high", "low")):
        asked: Any = dict(  # noqa: C408
tables=[{"id": "t", "stub": ["y"], "banner": ["g"], "show": ["mean"], "interval": {"sides": sides}, "contrasts": LESS}],
        )  # fmt: skip
        table = found_in({"g": [1, 1, 2, 2], "y": [3, 3, 5, 5]}, **asked)["tables"][0]
        columns = [cell for cell in table["cells"] if cell["banner"]]
        for of in (*columns, *table["contrasts"]):
            assert of[given_] == of["est"]
            assert open_ not in of


def test_an_odds_ratio_that_overflows_is_absent_and_the_rest_stays() -> None:
    rng = np.random.default_rng(5)
    y = rng.normal(0, 1, 200)
    q = np.where(rng.random(200) < 1 / (1 + np.exp(-y)), 1, 2)
    asked: Any = dict(  # noqa: C408
        models=[{"id": "m", "kind": "logistic", "outcome": "q", "event": [1], "terms": [["y"]]}],
    )
    (model,) = found_in({"q": q.tolist(), "y": [f"{v:.25e}" for v in y * 1e-4]}, **asked)["models"]
    slope = model["coefficients"][1]
    assert slope["est"] > 710
    assert "odds_ratio" not in slope
    assert math.isfinite(slope["low"])
    assert "odds_ratio" in model["coefficients"][0]


def test_a_geometric_mean_takes_the_degrees_of_freedom_of_its_cell() -> None:
    rng = np.random.default_rng(7)
    columns = {"g": ([1] * 4 + [2] * 56), "y": rng.lognormal(3, 1, 60).tolist(), "p": list(range(60))}
    low = {}
    for df in ("design", "cell"):
        asked: Any = dict(  # noqa: C408
design={"clusters": ["p"]},
            tables=[{"id": "t", "stub": ["y"], "banner": ["g"], "show": ["geometric_mean"], "interval": {"df": df}}],
        )  # fmt: skip
        cells = found_in(columns, **asked)["tables"][0]["cells"]
        low[df] = next(c["low"] for c in cells if c["banner"] and c["banner"][0]["code"] == 1)
    assert low["cell"] < low["design"]


def test_one_case_has_no_reliability() -> None:
    asked: Any = dict(  # noqa: C408
        reliability=[{"id": "r", "items": ["q", "r"]}]
    )
    (found,) = found_in({"q": [1, None, 2], "r": [2, 3, None]}, **asked)["reliability"]
    assert found["n"] == 1
    assert "alpha" not in found
