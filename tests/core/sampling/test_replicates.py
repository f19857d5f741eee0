"""Replicates against plain loops, and against linearisation."""

from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from surveys import A, B, figures, margin, results, survey

from even_ballot.core.calibration.weighted_sample import sampled
from even_ballot.core.data.dataset import RawTable, text_column
from even_ballot.core.faults import StudyError
from even_ballot.core.sampling.design import Design
from even_ballot.core.sampling.replicates import ByCase, Factors, Jackknife

STRATIFIED = {"strata": ["h"], "clusters": ["i"]}
RAKED = {"margins": [margin("a", A), margin("b", B)]}
LIMITED = {**RAKED, "limits": {"low": 0.5, "high": 2}}
SEEDS = st.integers(0, 10**6)
METHODS = [{"method": "jackknife"}, {"method": "bootstrap", "count": 30, "seed": 4}]


def with_base(data: RawTable, weights: np.ndarray) -> RawTable:
    """The same answers with other base weights."""
    at = data.names.index("d")
    columns = (*data.columns[:at], text_column([f"{w:.17g}" for w in weights]), *data.columns[at + 1 :])
    return RawTable(data.names, data.labels, columns, data.rows)


def base_of(data: RawTable) -> np.ndarray:
    column = data.columns[data.names.index("d")]
    return np.array([float(column.words[v]) for v in column.values])


def by_hand(
    data: RawTable, design: dict[str, Any], weighting: dict[str, Any] | None
) -> dict[Any, float | None]:
    """Σ_r c_r (θ_r − θ)² with every replicate run as a study of its own."""
    asked = {k: v for k, v in design.items() if k != "calibrated"}
    drawn = sampled(results(data, asked).data, Design.model_validate(asked), asked.get("weight"))
    replicates = drawn.units.replicates
    assert isinstance(replicates, Jackknife | Factors)
    plain = {k: v for k, v in design.items() if k not in ("variance", "calibrated")}
    whole = figures(results(data, plain, weighting, tests=[]).tables[0], "est")
    sums = dict.fromkeys(whole, 0.0)
    scale = {"scale_to": len(data.rows)} if weighting else {}
    base = base_of(data)
    for factor, c in zip(replicates.factors(), replicates.c, strict=True):
        again = with_base(data, base * factor[drawn.parts[0].unit])
        found = figures(
            results(again, plain, weighting and {**weighting, **scale}, tests=[]).tables[0], "est"
        )
        for key, estimate in whole.items():
            there = found.get(key)
            sums[key] = np.nan if there is None else sums[key] + c * (there - (estimate or 0.0)) ** 2
    return {key: None if value != value else float(np.sqrt(value)) for key, value in sums.items()}


@settings(max_examples=8, deadline=None)
@given(SEEDS, st.sampled_from(METHODS), st.booleans(), st.booleans())
def test_standard_errors_are_those_of_replicates_run_one_by_one(
    seed: int, method: dict[str, Any], whole: bool, own: bool
) -> None:
    data = survey(seed, strata=2, psus=3, size=4)
    design = {
        **({"strata": ["h"]} if own else STRATIFIED),
        "variance": method,
        **({"population_size": "N"} if whole else {}),
    }
    if own and whole:
        design["population_size"] = "big"
        data = RawTable(
            (*data.names, "big"),
            (*data.labels, "big"),
            (*data.columns, text_column(["40"] * len(data.rows))),
            data.rows,
        )
    want = by_hand(data, design, None)
    got = figures(results(data, design).tables[0], "se")
    compare(got, want)


@settings(max_examples=6, deadline=None)
@given(SEEDS, st.sampled_from(METHODS), st.sampled_from([RAKED, LIMITED]))
def test_replicates_are_raked_again_as_if_each_were_a_sample(
    seed: int, method: dict[str, Any], weighting: dict[str, Any]
) -> None:
    data = survey(seed, strata=2, psus=3, size=8)
    design = {**STRATIFIED, "variance": method, "calibrated": True}
    try:
        want = by_hand(data, design, weighting)
    except StudyError:  # A replicate without some category cannot be raked.
        return
    got = results(data, design, weighting)
    assert isinstance(got.units.replicates, ByCase)
    failed = got.units.replicates.failed
    if failed is None or not failed.any():
        compare(figures(got.tables[0], "se"), want, rel=1e-6)


