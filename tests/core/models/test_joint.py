"""Two variables by place against a plain count of weights."""

from typing import Any

import numpy as np
import pytest
from designs import column
from hypothesis import given, settings
from hypothesis import strategies as st
from parting import random_parts
from surveys import study, survey

from even_ballot.core.models.joint import joint, nice_edges
from even_ballot.core.study.pipeline import given as pipeline_of
from even_ballot.core.study.pipeline import run

SEEDS = st.integers(0, 10**6)


@settings(max_examples=15, deadline=None)
@given(SEEDS, st.booleans())
def test_shares_are_those_of_the_weights(seed: int, parted: bool) -> None:
    asked, data = study({}, None, {"id": "t", "stub": ["q"]}), survey(seed)
    found = run(asked, data, {})
    parts: Any = (random_parts(seed),) if parted else ()
    of = joint(pipeline_of(asked, data, {}, *parts).designed.value, "q", "y")
    w = np.asarray(found.sample.parts[0].weight)
    q, y = column(found, "q"), column(found, "y")
    both = ~np.isnan(q) & ~np.isnan(y) & np.isin(q, [1, 2, 3])
    assert of.n == int((both & (w > 0)).sum())
    by_code = [float(w[both & (q == code)].sum() / w[both].sum()) for code in np.unique(q[both])]
    assert np.sum(of.shares, axis=0) == pytest.approx(by_code)
    assert len(of.shares) == len(of.down.labels) and sum(map(sum, of.shares)) == pytest.approx(1)
    if len(np.unique(y[both])) <= 12:
        rows = [float(w[both & (y == value)].sum() / w[both].sum()) for value in np.unique(y[both])]
        assert np.sum(of.shares, axis=1) == pytest.approx(rows)


@given(st.floats(-1e6, 1e6), st.floats(1e-3, 1e6))
def test_edges_are_few_and_cover(low: float, width: float) -> None:
    edges = nice_edges(low, low + width)
    assert (
        2 <= len(edges) <= 13
        and edges[0] <= low + 1e-9 * abs(low) + 1e-300
        and edges[-1] >= low + width - 1e-6
    )
    assert np.diff(edges) == pytest.approx(edges[1] - edges[0], rel=1e-6, abs=1e-9 * np.abs(edges).max())
