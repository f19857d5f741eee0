"""Random studies against a second reading of the definitions (`tests/support/reading.py`). `--studies
5000` tries as many."""

import math
import random
from typing import Any

import numpy as np
import pytest
import reading
import reading_estimates
import reading_weights
from builders import raw
from random_studies import CODES, REPEATED, answers, study

from even_ballot.core.data.dataset import RawTable
from even_ballot.core.faults import StudyError
from even_ballot.core.study.pipeline import run
from even_ballot.core.study.results import Results
from even_ballot.core.study.study_file import parse_study

BATCHES = 8


def column(found: Results, name: str) -> np.ndarray:
    of = found.data.column(name)
    return np.where(of.answered, of.values.astype(float), np.nan)


def calibrated_to(weighting: dict[str, Any], found: Results) -> np.ndarray:
    """x of every case, as the definition has it."""
    columns = [np.ones(found.data.n)]
    groups = column(found, "b") if weighting["within"] else np.zeros(found.data.n)
    for margin in weighting["margins"]:
        (name,) = margin["by"]
        values = column(found, name)
        for target in margin["targets"]:
            x = (values == target["at"][name]).astype(float)
            if "unknown" in margin:
                x = x - target["value"] * ~np.isnan(values)
            elif weighting["within"]:
                x = x - target["value"]
            columns += [np.where(groups == g, x, 0.0) for g in np.unique(groups)]
    return np.stack(columns, 1)


def sample_of(document: dict[str, Any], found: Results) -> reading_estimates.Sample:
    design, n = document["design"], found.data.n
    weighting: Any = document["weightings"][0] if document["weightings"] else None
    d = column(found, "d")
    w = column(found, "weight") if weighting else d
    stratum = column(found, "h") if design["strata"] else np.ones(n)
    psu = column(found, design["clusters"][0]) if design["clusters"] else np.arange(n)
    population = column(found, "N") if "population_size" in design else None
    sample = reading_estimates.Sample(w, stratum, psu, design["single_psu"], population)
    method = design["variance"]["method"]
    if method == "columns":
        sample.replicates = np.stack([column(found, f"r{k}") for k in range(4)], 1) * (w > 0)[:, None]
        sample.c = np.full(4, 0.25)
        if not (design["strata"] and design["clusters"]):
            sample.given_df = 3
    elif method in REPEATED:
        given, said = d if design["calibrated"] else w, design["variance"]
        if method == "jackknife":
            sample.replicates, sample.c = reading_weights.jackknife(sample, given)
        elif method == "bootstrap":
            sample.replicates, sample.c = reading_weights.bootstrap(
                sample, given, said["count"], said["seed"]
            )
        else:
            sample.replicates, sample.c = reading_weights.half_samples(sample, given, said["fay"])
        if design["calibrated"]:
            sample.raked_again = True
            sample.replicates = again(weighting, found, sample.replicates, float(w.sum()))
    elif design["calibrated"]:
        sample.x, sample.free = calibrated_to(weighting, found), w
        if weighting["limits"]:
            mean = w[w > 0].mean()
            low, high = (weighting["limits"][side] * mean for side in ("low", "high"))
            sample.free = np.where((w > low * (1 + 1e-9)) & (w < high * (1 - 1e-9)), w, 0.0)
    return sample


def again(weighting: dict[str, Any], found: Results, bases: np.ndarray, whole: float) -> np.ndarray:
    groups = column(found, "b") if weighting["within"] else np.zeros(found.data.n)
    margins = []
    for margin in weighting["margins"]:
        (name,) = margin["by"]
        targets = {target["at"][name]: target["value"] for target in margin["targets"]}
        margins.append((np.nan_to_num(column(found, name)), targets, "unknown" in margin))
    if weighting["limits"]:
        raked = [within_limits(weighting, found, d, whole) for d in bases.T]
    else:
        raked = [reading_weights.rake(d, margins, groups, whole) for d in bases.T]
    columns = [np.full(len(bases), np.nan) if w is None else w for w in raked]
    return np.stack(columns, 1) if columns else bases