def compare(got: dict[Any, Any], want: dict[Any, Any], rel: float = 1e-8) -> None:
    for key, value in want.items():
        if key[3] in ("n", "median"):
            continue
        if value is None:
            assert got[key] is None, key
        else:
            assert got[key] == pytest.approx(value, rel=rel, abs=1e-9), key


def ses(
    data: RawTable, design: dict[str, Any], stat: str, weighting: dict[str, Any] | None = None
) -> np.ndarray:
    found = figures(results(data, design, weighting, tests=[]).tables[0], "se")
    return np.array([value for key, value in found.items() if key[3] == stat], float)


@settings(max_examples=10, deadline=None)
@given(SEEDS)
def test_the_jackknife_of_a_total_is_its_linearised_variance(seed: int) -> None:
    data = survey(seed)
    fpc = {**STRATIFIED, "population_size": "N"}
    got = ses(data, {**fpc, "variance": {"method": "jackknife"}}, "count")
    np.testing.assert_allclose(got, ses(data, fpc, "count"), rtol=1e-9)


@settings(max_examples=10, deadline=None)
@given(SEEDS, st.sampled_from([0.0, 0.5]), st.booleans())
def test_balanced_half_samples_of_a_total_give_its_linearised_variance(
    seed: int, fay: float, fpc: bool
) -> None:
    data = survey(seed, strata=7, psus=2, size=3)
    design = {**STRATIFIED, **({"population_size": "N"} if fpc else {})}
    got = ses(data, {**design, "variance": {"method": "balanced", "fay": fay}}, "count")
    np.testing.assert_allclose(got, ses(data, design, "count"), rtol=1e-9)


@settings(max_examples=5, deadline=None)
@given(SEEDS)
def test_bootstrap_and_jackknife_agree_with_linearisation_within_sampling_error(seed: int) -> None:
    data = survey(seed, strata=4, psus=12, size=5)
    linearised = ses(data, STRATIFIED, "count")
    bootstrap = ses(
        data, {**STRATIFIED, "variance": {"method": "bootstrap", "count": 2000, "seed": seed}}, "count"
    )
    # A variance from 2000 replicates is off by √(2/2000), a standard error by half of that; five times that
    # is far.
    np.testing.assert_allclose(bootstrap, linearised, rtol=5 * np.sqrt(2 / 2000) / 2)
    for stat in ("col_pct", "mean", "response_pct"):
        plain = ses(data, STRATIFIED, stat)
        np.testing.assert_allclose(
            ses(data, {**STRATIFIED, "variance": {"method": "jackknife"}}, stat), plain, rtol=0.1
        )
        found = ses(data, {**STRATIFIED, "variance": {"method": "bootstrap", "count": 2000, "seed": 1}}, stat)
        np.testing.assert_allclose(found, plain, rtol=0.2)


@pytest.mark.parametrize("weighting", [RAKED, LIMITED])
@pytest.mark.parametrize(
    "variance", [{"method": "linearised"}, {"method": "jackknife"}, {"method": "bootstrap", "count": 20}]
)
def test_a_share_that_was_raked_to_has_no_calibrated_standard_error(
    weighting: dict[str, Any], variance: dict[str, Any]
) -> None:
    data = survey(11, strata=3, psus=5, size=10)
    found = results(
        data,
        {**STRATIFIED, "calibrated": True, "variance": variance},
        weighting,
        stub=["a", "b", "q"],
        banner=[],
    )
    ses = figures(found.tables[0], "se")
    for key, value in ses.items():
        if key[3] == "col_pct":
            assert (value == 0) is (key[0] in ("a", "b")), key


def test_a_replicate_that_cannot_be_raked_leaves_no_standard_errors() -> None:
    data = survey(2, strata=1, psus=4, size=6)
    # Category 3 of a is in the first PSU only: without it there is no target to meet.
    at = data.names.index("a")
    codes = [str(1 + k % 2) if k >= 6 else str(1 + k % 3) for k in range(len(data.rows))]
    data = RawTable(
        data.names, data.labels, (*data.columns[:at], text_column(codes), *data.columns[at + 1 :]), data.rows
    )
    found = results(
        data,
        {"clusters": ["i"], "calibrated": True, "variance": {"method": "jackknife"}},
        {"margins": [margin("a", A)]},
    )
    assert isinstance(found.units.replicates, ByCase)
    assert found.units.replicates.failed is not None
    assert found.units.replicates.failed.tolist() == [True, False, False, False]
    cells = [c for c in found.tables[0].cells if c.stat == "col_pct" and 0 < c.est < 1]
    assert cells
    assert all(c.se is None and c.low is None for c in cells)
    assert found.tables[0].tests == ()


