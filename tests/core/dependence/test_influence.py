"""Which cases carry a figure: contributions add up to the variance, exact figures are plain readings."""

import json
import random
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import random_studies
from builders import raw
from hypothesis import given as given_that
from hypothesis import settings
from hypothesis import strategies as st
from loading import depending
from parting import random_parts

from even_ballot.core.data.cases import Cases
from even_ballot.core.dependence.carrying import carrying
from even_ballot.core.dependence.depends import Depending
from even_ballot.core.dependence.influence import Influence, influence_steps
from even_ballot.core.faults import StudyError
from even_ballot.core.study.pipeline import given
from even_ballot.core.study.study_file import parse_study
from even_ballot.core.tables.results import StubKey
from even_ballot.core.tables.stubs.case_terms import RATIOS, TOTALS, case_terms
from even_ballot.demo import FILES

CASES = sorted(path.parent for path in (Path(__file__).parents[2] / "reference").glob("*/study.json"))


def influence(*asked: Any) -> Influence:
    """What the steps end with."""
    *_, found = influence_steps(*asked)
    assert isinstance(found, Influence)
    return found


def check_sums(of: Depending) -> int:
    """How many figures' contributions were held against their published standard errors."""
    shared, checked = of.base.shared.value, 0
    if shared.units.replicates is not None or shared.units.single.any():
        return 0
    for at, table in of.published.items():
        for cell in table.cells:
            if cell.se is None or cell.stat not in RATIOS + TOTALS:
                continue
            terms = case_terms(
                shared, of.study.tables[at], cell.stub, cell.banner, cell.stat, f"tables[{at}]"
            )
            found = carrying(shared.sample, terms)
            # What is only rounding is published as none.
            assert float(found.by_stratum.sum()) ** 0.5 == pytest.approx(
                cell.se, rel=1e-9, abs=1e-9 * max(1.0, abs(cell.est))
            )
            checked += 1
    return checked


def test_contributions_add_up_to_the_variance_of_every_figure_of_the_demo() -> None:
    assert check_sums(depending(FILES)) > 150


@pytest.mark.parametrize("folder", CASES, ids=lambda folder: folder.name)
def test_contributions_add_up_to_the_variance_in_reference_cases(folder: Path) -> None:
    check_sums(depending(folder))


def test_the_exact_figure_is_that_of_the_file_without_the_case(tmp_path: Path) -> None:
    rng = np.random.default_rng(5)
    rows = [
        f"{k},{k % 3 + 1},{k // 4},{y:.3f},{w:.3f},{k % 2 + 1}"
        for k, (y, w) in enumerate(zip(rng.gamma(2, 20, 60), rng.uniform(1, 3, 60), strict=True))
    ]
    rows[17] = "17,3,4,9999,2.0,2"
    study = {
        "source": {"path": "a.csv"},
        "codebook": {
            "scales": {"sex": {"codes": [{"code": 1, "label": "W"}, {"code": 2, "label": "M"}]}},
            "variables": [{"name": "sex", "kind": "coded", "scale": "sex"}],
        },
        "weightings": [{"base": "w", "margins": [{"by": ["sex"], "targets": [
            {"at": {"sex": 1}, "value": 0.5}, {"at": {"sex": 2}, "value": 0.5}]}]}],
        "design": {"clusters": ["psu"], "calibrated": True},
        "tables": [{"id": "t", "stub": ["y"], "banner": ["sex"], "show": ["mean", "total"]}],
    }  # fmt: skip

    def made(lines: list[str], folder: Path) -> Depending:
        folder.mkdir()
        (folder / "a.csv").write_text("\n".join(["id,stratum,psu,y,w,sex", *lines]) + "\n")
        (folder / "study.json").write_text(json.dumps(study))
        return depending(folder)

    def mean(of: Depending) -> float:
        return next(c.est for c in of.published[0].cells if c.stat == "mean" and not c.banner)

    of = made(rows, tmp_path / "whole")
    found = influence(of, 0, StubKey("y"), (), "mean", 3)
    assert found.cases[0].records == (18,) and abs(found.cases[0].in_se or 0) > 0.9
    without = made(rows[:17] + rows[18:], tmp_path / "without")
    assert found.cases[0].without == pytest.approx(mean(without), rel=1e-12)
    unit = found.units[0]
    assert unit.records == (17, 18, 19, 20) and unit.cases == 4
    assert unit.without == pytest.approx(mean(made(rows[:16] + rows[20:], tmp_path / "unit")), rel=1e-12)
    assert sum(stratum.share for stratum in found.strata) == pytest.approx(1)


@settings(max_examples=25, deadline=None)
@given_that(st.integers(0, 10**6))
def test_contributions_add_up_in_any_study(seed: int) -> None:
    rng = random.Random(seed)
    columns = random_studies.answers(rng)
    try:
        study = parse_study(random_studies.study(rng, columns))
        of = Depending(study, given(study, raw(columns), {}).inputs)
        _ = of.published
    except StudyError:
        return
    check_sums(of)


@settings(max_examples=25, deadline=None)
@given_that(st.integers(0, 10**6))
def test_what_cases_and_units_carry_is_the_same_over_parts(seed: int) -> None:
    rng = random.Random(seed)
    columns = random_studies.answers(rng)
    document = random_studies.study(rng, columns)
    near = 1e-5  # Raking ends within its tolerance, and tells sums made in another order apart.
    try:
        study = parse_study(document)
        samples = [
            given(study, raw(columns), {}, part).shared.value for part in (Cases.of, random_parts(seed))
        ]
        request, key = study.tables[0], StubKey("y")
        one, many = (carrying(of.sample, case_terms(of, request, key, (), "mean")) for of in samples)
    except StudyError:
        return
    assert many.by_stratum == pytest.approx(one.by_stratum, rel=near, abs=1e-15)
    clusters = study.design.clusters
    found = [
        [unit for unit in (*of.cases(5), *of.units(5, clusters)) if abs(unit.contribution) > 1e-9]
        for of in (many, one)
    ]
    for a, b in zip(*found, strict=True):
        assert abs(a.contribution) == pytest.approx(abs(b.contribution), rel=near, abs=1e-10)
        # Which of several that contribute the same comes first, rounding decides.
        if a.records.tolist() == b.records.tolist():
            assert (a.stratum, a.name) == (b.stratum, b.name)


def test_a_figure_that_no_case_carries_by_itself_is_refused() -> None:
    of = depending(FILES, ["fares"])
    with pytest.raises(StudyError, match="shares, means, totals and ratios"):
        influence(of, 2, StubKey("fare_spend"), (), "median")
    with pytest.raises(StudyError, match="no such row"):
        influence(of, 0, StubKey("nothing"), (), "mean")
