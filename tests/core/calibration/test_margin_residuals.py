"""Standard errors that take the raking into account, against residuals written out case by case, and
between layouts."""

from typing import Any

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from plain import Plain
from surveys import A, B, figures, margin, results, survey

from even_ballot.core.study.results import Results

STRATIFIED = {"strata": ["h"], "clusters": ["i"], "calibrated": True}
RAKED = {"margins": [margin("a", A), margin("b", B)]}
WITHIN = {"margins": [margin("a", A)], "within": ["b"]}
LIMITED = {**RAKED, "limits": {"low": 0.53, "high": 1.87}}
HELD = {"margins": [margin("a", A, unknown="hold"), margin("b", B)]}


def columns_of(found: Results, weighting: dict[str, Any]) -> np.ndarray:
    """x of every case: a constant, and the 0/1 columns of all margin categories; what is less its target's
    share is an estimate's."""
    data = found.data
    value = {name: np.where(data.column(name).answered, data.column(name).values, 0) for name in ("a", "b")}
    columns = [np.ones(data.n)]
    groups = value["b"] if weighting.get("within") else np.zeros(data.n)
    for spec in weighting["margins"]:
        (name,) = spec["by"]
        for target in spec["targets"]:
            inside = (value[name] == target["at"][name]).astype(float)
            if spec.get("unknown") == "hold":
                inside = inside - target["value"] * (value[name] > 0)
            elif weighting.get("within"):
                inside = inside - target["value"]
            columns += [np.where(groups == g, inside, 0.0) for g in np.unique(groups)]
    return np.stack(columns, 1)


@settings(max_examples=12, deadline=None)
@given(st.integers(0, 10**6), st.sampled_from([RAKED, WITHIN, LIMITED, HELD]), st.booleans())
def test_standard_errors_are_those_of_residuals(seed: int, weighting: dict[str, Any], own: bool) -> None:
    unknown = 0.15 if weighting is HELD else 0.0
    design = {**STRATIFIED} if not own else {"strata": ["h"], "calibrated": True}
    found = results(survey(seed, unknown=unknown), design, weighting)
    assume(found.weightings[0].converged)
    data, x = found.data, columns_of(found, weighting)
    w = data.column("weight").values
    free = w.copy()
    if weighting is LIMITED:
        free[(np.abs(w - w.max()) < 1e-9) & (w.max() > 1.87 - 1e-9)] = 0.0
        free[(np.abs(w - w.min()) < 1e-9) & (w.min() < 0.53 + 1e-9)] = 0.0
    psu = np.arange(data.n) if own else data.column("i").values
    plain = Plain(w.tolist(), data.column("h").values.astype(int).tolist(), psu.astype(int).tolist())

    def se(z: list[float]) -> float:
        slope = np.linalg.pinv(x.T @ (free[:, None] * x), rcond=1e-12) @ (x.T @ (free * np.array(z)))
        return float(np.sqrt(plain.variance((np.array(z) - x @ slope).tolist())))

    got, q, b = figures(found.tables[0], "se"), data.column("q"), data.column("b").values
    for code in (1, 2, 3):
        chosen = ((q.values == code) & q.answered).astype(float)
        assert got["q", code, (), "count"] == pytest.approx(se(chosen.tolist()), rel=1e-7, abs=1e-8)
        _, z = plain.ratio(chosen.tolist(), q.answered.astype(float).tolist())
        assert got["q", code, (), "col_pct"] == pytest.approx(se(z), rel=1e-7, abs=1e-9)
        _, z = plain.ratio((chosen * (b == 2)).tolist(), (q.answered * (b == 2.0)).tolist())
        assert got["q", code, (("b", 2),), "col_pct"] == pytest.approx(se(z), rel=1e-7, abs=1e-9)
    y = data.column("y")
    _, z = plain.ratio(np.where(y.answered, y.values, 0).tolist(), y.answered.astype(float).tolist())
    assert got["y", None, (), "mean"] == pytest.approx(se(z), rel=1e-7)


@settings(max_examples=12, deadline=None)
@given(st.integers(0, 10**6), st.sampled_from([RAKED, WITHIN, LIMITED]), st.booleans())
def test_cases_as_units_and_units_of_one_case_are_the_same_design(
    seed: int, weighting: dict[str, Any], calibrated: bool
) -> None:
    data = survey(seed, strata=2, psus=3, size=8)
    design = {"strata": ["h"], "calibrated": calibrated}
    grouped = results(data, design, weighting)
    apart = results(data, {**design, "clusters": ["id"]}, weighting)
    assert grouped.units.own
    assert not apart.units.own
    for one, other in zip(grouped.tables[0].cells, apart.tables[0].cells, strict=True):
        for field in ("est", "se", "low", "deff"):
            a, b = getattr(one, field), getattr(other, field)
            assert a == b or a == pytest.approx(b, rel=1e-7, abs=1e-9), (one, other)
    assert grouped.tables[0].tests
    for one, other in zip(grouped.tables[0].tests, apart.tables[0].tests, strict=True):
        assert (one.kind, one.p) == (other.kind, pytest.approx(other.p, rel=1e-6))


def test_without_margins_calibrated_changes_nothing() -> None:
    data = survey(3)
    plain, known = (results(data, {**STRATIFIED, "calibrated": c}, {"margins": []}) for c in (False, True))
    assert figures(plain.tables[0], "se") == figures(known.tables[0], "se")
