"""The design: degrees of freedom, population sizes, one-unit strata, and variances on it."""

import math

import numpy as np
import pytest
from builders import dataset
from hypothesis import given, settings
from hypothesis import strategies as st
from plain import Plain

from even_ballot.core.calibration.weighted_sample import sampled
from even_ballot.core.data.dataset import Dataset
from even_ballot.core.estimation.estimates import Sums
from even_ballot.core.estimation.shares import totals
from even_ballot.core.faults import StudyError
from even_ballot.core.sampling.design import Design
from even_ballot.core.sampling.sample import Sample
from even_ballot.core.sampling.tallies import tally
from even_ballot.core.sampling.units import units_of, weights_of
from even_ballot.core.sampling.variance import covariance_of_shares

COLUMNS = {
    "h": ["1", "1", "1", "2", "2", "3"],
    "i": ["1", "1", "2", "1", "2", "1"],
    "N": ["10", "10", "10", "4", "4", "1"],
}
DATA = dataset({**COLUMNS, "w": ["1", "2", "1", "3", "1", "2"]})
STRATIFIED = {"strata": ("h",), "clusters": ("i",)}


def test_a_psu_identifier_is_read_within_its_stratum() -> None:
    units, _ = units_of(DATA, Design(**STRATIFIED, single_psu="add_nothing"))
    assert (len(units.psus), units.psus.tolist(), units.degrees_of_freedom) == (3, [2, 2, 1], 2)


def test_without_strata_or_clusters_every_case_is_a_psu_of_one_stratum() -> None:
    units, _ = units_of(DATA, Design())
    assert (units.own, units.psus.tolist(), units.degrees_of_freedom) == (True, [6], 5)


def test_refuse_stops_and_names_the_strata() -> None:
    with pytest.raises(StudyError, match=r"1 stratum has only one first-stage unit: 3\."):
        units_of(DATA, Design(**STRATIFIED))


def test_a_stratum_taken_whole_is_no_single_one() -> None:
    units, _ = units_of(DATA, Design(**STRATIFIED, population_size="N"))
    assert units.fraction.tolist() == [0.2, 0.5, 1.0]
    assert not units.single.any()


def broken(**columns: list[str]) -> Dataset:
    return dataset({**COLUMNS, "w": ["1"] * 6, **columns})


@pytest.mark.parametrize(
    ("data", "design", "what"),
    [
        (broken(h=["1", "1", "", "2", "2", "2"]), {"strata": ("h",)}, "h is missing for 1 case (records 3)"),
        (
            broken(N=["10", "9", "10", "4", "4", "1"]),
            {**STRATIFIED, "population_size": "N"},
            "N varies in stratum 1: 9 to 10",
        ),
        (
            broken(N=["1"] * 6),
            {**STRATIFIED, "population_size": "N"},
            "Stratum 1 has 2 first-stage units in the sample, but its population size N is 1",
        ),
        (broken(N=["a"] * 6), {**STRATIFIED, "population_size": "N"}, "N is not a number"),
        (broken(), {"strata": ("zz",)}, "no variable 'zz'"),
        (
            broken(i=list("123456"), h=list("123456")),
            {**STRATIFIED, "single_psu": "mean_of_strata"},
            "nothing to average",
        ),
    ],
)
def test_what_is_wrong_with_a_design_is_named(data: Dataset, design: dict[str, object], what: str) -> None:
    with pytest.raises(StudyError) as error:
        units_of(data, Design.model_validate(design))
    assert what in str(error.value)


@pytest.mark.parametrize(
    ("weights", "what"),
    [(["1", "", "1", "1", "1", "1"], "missing for 1 case"), (["1", "-2", "1", "1", "1", "1"], "negative")],
)
def test_what_is_wrong_with_a_weight_is_named(weights: list[str], what: str) -> None:
    with pytest.raises(StudyError, match=what):
        weights_of(broken(w=weights), "w")


