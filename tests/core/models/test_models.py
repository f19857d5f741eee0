"""Models, scales of items and correlations against a second reading, in any design, in parts; what has no
estimates says so."""

from typing import Any

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st
from models_asked import BARE, SEEDS, document, only, small
from parting import differing, random_parts
from reading_estimates import Sample
from reading_models import (
    ModelReading,
    alpha_of,
    calibrated_weights,
    pearson_of,
    spearman_of,
    two_sided,
    variance_of,
)
from surveys import SCALES, A, margin, survey

from even_ballot.core.data.dataset import RawTable
from even_ballot.core.faults import StudyError
from even_ballot.core.study.pipeline import run
from even_ballot.core.study.results import Results
from even_ballot.core.study.study_file import parse_study

CLUSTERED = {"strata": ["h"], "clusters": ["i"]}
DESIGNS: dict[str, dict[str, Any]] = {
    "cases alone": {},
    "strata of cases": {"strata": ["h"]},
    "clusters": CLUSTERED,
    "finite": {**CLUSTERED, "population_size": "N"},
    "jackknife": {**CLUSTERED, "variance": {"method": "jackknife"}},
    "jackknife of cases": {"strata": ["h"], "variance": {"method": "jackknife"}},
    "bootstrap": {**CLUSTERED, "variance": {"method": "bootstrap", "count": 12, "seed": 7}},
}
RAKED = {"base": "d", "tolerance": 1e-13, "margins": [margin("a", A)]}
NUMBERS = {"base": "d", "tolerance": 1e-13, "scale_to": 500.0, "margins": [
    margin("a", A), {"total_of": "id", "by": ["b"], "as": "totals",
                     "targets": [{"at": {"b": 1}, "value": 8600.0}, {"at": {"b": 2}, "value": 9500.0}]}]}  # fmt: skip
BOUNDS = {"low": 0.4, "high": 2.2}
SINGLE = [{"do": "drop_cases", "where": "h == 1 and i > 1"}]
"""Leaves the first stratum one PSU."""
MODELS = [
    {"id": "lin", "kind": "linear", "outcome": "y", "terms": [["a"], ["q"], ["a", "b"], ["b"]], "as_number": ["q"],
     "reference": {"a": 2}, "predictions": ["a", "q"]},
    {"id": "log", "kind": "logistic", "outcome": "q", "event": [2, 3], "terms": [["b"], ["y"]], "where": "id > 5",
     "predictions": ["b"]},
]  # fmt: skip


def results(data: RawTable, *args: Any, **parts: Any) -> Results:
    return run(parse_study(document(*args, **parts)), data, {})


def column(found: Results, name: str) -> np.ndarray:
    of = found.data.column(name)
    return np.where(of.answered, of.values.astype(float), np.nan)


def factors(found: Results, design: dict[str, Any]) -> tuple[Any, Any]:
    """Factors of a jackknife by case, (n, R), and what each counts."""
    h = column(found, "h")
    i = column(found, "i") if "clusters" in design else np.arange(len(h))
    pairs = sorted({(a, b) for a, b in zip(h, i, strict=True)})
    made, c = [], []
    for a, b in pairs:
        n = sum(of == a for of, _ in pairs)
        # A stratum of one is passed over.
        made.append(np.where((h == a) & (n > 1), np.where(i == b, 0.0, n / max(n - 1, 1)), 1.0))
        c.append((n - 1) / n)
    return np.array(made).T, np.array(c)


def x_of(found: Results) -> tuple[Any, Any]:
    """What the weights are calibrated to: columns and totals."""
    a, b, y = column(found, "a"), column(found, "b"), column(found, "id")
    x = np.stack([np.ones(len(a)), *(a == c for c in A), (b == 1) * y, (b == 2) * y], 1).astype(float)
    return x, np.array([500.0, *(500 * s for s in A.values()), 8600.0, 9500.0])


