"""Contrasts against a second reading and against the comparisons of columns; with their faults."""

from typing import Any

import builders
import numpy as np
import pytest
from designs import DESIGNS, column, sample_of
from hypothesis import given, settings
from hypothesis import strategies as st
from parting import differing, random_parts
from plain import quantile
from reading_estimates import Figure
from reading_models import two_sided
from surveys import A, margin, results, study, survey

from even_ballot.core.estimation.comparisons import ColumnComparison
from even_ballot.core.faults import StudyError
from even_ballot.core.study.pipeline import run

CONTRASTS: list[dict[str, Any]] = [
    {"label": "a1 less a3", "of": [{"at": {"a": 1}, "times": 1}, {"at": {"a": 3}, "times": -1}]},
    {"label": "a2 less all", "of": [{"at": {"a": 2}, "times": 1}, {"at": {}, "times": -1}]},
    {
        "label": "difference of differences",
        "of": [
            {"at": {"a": 1, "b": 1}, "times": 1},
            {"at": {"a": 1, "b": 2}, "times": -1},
            {"at": {"a": 2, "b": 1}, "times": -1},
            {"at": {"a": 2, "b": 2}, "times": 1},
        ],
    },
    {
        "label": "a1 over b2",
        "of": [{"at": {"b": 2}, "times": -1}, {"at": {"a": 1}, "times": 1}],
        "ratio": True,
    },
]
SHOW = ["col_pct", "row_pct", "total_pct", "response_pct", "mean", "total", "ratio"]


def figure_of(found: Any, sample: Any, stat: str, code: int | None, stub: str, at: dict[str, int]) -> Figure:
    """One figure, as the definitions have it."""
    n = found.data.n
    y, x, known = (
        column(found, stub) if stub != "many" else np.zeros(n),
        column(found, "id"),
        np.ones(n, bool),
    )
    inside = np.all([column(found, name) == c for name, c in at.items()], axis=0) if at else np.ones(n, bool)
    nested = np.all([~np.isnan(column(found, name)) for name in at], axis=0) if at else np.ones(n, bool)
    if stub == "many":
        m = np.stack([column(found, "m1"), column(found, "m2")], 1)
        known, chosen = ~np.isnan(m).all(1), m == 1
        row = chosen[:, code - 1] if code else known
        count = chosen.sum(1)
    else:
        known = ~np.isnan(y)
        row, count = y == code, known.astype(float)
    if stat in ("mean", "total", "ratio"):
        top = np.where(inside & known, y, 0.0)
        base = {"mean": inside & known, "ratio": np.where(inside & known, x, 0.0), "total": None}[stat]
        return Figure(sample, top, None if base is None else np.asarray(base, float), inside & known)
    base = {
        "col_pct": inside & known, "total_pct": known & nested, "row_pct": row & nested,
        "response_pct": inside * np.where(known, count, 0),
    }[stat]  # fmt: skip
    return Figure(sample, np.asarray(row & inside & known, float), np.asarray(base, float), inside & known)


@settings(max_examples=30, deadline=None)
@given(st.integers(0, 10**6), st.sampled_from(DESIGNS), st.booleans())
def test_contrasts_are_what_a_second_reading_finds(
    seed: int, design: dict[str, Any], calibrated: bool
) -> None:
    raked = calibrated and "variance" not in design
    weighting = {"margins": [margin("a", A)]} if raked else None
    asked = {**design, **({"calibrated": True} if raked else {})}
    found = results(
        survey(seed, psus=5), asked, weighting, stub=["q", "y", "many"], banner=["a", "b", ["a", "b"]], show=SHOW,
        per="id", tests=["columns"], contrasts=CONTRASTS,
    )  # fmt: skip
    sample, (table,) = sample_of(found, design, raked), found.tables
    assert {of.label for of in table.contrasts or ()} == {c["label"] for c in CONTRASTS}
    compared = {
        (tuple(t.stub.items()), t.of): t
        for t in table.tests
        if isinstance(t, ColumnComparison) and (t.banner, t.a, t.b) == (("a",), (1,), (3,))
    }
    for of in table.contrasts or ():
        asked_for = next(c for c in CONTRASTS if c["label"] == of.label)
        if of.stub.variable == "q" and of.stat == "mean":
            continue  # a mean of codes, like that of a number
        terms = [
            (t["times"], figure_of(found, sample, of.stat, of.stub.code, of.stub.variable, t["at"]))
            for t in asked_for["of"]
        ]
        if asked_for.get("ratio"):
            top, bottom = sorted(terms, key=lambda term: -term[0])
            est = top[1].est / bottom[1].est
            slopes = {1: 1 / bottom[1].est, -1: -est / bottom[1].est}
            terms = [(slopes[times], figure) for times, figure in terms]
        else:
            est = sum(times * figure.est for times, figure in terms)
        assert of.est == pytest.approx(est, rel=1e-8, abs=1e-10), of
        if sample.replicates is None:
            z = sum(times * figure.z for times, figure in terms)
            size = sum(abs(times) * figure.terms for times, figure in terms)
            variance = sample.variance(z, size)
        elif asked_for.get("ratio"):
            again = top[1].again() / bottom[1].again()
            variance = sample.c @ (again - est) ** 2
        else:
            variance = sample.c @ (sum(times * figure.again() for times, figure in terms) - est) ** 2
        if not np.isfinite(variance):
            assert of.se is None
            continue
        assert of.se == pytest.approx(np.sqrt(variance), rel=1e-6, abs=1e-9), of
        if of.t is not None and of.p is not None:
            assert of.p == pytest.approx(two_sided(of.t, sample.df), rel=1e-6, abs=1e-12)
        if of.label == "a1 less a3" and of.se:
            key = {
                "variable": of.stub.variable,
                **({"code": of.stub.code} if of.stub.code is not None else {}),
            }
            test = compared.get((tuple(key.items()), of.stat))
            if test is not None:
                assert (of.est, of.se) == (
                    pytest.approx(test.diff, abs=1e-10),
                    pytest.approx(test.se, rel=1e-6),
                )