def random_sample(rng: np.random.Generator, single_psu: str, clustered: bool) -> tuple[Sample, Plain]:
    n = int(rng.integers(12, 40))
    stratum = np.sort(rng.integers(0, 4, n))
    stratum[:4] = [0, 0, 1, 1]
    psu = rng.integers(0, 3, n)
    psu[:4] = [0, 1, 0, 1]
    population = {int(h): float(rng.integers(30, 60)) for h in np.unique(stratum)}
    design = Design(
        strata=("h",), clusters=("i",) if clustered else (), population_size="N", single_psu=single_psu
    )
    weight = np.round(rng.gamma(3, 0.3, n) + 0.1, 3)
    sizes = [f"{population[int(h)]:g}" for h in stratum]
    data = dataset({"h": stratum, "i": psu, "N": sizes, "w": [f"{w:g}" for w in weight]})
    plain = Plain(
        weight.tolist(),
        stratum.tolist(),
        (psu if clustered else np.arange(n)).tolist(),
        population,
        single_psu,
    )
    return sampled(data, design, "w"), plain


@settings(max_examples=60, deadline=None)
@given(
    st.integers(0, 10**6), st.sampled_from(["add_nothing", "mean_of_units", "mean_of_strata"]), st.booleans()
)
def test_variances_follow_their_definition_under_every_policy(
    seed: int, policy: str, clustered: bool
) -> None:
    rng = np.random.default_rng(seed)
    sample, plain = random_sample(rng, policy, clustered)
    units, (part,) = sample.units, sample.parts
    cell = rng.integers(0, 3, len(plain.w))
    centre = None if units.weights is None else units.weights.centre
    t = tally(cell, np.zeros(len(cell), np.int8), part.unit, part.weight, (units.rows, 3, 1), centre)
    w, own = t.w[:, :, 0], None if t.own is None else t.own[:, :, 0]
    got = totals(Sums(w, own, t.counts[:, 0]), units).variance
    want = [plain.variance((cell == c).astype(float)) for c in range(3)]
    np.testing.assert_allclose(got, want, rtol=1e-9, atol=1e-9)
    shares = w.sum((0,)) / w.sum()
    z = [plain.ratio((cell == c).astype(float).tolist(), [1.0] * len(cell))[1] for c in range(3)]
    matrix = [[plain.covariance(a, b) for b in z] for a in z]
    np.testing.assert_allclose(covariance_of_shares(w, own, shares, units), matrix, rtol=1e-8, atol=1e-12)


@given(st.integers(0, 10**6))
@settings(max_examples=20, deadline=None)
def test_tallies_of_two_parts_add_up(seed: int) -> None:
    rng = np.random.default_rng(seed)
    n = 200
    stub, banner = rng.integers(-1, 3, n).astype(np.int8), rng.integers(0, 4, n).astype(np.int8)
    unit, weight = rng.integers(0, 5, n).astype(np.int32), rng.random(n)
    at = int(rng.integers(0, n))
    for centre in (None, np.full(5, 0.5)):
        whole = tally(stub, banner, unit, weight, (5, 3, 4), centre)
        parts = [
            tally(stub[s], banner[s], unit[s], weight[s], (5, 3, 4), centre)
            for s in (slice(0, at), slice(at, n))
        ]
        both = parts[0] + parts[1]
        np.testing.assert_allclose(both.w, whole.w, rtol=1e-12)
        np.testing.assert_array_equal(both.counts, whole.counts)
        if whole.own is not None and both.own is not None:
            np.testing.assert_allclose(both.own, whole.own, rtol=1e-12, atol=1e-12)
    assert math.isclose(float(whole.w.sum()), float(weight[stub >= 0].sum()), rel_tol=1e-12)


def test_a_large_tally_in_two_threads_is_that_of_one() -> None:
    rng = np.random.default_rng(5)
    n = 500_000
    stub, banner = rng.integers(0, 5, n).astype(np.int8), rng.integers(0, 8, n).astype(np.int8)
    unit, weight = rng.integers(0, 100, n).astype(np.int32), rng.random(n)
    t = tally(stub, banner, unit, weight, (100, 5, 8))
    key = (unit.astype(np.int64) * 5 + stub) * 8 + banner
    np.testing.assert_allclose(t.w.ravel(), np.bincount(key, weight, 4000), rtol=1e-10)
    np.testing.assert_array_equal(
        t.counts.ravel(), np.bincount(stub.astype(np.int64) * 8 + banner, minlength=40)
    )
