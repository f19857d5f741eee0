"""Replicate weights go out with the records and come back as columns: the same errors without the design."""

import json
from pathlib import Path
from typing import Any

import pytest
from parting import random_parts
from released import released
from surveys import A, margin, study, survey

from even_ballot.core.data.dataset import RawTable
from even_ballot.core.faults import StudyError
from even_ballot.core.study.pipeline import run
from even_ballot.core.study.study_file import parse_study
from even_ballot.services.running import run_file

TABLE = {"id": "t", "stub": ["q", "y"], "banner": ["a", "b"], "show": ["col_pct", "mean", "total"], "tests": ["columns"]}  # fmt: skip
METHODS = [
    {"method": "jackknife"},
    {"method": "bootstrap", "count": 12, "seed": 4},
    {"method": "balanced", "fay": 0.3},
]


def design(method: dict[str, Any], calibrated: bool) -> dict[str, Any]:
    return {
        "strata": ["h"],
        "clusters": ["i"],
        "variance": method,
        "calibrated": calibrated,
        "save_replicates": True,
    }


def out(
    data: RawTable, method: dict[str, Any], calibrated: bool, *parts: Any
) -> tuple[Any, dict[str, bytes]]:
    asked = study(design(method, calibrated), {"margins": [margin("a", A)]}, TABLE)
    results = run(asked, data, {}, *parts)
    return results, released(asked, results)


@pytest.mark.parametrize("method", METHODS)
@pytest.mark.parametrize("calibrated", [False, True])
def test_records_with_replicate_weights_give_the_same_errors(
    method: dict[str, Any], calibrated: bool, tmp_path: Path
) -> None:
    data = survey(5, strata=3, psus=2, size=12)
    results, files = out(data, method, calibrated)
    said = json.loads(files["replicates.json"])
    (tmp_path / "records.csv").write_bytes(files["microdata.csv"])
    document = {
        "source": {"path": "records.csv"},
        "codebook": study({}, None, TABLE).model_dump(mode="json", exclude_unset=True, by_alias=True)[
            "codebook"
        ],
        "design": said["design"],
        "tables": [TABLE],
    }
    (tmp_path / "study.json").write_text(json.dumps(document))
    again = run_file(tmp_path / "study.json")[1].tables[0]
    compared = 0
    for cell, other in zip(results.tables[0].cells, again.cells, strict=True):
        assert (other.stub, other.banner, other.stat) == (cell.stub, cell.banner, cell.stat)
        assert other.est == pytest.approx(cell.est, rel=1e-12)
        if cell.se is not None:
            # Raking again ends at a tolerance, so that what margins fix is not quite 0 in its replicates.
            assert other.se == pytest.approx(cell.se, rel=1e-6, abs=1e-6 * abs(cell.est))
            compared += 1
    assert compared > 20
    assert (
        said["df"] == results.units.degrees_of_freedom
        and len(said["columns"]) == results.sample.units.replicates.count
    )


@pytest.mark.parametrize("method", METHODS[:2])
def test_cases_in_parts_go_out_alike(method: dict[str, Any]) -> None:
    data = survey(6, strata=3, psus=3, size=4)
    whole, parts = out(data, method, False)[1], out(data, method, False, random_parts(6))[1]
    lines = [[line.split(",") for line in of["microdata.csv"].decode().splitlines()] for of in (whole, parts)]
    assert lines[0][0] == lines[1][0]
    for a, b in zip(*(of[1:] for of in lines), strict=True):
        assert [cell == "" for cell in a] == [cell == "" for cell in b]
        assert [float(cell or 0) for cell in a] == pytest.approx([float(cell or 0) for cell in b], rel=1e-12)
    assert json.loads(parts["replicates.json"]) == json.loads(whole["replicates.json"])


def test_what_cannot_be_saved_is_refused_with_what_mends_it() -> None:
    asked = {"source": {"path": "a.csv"}, "design": {"save_replicates": True}}
    with pytest.raises(StudyError, match="linearisation has no replicate weights to save"):
        parse_study(asked)
    columns = {"method": "columns", "columns": ["a", "b"], "scale": [0.5]}
    with pytest.raises(StudyError, match="1 scales for 2 columns"):
        parse_study({"source": {"path": "a.csv"}, "design": {"variance": columns}})
    many = study(design({"method": "bootstrap", "count": 5001, "seed": 1}, False), None, TABLE)
    results = run(many, survey(5, strata=3, psus=2, size=2), {})
    with pytest.raises(StudyError, match="5,001 replicate weights are more than the 5,000"):
        released(many, results)
