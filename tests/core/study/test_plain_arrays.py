"""Plain arrays give what a study gives."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from surveys import figures, results, survey

from even_ballot.core.study.plain_arrays import crosstab, quantile, rake, ratio


@settings(max_examples=15, deadline=None)
@given(st.integers(0, 10**6))
def test_a_crosstab_a_mean_and_a_median_are_those_of_a_study(seed: int) -> None:
    design = {"strata": ["h"], "clusters": ["i"], "weight": "d"}
    found = results(survey(seed), design, stub=["a", "y"], banner=["b"], show=["col_pct", "mean", "median"])
    h, i, a, b, w = (found.data.column(name).values for name in ("h", "i", "a", "b", "d"))
    table = crosstab(a, b, w, h, i, show=["col_pct"])
    own = {key[1:2] + tuple(c for _, c in key[2]): value for key, value in figures(table, "se").items()}
    for key, se in figures(found.tables[0], "se").items():
        if key[0] == "a" and key[3] == "col_pct":
            assert own[key[1:2] + tuple(c for _, c in key[2])] == pytest.approx(se, rel=1e-12)
    y = found.data.column("y")
    mean = ratio(np.where(y.answered, y.values, 0), y.answered, w, h, i)
    cells = {c.stat: c for c in found.tables[0].cells if c.stub.variable == "y" and not c.banner}
    assert (mean.est, mean.se) == pytest.approx((cells["mean"].est, cells["mean"].se), rel=1e-9)
    assert mean.df == found.units.degrees_of_freedom
    assert quantile(y.values[y.answered], w[y.answered], 0.5) == cells["median"].est


def test_margins_that_contradict_each_other_are_refused() -> None:
    with pytest.raises(ValueError, match="cannot all be met"):
        rake([1, 1, 1], [([1, 1, 2], {1: 0.5, 2: 0.5}), ([1, 1, 2], {1: 0.9, 2: 0.1})])
