"""What must not change a model, what a saturated one is, and input that leaves nothing to fit."""

from typing import Any

import numpy as np
import pytest
from builders import raw
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from models_asked import BARE, SEEDS, document, only, small
from surveys import survey

from even_ballot.core.faults import StudyError
from even_ballot.core.study.pipeline import run
from even_ballot.core.study.study_file import parse_study

TERMS = [["a"], ["y"], ["a", "b"], ["b"]]
LINEAR = {"kind": "linear", "outcome": "id", "terms": TERMS, "predictions": ["a", "b"]}
LOGISTIC = {
    "kind": "logistic",
    "outcome": "q",
    "event": [2, 3],
    "terms": [["b"], ["y"], ["a"]],
    "predictions": ["b"],
}
DESIGN = {"strata": ["h"], "clusters": ["i"]}


def fitted(
    seed: int, model: dict[str, Any], ledger: list[dict[str, Any]] | None = None, weight: str = "d"
) -> Any:
    asked = document({**DESIGN, "weight": weight}, models=[{"id": "m", **model}], ledger=ledger or [])
    (found,) = run(parse_study(asked), survey(seed, psus=4), {}).models
    assume(found.message is None)
    return found


def predicted(model: Any) -> list[tuple[Any, ...]]:
    return sorted((of.variable, of.code, of.est, of.se) for of in model.predictions)


def same(a: Any, b: Any) -> None:
    for one, other in zip(predicted(a), predicted(b), strict=True):
        assert one[:2] == other[:2]
        assert one[2:] == pytest.approx(other[2:], rel=1e-6, abs=1e-9)
    assert a.r2 == pytest.approx(b.r2, rel=1e-8)


@settings(max_examples=12, deadline=None)
@given(SEEDS, st.sampled_from([LINEAR, LOGISTIC]), st.floats(0.01, 1000))
def test_the_scale_of_weights_changes_nothing(seed: int, model: dict[str, Any], times: float) -> None:
    step = {"do": "derive", "into": "other", "value": f"d * {times!r}"}
    a, b = fitted(seed, model), fitted(seed, model, [step], "other")
    same(a, b)
    for one, other in zip(a.coefficients, b.coefficients, strict=True):
        assert (one.est, one.se) == pytest.approx((other.est, other.se), rel=1e-6, abs=1e-9)


@settings(max_examples=12, deadline=None)
@given(SEEDS, st.sampled_from([LINEAR, LOGISTIC]), st.permutations(range(3)))
def test_the_order_of_terms_changes_no_coefficient_and_no_prediction(
    seed: int, model: dict[str, Any], order: list[int]
) -> None:
    terms = model["terms"][:3]
    # An interaction alone stands for its own main effects.
    terms = [["a"], ["y"], ["b"]] if model is LINEAR else terms
    a = fitted(seed, {**model, "terms": terms})
    b = fitted(seed, {**model, "terms": [terms[k] for k in order]})
    same(a, b)
    by_term = {of.term: of for of in b.coefficients}
    for of in a.coefficients:
        assert (of.est, of.se) == pytest.approx(
            (by_term[of.term].est, by_term[of.term].se), rel=1e-6, abs=1e-9
        )


@settings(max_examples=12, deadline=None)
@given(SEEDS, st.sampled_from([LINEAR, LOGISTIC]), st.integers(1, 3), st.integers(1, 2))
def test_the_choice_of_reference_changes_no_prediction(
    seed: int, model: dict[str, Any], a: int, b: int
) -> None:
    same(fitted(seed, model), fitted(seed, {**model, "reference": {"a": a, "b": b}}))


@settings(max_examples=15, deadline=None)
@given(SEEDS)
def test_a_saturated_logistic_model_has_the_log_odds_of_the_table(seed: int) -> None:
    model = {"kind": "logistic", "outcome": "q", "event": [2], "terms": [["a"], ["b"], ["a", "b"]]}
    asked = document(
        DESIGN, models=[{"id": "m", **model}],
        tables=[{"id": "t", "stub": ["q"], "banner": [["a", "b"]], "show": ["col_pct"], "where": "not missing(q)"}],
    )  # fmt: skip
    results = run(parse_study(asked), survey(seed, psus=5, size=10), {})
    (found,) = results.models
    assume(found.message is None and not found.left_out)
    share = {
        tuple(k.code for k in c.banner): c for c in results.tables[0].cells if c.stub.code == 2 and c.banner
    }
    assume(len(share) == 6 and all(0 < c.est < 1 for c in share.values()))
    odds = {at: np.log(c.est / (1 - c.est)) for at, c in share.items()}
    of = {tuple((f.variable, f.code) for f in c.term): c.est for c in found.coefficients}
    for (a, b), expected in odds.items():
        parts = [(), *([(("a", a),)] if (a or 0) > 1 else []), *([(("b", b),)] if (b or 0) > 1 else []),
                 *([(("a", a), ("b", b))] if (a or 0) > 1 and (b or 0) > 1 else [])]  # fmt: skip
        assert sum(of[part] for part in parts) == pytest.approx(expected, rel=1e-6, abs=1e-8)


def test_a_term_of_thousands_of_categories_is_refused_with_what_mends_it() -> None:
    n = 6000
    codes = [{"code": k, "label": f"Place {k}"} for k in range(1, 3001)]
    book = {"scales": {"p": {"codes": codes}}, "variables": [{"name": "p", "kind": "coded", "scale": "p"}]}
    data = raw({"p": [str(k % 3000 + 1) for k in range(n)], "y": [str(k * 7 % 11) for k in range(n)]})
    asked = {"source": {"path": "a.csv"}, "codebook": book,
             "models": [{"id": "m", "kind": "linear", "outcome": "y", "terms": [["p"]]}]}  # fmt: skip
    with pytest.raises(StudyError, match="The terms have 2,999 columns") as caught:
        run(parse_study(asked), data, {})
    assert caught.value.faults[0].mend and caught.value.faults[0].where.startswith("models[0]")


def test_without_a_complete_case_there_is_nothing_to_fit_and_no_alpha() -> None:
    data = small(x=[1.5, 2.5, "", ""], y=["", "", 1.5, 2.0])
    found = only(data, {"kind": "linear", "outcome": "y", "terms": [["x"]]})
    assert found.n == 0 and found.message
    parts = {
        "reliability": [{"id": "r", "items": ["x", "y"]}],
        "correlations": [{"id": "c", "variables": ["x", "y"]}],
    }
    results = run(parse_study({**BARE, **parts}), data, {})
    assert results.reliability[0].alpha is None and results.reliability[0].message
    assert (results.correlations[0].pairs[0].n, results.correlations[0].pairs[0].est) == (0, None)


def test_texts_are_no_items() -> None:
    data = small(x=[1.5, 2.5], t=["late", "dear"])
    for part in (
        {"reliability": [{"id": "r", "items": ["x", "t"]}]},
        {"correlations": [{"id": "c", "variables": ["x", "t"]}]},
    ):
        with pytest.raises(StudyError, match="t is a text, neither a number nor coded"):
            run(parse_study({**BARE, **part}), data, {})
