"""Base weights: products of columns, and adjustment for those who did not answer."""

from typing import Any

import numpy as np
import pytest
from builders import coded, dataset, scale, study
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from even_ballot.core.data.dataset import Dataset
from even_ballot.core.faults import StudyError
from even_ballot.core.weighting.raking import Raked, rake
from even_ballot.core.weighting.report import report


def weighted(data: Dataset, **parts: Any) -> Raked:
    return rake(data, study(weightings=[{"scale_to": float(data.n), **parts}]).weightings[0])


def test_chances_of_selection_multiply_and_divide() -> None:
    data = dataset({"p1": ["0.5", "0.25", "1"], "p2": ["0.2", "0.5", "0.1"], "adj": ["1", "2", "3"]})
    found = weighted(data, base={"times": ["adj"], "over": ["p1", "p2"], "divided_by": 10})
    np.testing.assert_allclose(found.base, [1.0, 1.6, 3.0])
    scaled = weighted(data, base={"times": ["adj"], "over": ["p1", "p2"], "sum_to": "cases"})
    np.testing.assert_allclose(scaled.base, np.array([10, 16, 30]) * 3 / 56)
    assert weighted(data, base={"times": ["adj"], "sum_to": 1200.0}).base.sum() == pytest.approx(1200)


@pytest.mark.parametrize(
    ("base", "what", "where"),
    [
        ({"over": ["zero"]}, "zero is 0 (records 2), so the weight cannot be divided by it", "base.over"),
        ({"times": ["word"]}, "word is a text, not a number", "base.times"),
        ({"times": ["gone"]}, "no variable 'gone'", "base.times"),
        ("nought", "No case has a base weight above 0", "base"),
    ],
)
def test_what_cannot_be_a_base_weight_is_named(base: Any, what: str, where: str) -> None:
    data = dataset({"zero": ["1", "0"], "word": ["a", "b"], "nought": ["0", "0"]})
    with pytest.raises(StudyError) as error:
        weighted(data, base=base)
    assert what in str(error.value)
    assert where in error.value.faults[0].where


def test_a_product_of_nothing_is_refused() -> None:
    with pytest.raises(StudyError, match="a product needs columns"):
        study(weightings=[{"base": {"divided_by": 2}}])


@settings(max_examples=30)
@given(st.lists(st.tuples(st.integers(1, 3), st.booleans(), st.integers(1, 50)), min_size=4, max_size=60))
def test_those_who_answered_take_over_the_weight_of_their_cell(cases: list[tuple[int, bool, int]]) -> None:
    cell, answered, base = (np.array(side) for side in zip(*cases, strict=True))
    assume(all(answered[cell == c].any() for c in np.unique(cell)))
    data = dataset(
        {"c": coded(cell.tolist()), "status": coded(answered.astype(int).tolist()), "d": base.tolist()},
        c=scale(1, 2, 3),
    )
    found = weighted(data, base="d", nonresponse={"responded": "status == 1", "cells": ["c"], "smallest": 3})
    assert (found.base[~answered] == 0).all()
    for c in np.unique(cell):
        inside = cell == c
        assert found.base[inside].sum() == pytest.approx(base[inside].sum())
        kept = inside & answered
        ratios = found.base[kept] / base[kept]
        np.testing.assert_allclose(ratios, ratios[0])
    for row in found.cells:
        inside = cell == row.at["c"]
        assert (row.responded, row.silent) == (
            int((inside & answered).sum()),
            int((inside & ~answered).sum()),
        )
        assert row.small is (row.responded < 3)


def test_a_cell_where_nobody_answered_is_named() -> None:
    data = dataset({"c": ["1", "1", "2", "2"], "ok": ["1", "0", "0", "0"]}, c=scale(1, 2))
    with pytest.raises(StudyError, match=r"There are no respondents in the cell A2 \(2 cases\)"):
        weighted(data, nonresponse={"responded": "ok == 1", "cells": ["c"]})
    everybody = weighted(data, nonresponse={"responded": "ok == 1"})
    assert everybody.weights.tolist() == pytest.approx([4, 0, 0, 0])
    assert [c.label for c in everybody.cells] == ["all cases"]


def test_cells_are_coded_and_complete() -> None:
    data = dataset({"c": ["1", ""], "x": ["1.5", "2"], "ok": ["1", "1"]}, c=scale(1, 2))
    with pytest.raises(StudyError, match="1 case has no value of c"):
        weighted(data, nonresponse={"responded": "ok == 1", "cells": ["c"]})
    with pytest.raises(StudyError, match="x is a number; cells are made of coded variables"):
        weighted(data, nonresponse={"responded": "ok == 1", "cells": ["x"]})


def test_margins_are_those_of_the_cases_that_answered() -> None:
    data = dataset(
        {"a": coded([1, 1, 2, 2, 2, 3]), "ok": ["1", "1", "1", "0", "1", "0"]}, a=scale(1, 2, 3)
    )  # fmt: skip
    margin = {"by": ["a"], "targets": [{"at": {"a": 1}, "value": 0.5}, {"at": {"a": 2}, "value": 0.5}]}
    request = study(weightings=[{"nonresponse": {"responded": "ok == 1"}, "margins": [margin]}]).weightings[0]
    found = rake(data, request)
    assert found.weights.tolist() == pytest.approx([1, 1, 1, 0, 1, 0])
    assert report(data, found, request).n == 4
