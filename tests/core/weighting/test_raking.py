"""Raking and its report."""

from typing import Any

import numpy as np
import pytest
from builders import coded, dataset, scale, study
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from even_ballot.core.data.codebook import Code, Scale
from even_ballot.core.data.dataset import Dataset
from even_ballot.core.faults import StudyError
from even_ballot.core.weighting.laying.combinations import combine
from even_ballot.core.weighting.pasted_targets import match_targets
from even_ballot.core.weighting.raking import rake
from even_ballot.core.weighting.report import report
from even_ballot.core.weighting.weighting import Weighting


def margin(name: str, targets: dict[int, float], **more: Any) -> dict[str, Any]:
    return {
        "by": [name],
        "targets": [{"at": {name: code}, "value": value} for code, value in targets.items()],
        **more,
    }


def weighting(*margins: dict[str, Any], **more: Any) -> Weighting:
    return study(weightings=[{"margins": list(margins), **more}]).weightings[0]


def sample(seed: int, n: int = 60) -> Dataset:
    rng = np.random.default_rng(seed)
    columns = {"a": coded(rng.integers(1, 3, n).tolist()), "b": coded(rng.integers(1, 4, n).tolist()),
               "d": [f"{x:.4f}" for x in rng.gamma(4, 0.25, n) + 0.05]}  # fmt: skip
    return dataset(columns, a=scale(1, 2), b=scale(1, 2, 3))


A, B = {1: 0.4, 2: 0.6}, {1: 0.2, 2: 0.3, 3: 0.5}


@settings(max_examples=25, deadline=None)
@given(st.integers(0, 10**6))
def test_margins_are_met_weights_are_positive_and_order_does_not_matter(seed: int) -> None:
    data = sample(seed)
    raked = rake(data, weighting(margin("a", A), margin("b", B), base="d", tolerance=1e-12))
    assume(raked.converged)
    assert (raked.weights > 0).all()
    assert raked.weights.sum() == pytest.approx(data.n)
    for name, targets in (("a", A), ("b", B)):
        for code, share in targets.items():
            inside = data.column(name).values == code
            assert raked.weights[inside].sum() / data.n == pytest.approx(share, abs=1e-9)
    turned = rake(data, weighting(margin("b", B), margin("a", A), base="d", tolerance=1e-12))
    np.testing.assert_allclose(turned.weights, raked.weights, rtol=1e-6)


@settings(max_examples=10, deadline=None)
@given(st.integers(0, 10**6), st.floats(0.01, 1000))
def test_base_weights_times_a_constant_change_nothing(seed: int, factor: float) -> None:
    data = sample(seed)
    scaled = [f"{x * factor:.12g}" for x in data.column("d").values]
    other = dataset({"a": coded(data.column("a").values.tolist()), "b": coded(data.column("b").values.tolist()), "d": scaled},
                    a=scale(1, 2), b=scale(1, 2, 3))  # fmt: skip
    request = weighting(margin("a", A), margin("b", B), base="d")
    np.testing.assert_allclose(rake(other, request).weights, rake(data, request).weights, rtol=1e-7)


@settings(max_examples=10, deadline=None)
@given(st.integers(0, 10**6))
def test_combinations_give_what_raking_case_by_case_gives(seed: int) -> None:
    data = sample(seed)
    raked = rake(data, weighting(margin("a", A), margin("b", B), base="d"))
    w = data.column("d").values / data.column("d").values.sum()
    for _ in range(raked.cycles):
        for name, targets in (("a", A), ("b", B)):
            codes = data.column(name).values
            for code, share in targets.items():
                w[codes == code] *= share / w[codes == code].sum()
    np.testing.assert_allclose(raked.weights, w * data.n, rtol=1e-9)


def test_the_index_is_the_same_however_many_combinations_there_are() -> None:
    rng = np.random.default_rng(3)
    columns = [rng.integers(-1, k, 500).astype(np.int8) for k in (100, 100, 100, 100)]
    base = rng.random(500)
    wide = combine([columns], [101] * 4, [base])
    assert len(wide.base) < 600
    for j, column in enumerate(columns):
        np.testing.assert_array_equal(wide.places[wide.index[0], j], column)
    assert wide.base.sum() == pytest.approx(base.sum())


def test_the_report_is_kishs() -> None:
    data = sample(1)
    request = weighting(margin("a", A), base="d", scale_to=61_300)
    raked = rake(data, request)
    found = report(data, raked, request)
    w = raked.weights
    assert w.sum() == pytest.approx(61_300)
    assert found.n_effective == pytest.approx(w.sum() ** 2 / (w**2).sum())
    assert found.deff_weights == pytest.approx(found.n / found.n_effective)
    assert sum(bar.cases for bar in found.histogram) == data.n
    assert [row.label for row in found.margins[0].rows] == ["A1", "A2"]