def within_limits(
    weighting: dict[str, Any], found: Results, d: np.ndarray, whole: float
) -> np.ndarray | None:
    columns, targets = [np.ones(len(d))], [1.0]
    for margin in weighting["margins"]:
        (name,) = margin["by"]
        values = np.nan_to_num(column(found, name))
        held = d[values == 0].sum() / d.sum()
        columns += [values == target["at"][name] for target in margin["targets"]]
        targets += [target["value"] * (1 - held) for target in margin["targets"]]
        if held > 0:
            columns.append(values == 0)
            targets.append(held)
    limits = weighting["limits"]
    return reading_weights.rake_within_limits(
        d, np.stack(columns, 1).astype(float), np.array(targets), limits["low"], limits["high"], whole
    )


def expected(document: dict[str, Any], found: Results) -> tuple[dict[Any, Any], dict[Any, Any]]:
    (table,) = document["tables"]
    n = found.data.n
    inside = column(found, "f") == 1 if "where" in table else np.ones(n, bool)
    stubs: dict[str, Any] = {
        name: (np.nan_to_num(column(found, name)), CODES[name]) for name in {"q", *table["banner"]}
    }
    several = {"many": np.stack([column(found, "m1"), column(found, "m2")], 1)}
    read = reading.Table(sample_of(document, found), inside, stubs, {"y": column(found, "y")}, several, table["banner"][0],
                         table["interval"], table["adjust"])  # fmt: skip
    return dict(read.cells()), dict(read.tests())


def got(document: dict[str, Any]) -> tuple[dict[Any, Any], dict[Any, Any]]:
    (table,) = document["tables"]
    cells = {
        (
            c["stub"]["variable"],
            c["stub"].get("code"),
            tuple((b["variable"], b["code"]) for b in c["banner"]),
            c["stat"],
        ): c
        for c in table["cells"]
    }
    tests: dict[Any, Any] = {}
    for t in table["tests"]:
        if t["kind"] == "columns":
            tests["columns", t["stub"]["variable"], t["stub"].get("code"), t["a"][0], t["b"][0]] = t
        elif t["kind"] == "trend":
            tests["trend", t["stub"]["variable"], t["stub"].get("code")] = t
        else:
            tests[t["kind"], t["stub"]] = t
    return cells, tests


def differing(mine: dict[Any, Any], want: dict[Any, Any], stubs: tuple[str, ...], rel: float) -> list[str]:
    found = []
    for key in sorted({*mine, *(k for k in want if k[0] in stubs or k[1] in stubs)}, key=str):
        if key not in want or key not in mine:
            found.append(f"{key}: {mine.get(key)} against {want.get(key)}")
            continue
        for name, value in want[key].items():
            other = mine[key].get(name)
            same = (
                value is None
                if other is None
                else value is not None and math.isclose(other, value, rel_tol=rel, abs_tol=1e-9)
            )
            if not same:
                found.append(f"{key} {name}: {other} against {value}")
    return found


def compare(seed: int) -> str | None:
    """The method of variances of this seed's study, None where it could not be run; fails where it
    differs."""
    rng = random.Random(seed)
    columns = answers(rng)
    document = study(rng, columns)
    data: RawTable = raw(columns)
    try:
        found = run(parse_study(document), data, {})
    except StudyError:
        return None
    if any(not report.converged for report in found.weightings):
        return None
    cells, tests = got(found.document())
    want_cells, want_tests = expected(document, found)
    stubs = ("q", "y", "many")
    want_tests = {k: v for k, v in want_tests.items() if k[1] in stubs}
    wrong = differing(cells, want_cells, stubs, 1e-6) + differing(tests, want_tests, stubs, 1e-5)
    assert not wrong, f"seed {seed}: {len(wrong)} differ\n" + "\n".join(wrong[:12])
    return str(document["design"]["variance"]["method"])


@pytest.mark.parametrize("batch", range(BATCHES))
def test_random_studies_agree_with_a_second_reading(batch: int, request: pytest.FixtureRequest) -> None:
    count = request.config.getoption("--studies") // BATCHES
    ran = [method for seed in range(count) if (method := compare(1_000_000 * batch + seed)) is not None]
    assert len(ran) > 0.4 * count


def test_large_numbers_that_are_alike_keep_their_errors_with_weights_raked_again() -> None:
    """A study whose number has a level of many times its spread."""
    assert compare(26) is not None


def test_every_method_is_among_the_first_studies() -> None:
    ran, seed = set[str | None](), 0
    while len(ran) < 5:
        assert seed < 60, ran
        ran.add(compare(seed))
        ran.discard(None)
        seed += 1