@settings(max_examples=15, deadline=None)
@given(st.integers(0, 10**6), st.sampled_from(DESIGNS))
def test_a_contrast_is_of_the_very_figures_that_stand_in_the_table(seed: int, design: dict[str, Any]) -> None:
    (table,) = results(
        survey(seed, psus=5), design, stub=["q", "y", "many"], banner=["a", "b", ["a", "b"]], show=SHOW, per="id", tests=[],
        contrasts=CONTRASTS,
    ).tables  # fmt: skip
    cells = {(c.stub, tuple((k.variable, k.code) for k in c.banner), c.stat): c.est for c in table.cells}
    assert table.contrasts
    for of in table.contrasts:
        terms = next(c for c in CONTRASTS if c["label"] == of.label)["of"]
        each: list[tuple[float, Any]] = [
            (t["times"], cells.get((of.stub, tuple(t["at"].items()), of.stat))) for t in terms
        ]
        assert all(est is not None for _, est in each), of
        if of.is_ratio:
            (_, top), (_, bottom) = sorted(each, reverse=True, key=lambda term: term[0])
            assert of.est == pytest.approx(top / bottom, rel=1e-9)
            assert of.est > 0
        else:
            assert of.est == pytest.approx(sum(times * est for times, est in each), rel=1e-9, abs=1e-12), of


def cases_of(columns: dict[str, list[Any]], **asked: Any) -> Any:
    """A table of some cases, each its own unit."""
    table = {"id": "t", "banner": ["g"], "tests": [], **asked}
    coded = {"scales": {"g": {"codes": [{"code": i, "label": f"G{i}"} for i in (1, 2)]}}}
    coded["variables"] = [{"name": "g", "kind": "coded", "scale": "g"}]  # type: ignore[assignment]
    return run(builders.study(codebook=coded, tables=[table]), builders.raw(columns), {}).tables[0]


LESS = [{"label": "d", "of": [{"at": {"g": 1}, "times": 1}, {"at": {"g": 2}, "times": -1}]}]
OVER = [{**LESS[0], "ratio": True}]


def test_a_ratio_of_which_either_side_is_nothing_or_below_is_absent() -> None:
    groups = [1, 1, 1, 2, 2, 2]
    for y in ([0, 0, 0, 1, 2, 4], [1, 2, 4, 0, 0, 0], [-1, -2, -3, 1, 2, 4]):
        table = cases_of({"g": groups, "y": y}, stub=["y"], show=["mean"], contrasts=OVER)
        assert not table.contrasts, y


def test_totals_of_a_column_without_a_case_have_no_contrast() -> None:
    columns: dict[str, list[Any]] = {"g": [1, 1, 1, 2], "y": [1, 2, 4, None]}
    assert not cases_of(columns, stub=["y"], show=["total"], contrasts=LESS).contrasts


def test_numbers_far_from_nothing_keep_the_error_of_their_contrasts() -> None:
    y = [1e12 + d for d in (0, 1, -1, 2, 3, 1, 5, 4)]
    near = [value - 1e12 for value in y]
    for stat in ("mean", "total"):
        for contrasts in (LESS, OVER if stat == "mean" else LESS):
            (far,), (same,) = (
                cases_of(
                    {"g": [1, 1, 1, 1, 2, 2, 2, 2], "y": of}, stub=["y"], show=[stat], contrasts=contrasts
                ).contrasts
                for of in (y, near)
            )
            if contrasts is LESS:
                assert far.est == pytest.approx(same.est, rel=1e-3)
            if stat == "mean" and contrasts is LESS:
                assert far.se == pytest.approx(same.se, rel=1e-3)


