"""A design effect taken apart, against variances worked out plainly, and against the table's own."""

from typing import Any

import numpy as np
import pytest
from designs import column
from hypothesis import given, settings
from hypothesis import strategies as st
from surveys import A, margin, study, survey

from even_ballot.core.faults import StudyError
from even_ballot.core.sampling.planning import DeffParts, Wanted, effective_needed, plans
from even_ballot.core.study.pipeline import given as pipeline_of
from even_ballot.core.tables.design_effect import design_effect
from even_ballot.core.tables.results import StubKey

SEEDS = st.integers(0, 10**6)
TABLE = {
    "id": "t",
    "stub": ["q", "y"],
    "banner": ["b"],
    "show": ["col_pct", "mean"],
    "tests": [],
    "where": "id % 5 != 0",
}


def parts_of(
    seed: int, design: dict[str, Any], stub: StubKey, stat: str, at: dict[str, int], raked: bool = False
) -> Any:
    weighting = {"margins": [margin("a", A)]} if raked else None
    asked = study({**design, **({"calibrated": True} if raked else {})}, weighting, TABLE)
    pipeline = pipeline_of(asked, survey(seed, psus=4, size=8), {})
    found = design_effect(pipeline.shared.value, asked.tables[0], stub, stat, at)
    return found, pipeline


@settings(max_examples=20, deadline=None)
@given(SEEDS, st.sampled_from(["clustered", "alone"]), st.booleans(), st.sampled_from([{}, {"b": 1}]))
def test_the_parts_are_variances_over_one_another(
    seed: int, kind: str, raked: bool, at: dict[str, int]
) -> None:
    design = {"strata": ["h"], **({"clusters": ["i"]} if kind == "clustered" else {})}
    for stub, stat in ((StubKey("q", 2), "col_pct"), (StubKey("y"), "mean")):
        try:
            found, pipeline = parts_of(seed, design, stub, stat, at, raked)
        except StudyError:
            continue
        results = pipeline.results()
        cell = next(c for c in results.tables[0].cells if (c.stub, c.stat) == (stub, stat) and len(c.banner) == len(at)
                    and all(k.code == at[k.variable] for k in c.banner))  # fmt: skip
        assert found.est == pytest.approx(cell.est) and found.base_n == cell.base_n
        if cell.deff is not None:
            assert found.deff == pytest.approx(cell.deff, rel=1e-8)
        product = found.weights * found.clusters * found.strata * found.population * found.calibration
        assert product == pytest.approx(found.deff, rel=1e-9)
        # Each variance plainly.
        w = np.asarray(results.sample.parts[0].weight)
        value = column(results, stub.variable)
        base = ~np.isnan(value) & (column(results, "id") % 5 != 0) & (w > 0)
        for name, code in at.items():
            base &= column(results, name) == code
        y = np.where(base, value if stat == "mean" else value == 2, 0.0).astype(float)
        mean = w[base] @ y[base] / w[base].sum()
        f = np.where(base, w * (y - mean), 0.0) / w[base].sum()
        n = base.sum()
        plain = w[base] @ (y[base] - mean) ** 2 / w[base].sum() / (n - 1)
        assert found.weights == pytest.approx((f @ f) * n / (n - 1) / plain)
        assert found.kish == pytest.approx(n * (w[base] @ w[base]) / w[base].sum() ** 2)
        h, i = column(results, "h"), column(results, "i")
        if kind == "alone":
            assert found.rho is None and found.clusters == 1
            continue
        units = sorted({*zip(h, i, strict=True)})
        totals = np.array([f[(h == a) & (i == b)].sum() for a, b in units])
        sizes = np.array([w[base & (h == a) & (i == b)].sum() for a, b in units])
        p = len(units)
        assert found.clusters * found.weights * plain == pytest.approx(
            p / (p - 1) * ((totals - totals.mean()) ** 2).sum()
        )
        assert found.per_unit == pytest.approx((sizes**2).sum() / (w[base] @ w[base]))
        assert found.rho == pytest.approx((found.clusters - 1) / (found.per_unit - 1))


def test_only_shares_and_means_that_vary_are_taken_apart() -> None:
    for stub, stat, message in (
        (StubKey("y"), "median", "Only shares and means"),
        (StubKey("q", 77), "col_pct", "Only shares and means"),
    ):
        with pytest.raises(StudyError, match=message):
            parts_of(1, {}, stub, stat, {})


PARTS = DeffParts(0.3, 1000, 1.8, 1.2, 1.2, 1.5, 1.0, 0.9, 1.0, 11.0, 0.05, 0.21)


@given(st.floats(0.005, 0.2), st.floats(0.8, 0.99), st.floats(1, 50), st.floats(1, 500))
def test_a_plan_is_just_large_enough_and_none_is_cheaper(
    half: float, level: float, case: float, unit: float
) -> None:
    wanted = Wanted(half_width=half, level=level, case_cost=case, unit_cost=unit)
    found = plans(PARTS, wanted)
    for plan in found:
        enough = effective_needed(PARTS.variance, wanted) * PARTS.at(plan.per_unit)
        assert plan.cases >= enough * (1 - 1e-9) and plan.cases - plan.per_unit < enough
        assert plan.cost == pytest.approx(plan.units * unit + plan.cases * case)
    # In shares of a unit, no number of cases in one costs less than the best of these.
    cost = [PARTS.at(m) * (unit / m + case) for m in range(1, 400)]
    best = min(PARTS.at(p.per_unit) * (unit / p.per_unit + case) for p in found)
    assert best == pytest.approx(min(cost), rel=1e-9) or best <= min(cost)


def test_a_difference_of_halves_needs_four_times_what_all_would() -> None:
    """Each half's mean has twice the variance of all cases' mean, and their difference four times it."""
    z = 1.959963984540054 + 0.8416212335729143
    assert effective_needed(0.25, Wanted(difference=0.1)) == pytest.approx(4 * 0.25 * (z / 0.1) ** 2)
