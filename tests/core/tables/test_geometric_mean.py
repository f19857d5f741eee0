"""The geometric mean against its definition, and where it has none."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import stats
from surveys import results, survey

LINEARISED = {"strata": ["h"], "clusters": ["i"], "weight": "d"}
SHOW = ["mean", "geometric_mean"]


@settings(max_examples=20, deadline=None)
@given(st.integers(0, 10**6), st.sampled_from(["y", "q"]), st.sampled_from([[], ["b"]]))
def test_it_is_that_of_the_mean_of_logarithms_rev_back(seed: int, name: str, banner: list[str]) -> None:
    found = results(survey(seed), LINEARISED, stub=[name], banner=banner, show=SHOW)
    w, values = found.data.column("d").values, found.data.column(name)
    cells = [c for c in found.tables[0].cells if c.stat == "geometric_mean"]
    assert len(cells) == (3 if banner else 1)
    for cell in cells:
        inside = values.answered & (w > 0)
        for key in cell.banner:
            column = found.data.column(key.variable)
            inside &= column.answered & (column.values == key.code)
        y, weight = np.log(values.values[inside].astype(float)), w[inside]
        mean = float(weight @ y / weight.sum())
        assert cell.est == pytest.approx(math.exp(mean))
        h, i = (found.data.column(of).values for of in ("h", "i"))
        z = np.zeros(len(w))
        z[inside] = weight * (y - mean) / weight.sum()
        variance = 0.0
        for stratum in np.unique(h):
            units = np.unique(i[h == stratum])
            t = np.array([z[(h == stratum) & (i == unit)].sum() for unit in units])
            variance += len(t) / (len(t) - 1) * float(((t - t.mean()) ** 2).sum())
        assert cell.se == pytest.approx(math.exp(mean) * math.sqrt(variance))
        half = stats.t.isf(0.025, found.units.degrees_of_freedom) * math.sqrt(variance)
        assert (cell.low, cell.high) == pytest.approx((math.exp(mean - half), math.exp(mean + half)))


def test_a_column_with_a_value_of_0_or_less_has_none() -> None:
    data = survey(3)
    derived = {"ledger": [{"do": "derive", "into": "less", "value": "pick(b == 1, y, -y)"}]}
    from surveys import TABLE, study

    from even_ballot.core.study.pipeline import run
    from even_ballot.core.study.study_file import parse_study

    asked = study(LINEARISED, None, {**TABLE, "stub": ["less"], "banner": ["b"], "show": SHOW})
    found = run(parse_study({**asked.model_dump(mode="json", exclude_unset=True), **derived}), data, {})
    stats_of = {(c.stat, c.banner[0].code if c.banner else 0) for c in found.tables[0].cells}
    assert stats_of == {("mean", 0), ("mean", 1), ("mean", 2), ("geometric_mean", 1)}