@settings(max_examples=20, deadline=None)
@given(st.integers(0, 10**6), st.sampled_from(DESIGNS))
def test_quantiles_are_held_against_each_other_by_replicates_alone(seed: int, design: dict[str, Any]) -> None:
    found = results(
        survey(seed, psus=5), design, stub=["y"], banner=["a", "b", ["a", "b"]], show=["median", "q25"], tests=[],
        contrasts=CONTRASTS,
    )  # fmt: skip
    sample, told = sample_of(found, design, False), found.tables[0].contrasts or ()
    assert bool(told) == (sample.replicates is not None)
    y = column(found, "y")
    for of in told:
        terms = next(c["of"] for c in CONTRASTS if c["label"] == of.label)

        def contrast(w: Any, of: Any = of, terms: Any = terms) -> float:
            each = {}
            for term in terms:
                inside = ~np.isnan(y)
                for name, code in term["at"].items():
                    inside = inside & (column(found, name) == code)
                if not w[inside].sum() > 0:
                    return float("nan")
                q = {"median": 0.5, "q25": 0.25}[of.stat]
                each[term["times"], *term["at"].items()] = quantile(y[inside].tolist(), w[inside].tolist(), q)
            if of.is_ratio:
                top, bottom = (next(v for k, v in each.items() if k[0] == times) for times in (1, -1))
                return top / bottom if bottom and top / bottom > 0 else float("nan")
            return sum(k[0] * v for k, v in each.items())

        assert of.est == pytest.approx(contrast(np.asarray(sample.w)), rel=1e-9, abs=1e-12)
        again = np.array([contrast(w) for w in np.asarray(sample.replicates).T])
        variance = float(np.asarray(sample.c) @ (again - of.est) ** 2)
        assert of.se == (
            pytest.approx(np.sqrt(variance), rel=1e-7, abs=1e-9) if variance == variance else None
        )


@settings(max_examples=10, deadline=None)
@given(st.integers(0, 10**6), st.sampled_from(DESIGNS))
def test_cases_in_parts_have_the_same_contrasts(seed: int, design: dict[str, Any]) -> None:
    table = {"id": "t", "stub": ["q", "y", "many"], "banner": ["a", "b", ["a", "b"]], "show": SHOW, "per": "id",
             "contrasts": CONTRASTS}  # fmt: skip
    asked, data = study(design, None, table), survey(seed)
    whole, parts = (run(asked, data, {}, *more).document() for more in ((), (random_parts(seed),)))
    assert list(differing(parts, whole, rel=1e-8)) == []


def test_a_contrast_that_a_raking_fixes_has_no_error_and_no_test() -> None:
    found = results(
        survey(3), {"strata": ["h"], "clusters": ["i"], "calibrated": True}, {"margins": [margin("a", A)]},
        stub=["a"], banner=["b"], show=["col_pct"], tests=[],
        contrasts=[{"label": "all twice", "of": [{"at": {}, "times": 2}]}],
    )  # fmt: skip
    for of in found.tables[0].contrasts or ():
        assert (of.se, of.t, of.low) == (0.0, None, pytest.approx(of.est))


@pytest.mark.parametrize(
    ("of", "ratio", "said"),
    [
        ([{"at": {"a": 9}, "times": 1}], False, "a has no column 9"),
        ([{"at": {"q": 1}, "times": 1}], False, "q is not an entry of the banner"),
        ([{"at": {"a": 1}, "times": 2}, {"at": {}, "times": -1}], True, "a numerator column"),
    ],
)
def test_columns_that_are_not_there_are_named(of: list[Any], ratio: bool, said: str) -> None:
    contrast = {"label": "c", "of": of, "ratio": ratio}
    with pytest.raises(StudyError, match=said):
        results(survey(3), {}, None, stub=["y"], banner=["a"], show=["mean"], contrasts=[contrast])


def test_a_contrast_of_a_hidden_column_is_hidden() -> None:
    from even_ballot.core.study.study_file import parse_study

    table = {"id": "t", "stub": ["q"], "banner": ["a"], "show": ["col_pct"], "contrasts": CONTRASTS[:2]}
    plain = study({}, None, table).model_dump(mode="json", by_alias=True, exclude_defaults=True)
    shown = run(parse_study(plain), survey(5), {}).tables[0]
    hidden = run(parse_study({**plain, "suppression": {"below": 9}}), survey(5), {}).tables[0]
    gone = {(of.stub, of.banner) for of in hidden.hidden or ()}
    assert gone
    kept = {(of.label, of.stub) for of in hidden.contrasts or ()}
    assert kept < {(of.label, of.stub) for of in shown.contrasts or ()}
    assert all((of.stub, path) not in gone for of in hidden.contrasts or () for path in of.columns)