def weightings() -> dict[str, dict[str, Any] | None]:
    """Weights of every sort."""
    return {
        "plain": None, "raked": RAKED, "numbers": NUMBERS, "limits": {**RAKED, "limits": BOUNDS},
        "numbers within limits": {**NUMBERS, "limits": BOUNDS},
    }  # fmt: skip


def sample_of(found: Results, design: dict[str, Any], weighting: dict[str, Any] | None) -> Sample:
    w = column(found, "weight" if weighting else "d")
    h = column(found, "h") if "strata" in design else np.ones(len(w))
    i = column(found, "i") if "clusters" in design else np.arange(len(w))
    population = column(found, "N") if "population_size" in design else None
    sample = Sample(w, h, i, design.get("single_psu", "add_nothing"), population=population)
    replicates = found.units.replicates
    if replicates is None:
        if weighting is not None and design.get("calibrated"):
            x = x_of(found)[0] if len(weighting["margins"]) > 1 else x_of(found)[0][:, :4]
            low, high = (BOUNDS[end] * w.mean() for end in ("low", "high"))
            inside = (w > low * (1 + 1e-9)) & (w < high * (1 - 1e-9))
            sample.x, sample.free = x, np.where(inside, w, 0.0) if "limits" in weighting else w
        return sample
    if design["variance"]["method"] == "jackknife":
        made, sample.c = factors(found, design)
        sample.replicates = w[:, None] * made
        if weighting is not None and len(weighting["margins"]) > 1:
            x, target = x_of(found)
            d = column(found, "d")
            sample.replicates = np.stack([calibrated_weights(d * of, x, target) for of in made.T], 1)
    else:
        part = found.units.replicates.factors()  # type: ignore[union-attr]
        sample.replicates, sample.c = w[:, None] * part.T[found_units(found)], replicates.c
    return sample


def found_units(found: Results) -> Any:
    """Each case's row: PSUs are in the order of stratum and number."""
    keys = column(found, "h") * 1000 + column(found, "i")
    return np.unique(keys, return_inverse=True)[1]


def columns_of(found: Results) -> dict[str, tuple[Any, Any, Any, list[Any]]]:
    """Of every model: x, y, who counts, and x with everybody in one category."""
    a, b, q, y = (column(found, name) for name in "abqy")
    one = np.ones(len(a))

    def linear(a: Any, b: Any, q: Any) -> Any:
        both = [(a == c) * (b == 2) for c in (1, 3)]
        return np.stack([one, a == 1, a == 3, q, *both, b == 2], 1).astype(float)

    inside = ~(np.isnan(a) | np.isnan(b) | np.isnan(q) | np.isnan(y))
    codes = np.unique(q[inside])
    swaps = [linear(one * c, b, q) for c in (1, 2, 3)] + [linear(a, b, one * c) for c in codes]
    logistic = np.stack([one, b == 2, y], 1).astype(float)
    of_b = [np.stack([one, one * (c == 2), y], 1) for c in (1, 2)]
    there = ~(np.isnan(b) | np.isnan(q) | np.isnan(y)) & (column(found, "id") > 5)
    tidy = [np.nan_to_num(of) for of in swaps], [np.nan_to_num(of) for of in of_b]
    return {
        "lin": (np.nan_to_num(linear(a, b, q)), y, inside, tidy[0]),
        "log": (np.nan_to_num(logistic), (q >= 2).astype(float), there, tidy[1]),
    }


