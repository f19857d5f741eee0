"""What limits cost, and weightings side by side, against figures worked out from the weights themselves."""

from typing import Any

import numpy as np
import pytest
from builders import coded, dataset, scale, study
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from even_ballot.core.data.dataset import Dataset
from even_ballot.core.faults import StudyError
from even_ballot.core.weighting.comparison import compare
from even_ballot.core.weighting.limit_price import limit_prices
from even_ballot.core.weighting.raking import rake
from even_ballot.core.weighting.weighting import Weighting


def sample(seed: int, n: int = 80) -> Dataset:
    rng = np.random.default_rng(seed)
    a = rng.integers(1, 4, n)
    columns = {"a": coded(a.tolist()), "b": coded(rng.integers(1, 3, n).tolist()),
               "q": coded([None if k % 9 == 0 else int(np.clip(x + rng.integers(-1, 2), 1, 3)) for k, x in enumerate(a)]),
               "y": ["" if k % 7 == 0 else str(k) for k in range(n)]}  # fmt: skip
    return dataset(columns, a=scale(1, 2, 3), b=scale(1, 2), q=scale(1, 2, 3))


def weighting(*targets: float, **more: Any) -> Weighting:
    by_a = {"by": ["a"], "targets": [{"at": {"a": k + 1}, "value": v} for k, v in enumerate(targets)]}
    by_b = {"by": ["b"], "targets": [{"at": {"b": 1}, "value": 0.4}, {"at": {"b": 2}, "value": 0.6}]}
    return study(weightings=[{"margins": [by_a, by_b], **more}]).weightings[0]


@settings(max_examples=15, deadline=None)
@given(st.integers(0, 10**6))
def test_each_price_is_that_of_a_raking_under_its_limit(seed: int) -> None:
    data = sample(seed)
    request = weighting(0.6, 0.25, 0.15, limits={"low": 0.3, "high": 2.2})
    prices = limit_prices(data, request, ["q"], "weightings[0]")
    assume(len(prices) > 3)
    assert prices[0].high is None
    assert 2.2 in [p.high for p in prices]
    for price in prices[1::4]:
        limited = study(
            weightings=[request.model_dump(by_alias=True) | {"limits": {"low": 0.3, "high": price.high}}]
        ).weightings[0]
        w = rake(data, limited).weights
        assert price.n_effective == pytest.approx(w.sum() ** 2 / (w @ w))
        assert price.min == pytest.approx(w.min() / w.mean())
        assert price.max == pytest.approx(w.max() / w.mean())
        assert price.moved is not None
        code = int(price.moved.label[1:])
        answered = data.column("q").answered
        share = w[answered & (data.column("q").values == code)].sum() / w[answered].sum()
        assert price.moved.within == pytest.approx(share)


def test_without_margins_a_limit_has_no_price() -> None:
    data = sample(1)
    assert limit_prices(data, study(weightings=[{}]).weightings[0], ["q"], "") == ()


def test_weights_that_are_even_already_leave_nothing_to_limit() -> None:
    data = dataset({"a": ["1", "2", "3"] * 4, "b": ["1"] * 12}, a=scale(1, 2, 3), b=scale(1))
    third = {"by": ["a"], "targets": [{"at": {"a": k}, "value": 1 / 3} for k in (1, 2, 3)]}
    assert len(limit_prices(data, study(weightings=[{"margins": [third]}]).weightings[0], ["a"], "")) == 1


def test_weightings_are_compared_over_the_same_cases() -> None:
    data = sample(4)
    requests = [weighting(0.5, 0.3, 0.2), weighting(0.5, 0.3, 0.2, save_as="held", limits={"low": 0.5, "high": 1.8}),
                weighting(0.2, 0.3, 0.5, save_as="other")]  # fmt: skip
    raked = [rake(data, r) for r in requests]
    found = compare(data, raked, ["q", "y"])
    assert [w.name for w in found.weights] == [None, "weight", "held", "other"]
    assert [(m.weightings, m.by) for m in found.margins] == [
        (("weight", "held"), ("a",)), (("weight", "held", "other"), ("b",)), (("other",), ("a",)),
    ]  # fmt: skip
    assert found.margins[0].gaps[3] == pytest.approx(0.3)
    assert found.margins[0].labels[3] in ("A1", "A3")
    weights = [np.ones(data.n), *(r.weights for r in raked)]
    answered = data.column("q").answered
    for row in found.rows[:3]:
        want = [
            w[answered & (data.column("q").values == row.code)].sum() / w[answered].sum() for w in weights
        ]
        assert row.estimates == pytest.approx(want)
    y = data.column("y")
    want = [np.average(y.values[y.answered], weights=w[y.answered]) for w in weights]
    assert found.rows[3].label == "mean"
    assert found.rows[3].estimates == pytest.approx(want)


def test_texts_are_not_compared() -> None:
    data = dataset({"t": ["u", "v"]})
    with pytest.raises(StudyError, match="t is a text; shares and means are compared"):
        compare(data, [], ["t"])