def test_a_replicate_with_an_empty_base_leaves_that_estimate_without_a_standard_error() -> None:
    data = survey(3, strata=1, psus=4, size=6)
    found = results(data, {"clusters": ["i"], "variance": {"method": "jackknife"}}, where="i == 2", banner=[])
    assert all(c.se is None for c in found.tables[0].cells if c.stat in ("col_pct", "mean"))
    everybody = results(
        data, {"clusters": ["i"], "variance": {"method": "jackknife"}}, where="i == 2 or i == 3", banner=[]
    )
    assert all(c.se is not None for c in everybody.tables[0].cells if c.stat in ("col_pct", "mean"))


def given_columns(data: RawTable, replicates: int, seed: int = 1) -> RawTable:
    rng = np.random.default_rng(seed)
    weights = base_of(data)[:, None] * rng.choice([0.0, 1.0, 2.0], (len(data.rows), replicates))
    names = tuple(f"r{k}" for k in range(replicates))
    columns = tuple(text_column([f"{w:.17g}" for w in weights[:, k]]) for k in range(replicates))
    return RawTable((*data.names, *names), (*data.labels, *names), (*data.columns, *columns), data.rows)


def test_given_replicate_weights_are_used_as_they_are() -> None:
    data = given_columns(survey(5), 8)
    names = [f"r{k}" for k in range(8)]
    found = results(data, {"variance": {"method": "columns", "columns": names, "scale": 0.5}})
    assert found.units.degrees_of_freedom == 7
    whole = figures(found.tables[0], "est")
    sums = dict.fromkeys(whole, 0.0)
    for name in names:
        again = figures(results(data, {"weight": name}, tests=[]).tables[0], "est")
        for key in whole:
            sums[key] += 0.5 * ((again.get(key) or 0.0) - (whole[key] or 0.0)) ** 2
    compare(figures(found.tables[0], "se"), {key: float(np.sqrt(v)) for key, v in sums.items()})
    named = results(data, {**STRATIFIED, "variance": {"method": "columns", "columns": names, "scale": 0.5}})
    assert named.units.degrees_of_freedom == 9


@pytest.mark.parametrize(
    ("design", "what"),
    [
        ({"variance": {"method": "columns", "columns": ["d", "d"], "scale": 1}}, "d is named twice"),
        ({"variance": {"method": "columns", "columns": ["d", "y"], "scale": 1}}, "y is missing for"),
        (
            {**STRATIFIED, "variance": {"method": "balanced"}},
            "two first-stage units in each stratum; these have a different number: 1 (4)",
        ),
        (
            {"strata": ["id"], "variance": {"method": "jackknife"}, "single_psu": "mean_of_units"},
            "at least two first-stage units in each stratum",
        ),
        ({"calibrated": True}, "The weight d was not raked in this study"),
        ({"variance": {"method": "bootstrap", "count": 100_000, "seed": 1}, "strata": ["h"]}, None),
    ],
)
def test_what_a_method_cannot_work_with_is_named(design: dict[str, Any], what: str | None) -> None:
    if what is None:
        assert results(survey(1, strata=1, psus=2, size=3), design, tests=[]).units.replicates is not None
        return
    with pytest.raises(StudyError) as error:
        results(survey(1), design)
    assert what in str(error.value)


def test_one_unit_strata_count_nothing_in_replicates_under_certainty() -> None:
    data = survey(4)
    certain = {"strata": ["h"], "clusters": ["c"], "single_psu": "add_nothing"}
    h = [int(data.columns[1].words[v]) for v in data.columns[1].values]
    i = [int(data.columns[2].words[v]) for v in data.columns[2].values]
    c = text_column([str(1 if stratum == 1 else unit) for stratum, unit in zip(h, i, strict=True)])
    data = RawTable((*data.names, "c"), (*data.labels, "c"), (*data.columns, c), data.rows)
    for method in METHODS[:1]:
        got = ses(data, {**certain, "variance": method}, "count")
        np.testing.assert_allclose(got, ses(data, certain, "count"), rtol=1e-9)