@settings(max_examples=40, deadline=None)
@given(
    SEEDS,
    st.sampled_from(sorted(DESIGNS)),
    st.sampled_from(sorted(weightings())),
    st.sampled_from([None, "add_nothing", "mean_of_units", "mean_of_strata"]),
)
def test_models_are_what_a_second_reading_finds(
    seed: int, named: str, weighted: str, single: str | None
) -> None:
    weighting = weightings()[weighted]
    design = {**DESIGNS[named], **({"calibrated": True} if weighting else {})}
    lonely = single is not None and design.get("clusters") and weighted in ("plain", "raked")
    if lonely and (single == "add_nothing" or "variance" not in design):
        design["single_psu"] = single
    else:
        lonely = False
    again = design["variance"]["method"] if "variance" in design else None
    if weighting and again and not (weighted == "numbers" and again == "jackknife"):
        design.pop("calibrated")
    data = survey(seed, size=8)
    try:
        found = results(data, design, weighting, models=MODELS, ledger=SINGLE if lonely else [])
    except StudyError:
        # Totals that a survey of few cases cannot meet.
        assert weighting is not None
        assert len(weighting["margins"]) > 1
        return
    if not all(report.converged for report in found.weightings):
        return
    if (
        weighting is not None
        and weighting is not RAKED
        and "variance" in design
        and "calibrated" not in design
    ):
        return
    sample = sample_of(found, design, weighting)
    for model in found.models:
        x, y, inside, swaps = columns_of(found)[model.id]
        if model.message is not None:
            continue
        want = ModelReading(sample, x, y, inside, model.kind == "logistic", swaps)
        covariance = want.covariance()
        figures: list[Any] = [*model.coefficients, *model.predictions]
        assert [of.est for of in figures] == pytest.approx(want.theta, rel=1e-7, abs=1e-9)
        if np.isnan(covariance).any():
            assert all(of.se is None for of in figures)
            continue
        close: Any = {"rel": 1e-6, "abs": 1e-9}
        assert [of.se for of in figures] == pytest.approx(np.sqrt(np.diag(covariance)), **close)
        for of in model.coefficients:
            assert of.t is not None
            assert of.p == pytest.approx(two_sided(of.t, sample.df), rel=1e-6, abs=1e-12)
        p, mine = (
            len(model.coefficients),
            [of.code for of in model.predictions if of.variable == swaps_of(model)],
        )
        for pair in model.differences:
            if pair.variable == swaps_of(model):
                i, j = (p + mine.index(code) for code in (pair.a, pair.b))
                assert pair.diff == pytest.approx(want.theta[i] - want.theta[j], rel=1e-6, abs=1e-9)
                variance = covariance[i, i] + covariance[j, j] - 2 * covariance[i, j]
                assert pair.se == pytest.approx(np.sqrt(variance), **close)
        for joint in model.joint:
            at = [
                k
                for k, of in enumerate(model.coefficients)
                if tuple(f.variable for f in of.term) == joint.term
            ]
            q, df = len(at), sample.df
            v = covariance[np.ix_(at, at)]
            wald = want.theta[at] @ np.linalg.solve(v, want.theta[at])
            assert joint.f == pytest.approx((df - q + 1) / (q * df) * wald, rel=1e-5)


def swaps_of(model: Any) -> str:
    """The first variable whose predictions there are."""
    return str(model.predictions[0].variable)


@settings(max_examples=25, deadline=None)
@given(SEEDS, st.sampled_from(["cases alone", "clusters", "finite", "jackknife"]), st.booleans())
def test_reliability_and_correlations_change_with_weights_as_their_errors_say(
    seed: int, named: str, calibrated: bool
) -> None:
    weighting = RAKED if calibrated and named != "jackknife" else None
    design = {**DESIGNS[named], **({"calibrated": True} if weighting else {})}
    scales = [{"id": "r", "items": ["a", "q", "b"]}]
    pairs = [{"id": m, "variables": ["q", "y"], "method": m} for m in ("pearson", "spearman")]
    found = results(survey(seed, size=4), design, weighting, reliability=scales, correlations=pairs)
    sample = sample_of(found, design, weighting)
    a, b, q, y = (column(found, name) for name in "abqy")
    items, inside = np.nan_to_num(np.stack([a, q, b], 1)), ~np.isnan(q)

    def alpha(w: Any) -> float:
        return alpha_of(items[inside], w[inside])

    (scale,) = found.reliability
    assert scale.alpha == pytest.approx(alpha(sample.w), rel=1e-9, abs=1e-11)
    assert scale.se == pytest.approx(np.sqrt(variance_of(sample, alpha, inside)), rel=2e-5, abs=1e-8)
    both = ~(np.isnan(q) | np.isnan(y))
    for result, of in zip(found.correlations, (pearson_of, spearman_of), strict=True):

        def r(w: Any, of: Any = of) -> float:
            return float(of(q[both], y[both], w[both]))

        (pair,) = result.pairs
        assert pair.est == pytest.approx(r(sample.w), rel=1e-9, abs=1e-11)
        assert pair.se == pytest.approx(np.sqrt(variance_of(sample, r, both)), rel=2e-5, abs=1e-8)