def test_cases_of_base_weight_nought_stay_at_nought() -> None:
    data = dataset({"a": ["1", "2", "1"], "d": ["1", "1", "0"]}, a=scale(1, 2))
    raked = rake(data, weighting(margin("a", A), base="d"))
    assert raked.weights.tolist() == pytest.approx([0.8, 1.2, 0.0])
    assert report(data, raked, weighting(margin("a", A), base="d")).n == 2


def test_margins_that_contradict_are_reported_as_not_met() -> None:
    data = dataset({"a": ["1", "2"] * 4, "b": ["1", "2"] * 4}, a=scale(1, 2), b=scale(1, 2))
    raked = rake(data, weighting(margin("a", {1: 0.5, 2: 0.5}), margin("b", {1: 0.9, 2: 0.1}), max_cycles=50))
    assert not raked.converged
    assert raked.max_gap > 0.1
    assert raked.cycles == 50


DATA = dataset(
    {"a": ["1", "2", "1", "", "5"], "d": ["1", "x", "-1", "1", "1"], "t": list("uvwxy")}, a=scale(1, 2, 3)
)


@pytest.mark.parametrize(
    ("request_", "what", "where"),
    [
        (weighting(margin("a", {1: 0.5, 2: 0.4})), "1 case has no value on a", "margins[0]"),
        (weighting(margin("a", {1: 0.5, 2: 0.5}, unknown="hold")), "1 case is in a 5", "margins[0]"),
        (weighting(margin("t", {1: 1.0})), "margins are over coded variables", "weightings[0]"),
        (weighting(margin("a", A), base="d"), "d is a text, not a number", "base"),
        (weighting(margin("zz", A)), "no variable 'zz'", "weightings[0]"),
    ],
)
def test_what_contradicts_is_named(request_: Weighting, what: str, where: str) -> None:
    with pytest.raises(StudyError) as error:
        rake(DATA, request_)
    assert what in str(error.value)
    assert where in error.value.faults[0].where


CLEAN = dataset({"a": ["1", "2", "1", "2"]}, a=scale(1, 2, 3))


@pytest.mark.parametrize(
    ("margin_", "what"),
    [
        (margin("a", {1: 0.5, 2: 0.4}), "sum to 0.9, not 1; 0.1 is missing"),
        (margin("a", {1: 50, 2: 49}, **{"as": "percent"}), "sum to 99, not 100"),
        (margin("a", {1: 0.5, 2: 0.3, 3: 0.2}), "There are no cases in a 3 (A3)"),
        (margin("a", {1: 1.0}), "2 cases are in a 2 (A2), which has no target"),
        (margin("a", {1: 1.0, 2: 0.0}), "has target 0 but 2 cases"),
        (margin("a", {1: 0.5, 2: 0.3, 7: 0.2}), "it is no category of a"),
    ],
)
def test_targets_that_do_not_fit_are_named(margin_: dict[str, Any], what: str) -> None:
    with pytest.raises(StudyError) as error:
        rake(CLEAN, weighting(margin_))
    assert what in str(error.value)


def test_counts_must_agree_on_their_total() -> None:
    data = sample(2)
    with pytest.raises(StudyError, match="describe one population"):
        rake(
            data,
            weighting(
                margin("a", {1: 40, 2: 60}, **{"as": "counts"}),
                margin("b", {1: 20, 2: 30, 3: 51}, **{"as": "counts"}),
            ),
        )


def test_targets_pasted_in_any_order_are_matched_by_label_or_code() -> None:
    data = dataset({"sex": ["1", "2"], "age": ["1", "2"]}, sex=scale(1, 2), age=scale(1, 2))
    text = "Category\tpeople\na2, A1\t7,410\nA1 ; A1 ; 1 250.5\n2\t2\t12,830\nA1, A2, 30 %\nA9, A1, 3\n1, 1, 5\nA1 of what"
    found = match_targets(data, ("sex", "age"), text)
    assert [(line.at, line.value) for line in found.lines[:4]] == [
        ({"sex": 2, "age": 1}, 7410.0), ({"sex": 1, "age": 1}, 1250.5), ({"sex": 2, "age": 2}, 12830.0), ({"sex": 1, "age": 2}, 30.0),
    ]  # fmt: skip
    assert [bool(line.problem) for line in found.lines] == [False] * 4 + [True] * 3
    assert found.without_target == ()
    assert found.total == pytest.approx(7410 + 1250.5 + 12830 + 30)


def test_labels_with_numbers_in_them_are_whole_labels() -> None:
    bands = Scale(
        codes=(
            Code(code=1, label="18 to 34"),
            Code(code=2, label="35 to 59"),
            Code(code=3, label="60 and over"),
        )
    )
    data = dataset({"age": ["1", "2", "3"]}, age=bands)
    found = match_targets(data, ("age",), "60 and over 9210\n18 to 34\t15100\n35 to 59: 0,45")
    assert [(line.at, line.value) for line in found.lines] == [
        ({"age": 3}, 9210),
        ({"age": 1}, 15100),
        ({"age": 2}, 0.45),
    ]