@settings(max_examples=25, deadline=None)
@given(SEEDS, st.sampled_from(sorted(DESIGNS)), st.booleans())
@example(3060, "bootstrap", False)  # Replicates in which a category has no case.
def test_cases_in_parts_have_the_same_analyses(seed: int, named: str, numbers: bool) -> None:
    design = {
        **DESIGNS[named],
        **({"calibrated": True} if numbers and "variance" not in DESIGNS[named] else {}),
    }
    asked = parse_study(
        document(
            design, NUMBERS if numbers else None, models=MODELS, reliability=[{"id": "r", "items": ["a", "q"]}],
            correlations=[{"id": "s", "variables": ["q", "y"], "method": "spearman"}],
            tables=[{"id": "t", "stub": ["y"], "banner": ["b", ["a", "b"]], "show": ["total", "ratio"], "per": "d", "tests": ["columns"]}],
        )
    )  # fmt: skip
    data = survey(seed, size=8)
    try:
        whole = run(asked, data, {}).document()
    except StudyError:
        return
    parts = run(asked, data, {}, random_parts(seed)).document()
    assert list(differing(parts, whole, rel=1e-7)) == []


def test_what_splits_the_outcome_is_named_and_so_is_an_outcome_without_choice() -> None:
    x = [float(k) for k in range(12)]
    data = small(x=x, e=[int(v > 5) for v in x], g=["1", "2"] * 6, z=[0] * 12, u=[0, 1, 1, 0] * 3)
    split = only(data, {"outcome": "e", "terms": [["g"], ["x"]]})
    assert split.message.startswith("Separation: x predicts the event perfectly")
    assert split.coefficients == ()
    assert "the same for all 12 cases" in only(data, {"outcome": "z", "terms": [["x"]]}).message
    fine = only(data, {"outcome": "u", "terms": [["x"]]})
    assert fine.message is None and fine.events == 6


def test_columns_that_others_make_up_are_left_out_in_order_and_named() -> None:
    x = [3.0, 1.0, 4.0, 1.0, 5.0, 9.0, 2.0, 6.0]
    data = small(x=x, twice=[2 * v for v in x], one=[7] * 8, y=[2.0, 7.0, 1.0, 8.0, 2.0, 8.0, 1.0, 8.0])
    terms = [["x"], ["twice"], ["one"]]
    found = only(data, {"kind": "linear", "outcome": "y", "terms": terms})
    assert [of.term[0].variable for of in found.left_out] == ["twice", "one"]
    assert [len(of.term) for of in found.coefficients] == [0, 1]


@pytest.mark.parametrize(
    ("model", "said"),
    [
        ({"outcome": "e", "terms": [["nobody"]]}, "no variable 'nobody'"),
        ({"terms": [["x"]]}, "has no outcome"),
        ({"outcome": "x", "terms": [["g"]]}, "values other than 0 and 1"),
        ({"outcome": "g", "terms": [["x"]]}, "choose the answers of g that count as 1"),
        ({"outcome": "g", "event": [9], "terms": [["x"]]}, "no code 9"),
        ({"outcome": "e", "terms": [["g"]], "reference": {"g": 3}}, "reference 3 of g has no case"),
        ({"outcome": "e", "terms": [["x"]], "as_number": ["x"]}, "x is a number already"),
        ({"outcome": "e", "terms": [["x"]], "predictions": ["x"]}, "x is not a coded variable"),
    ],
)
def test_what_does_not_fit_a_model_says_what_mends_it(model: dict[str, Any], said: str) -> None:
    data = small(x=[1.5, 2.5, 3.5, 4.0], e=[0, 1, 0, 1])
    with pytest.raises(StudyError, match=said) as caught:
        only(data, model)
    assert caught.value.faults[0].where.startswith("models[0].")


def test_one_faulty_model_leaves_the_others_and_is_named() -> None:
    data = small(x=[1.5, 2.5, 3.5, 1.0], y=[0.0, 1.0, 0.0, 2.0])
    models = [
        {"id": "good", "kind": "linear", "outcome": "y", "terms": [["x"]]},
        {"id": "bad", "kind": "linear", "outcome": "y", "terms": [["nobody"]]},
    ]
    found = run(parse_study({**BARE, "models": models}), data, {})
    assert [m.id for m in found.models] == ["good"]
    assert [(f.id, f.part) for f in found.faulty] == [("bad", "models")]
    assert found.document()["faulty_tables"][0]["part"] == "models"


def test_items_that_run_against_the_others_are_told_and_constant_ones_have_no_correlation() -> None:
    data = small(p=[1, 2, 3, 4, 5, 3], q=[1, 2, 3, 5, 5, 2], r=[5, 4, 3, 1, 1, 4], k=[2] * 6)
    scales = [{"id": "s", "items": ["p", "q", "r"]}, {"id": "t", "items": ["p", "q", "k"]}]
    document = {**BARE, "reliability": scales}
    against, constant = run(parse_study(document), data, {}).reliability
    assert "r" in against.against
    item = next(of for of in constant.items if of.variable == "k")
    assert (item.item_rest, constant.standardised, item.sd) == (None, None, 0.0)
    pairs = [{"id": "c", "variables": ["p", "k"]}]
    (found,) = run(parse_study({**BARE, "correlations": pairs}), data, {}).correlations
    assert (found.pairs[0].n, found.pairs[0].est) == (6, None)


@pytest.mark.parametrize(
    "part", [{"reliability": [{"id": "r", "items": ["g"]}]}, {"correlations": [{"id": "c"}]}]
)
def test_one_variable_alone_is_no_scale_and_no_pair(part: dict[str, Any]) -> None:
    with pytest.raises(StudyError, match="two"):
        run(parse_study({**BARE, **part}), small(x=[1.5, 2.5]), {})


def test_nothing_is_told_that_rests_on_few_cases() -> None:
    x = [float(k % 7) for k in range(40)]
    data = small(x=x, e=[int(k % 3 == 0) for k in range(40)], p=[1, 2] * 20, q=[2, 1, 2, 2] * 10,
                 few=[5] * 3 + [""] * 37, rare=[1] * 37 + [2] * 3)  # fmt: skip
    scale = {"codes": [{"code": 1, "label": "one"}, {"code": 2, "label": "two"}]}
    book = {"scales": {"g": SCALES["a"], "r": scale}, "variables": [
        {"name": "g", "kind": "coded", "scale": "g"}, {"name": "rare", "kind": "coded", "scale": "r"}]}  # fmt: skip
    asked = {
        **BARE, "codebook": book,
        "models": [
            {"id": "fine", "kind": "logistic", "outcome": "e", "terms": [["x"], ["g"]]},
            {"id": "rare", "kind": "linear", "outcome": "x", "terms": [["rare"]]},
        ],
        "reliability": [{"id": "r", "items": ["p", "few"]}, {"id": "s", "items": ["p", "q"]}],
        "correlations": [{"id": "c", "variables": ["x", "few", "p"]}],
    }  # fmt: skip
    shown = run(parse_study(asked), data, {})
    hidden = run(parse_study({**asked, "suppression": {"below": 5}}), data, {})
    assert [m.message for m in shown.models] == [None, None]
    assert hidden.models[0] == shown.models[0]
    assert (hidden.models[1].message or "").startswith("Suppressed")
    assert (hidden.models[1].coefficients, hidden.models[1].n) == ((), 0)
    assert [of.alpha is None for of in hidden.reliability] == [True, False]
    assert [(of.n, of.est) for of in hidden.correlations[0].pairs if "few" in (of.a, of.b)] == [(0, None)] * 2
