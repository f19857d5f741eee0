"""The reference cases: every expected figure, at the precision they are given."""

import json

import pytest
from reference_cases import CASES, differences

from even_ballot.services.running import run_file


@pytest.mark.parametrize("case", sorted(p.name for p in CASES.iterdir()))
def test_every_expected_figure_is_found(case: str) -> None:
    _, results = run_file(CASES / case / "study.json")
    want = json.loads((CASES / case / "expected.json").read_text())
    assert list(differences(results.document(), want)) == []


def test_a_changed_figure_is_noticed() -> None:
    _, results = run_file(CASES / "textbook-suites" / "study.json")
    want = json.loads((CASES / "textbook-suites" / "expected.json").read_text())
    want["tables"][0]["cells"][0]["se"] *= 1.00001
    assert len(list(differences(results.document(), want))) == 1


def test_a_changed_figure_of_an_analysis_is_noticed() -> None:
    _, results = run_file(CASES / "models-single-psu-centre" / "study.json")
    want = json.loads((CASES / "models-single-psu-centre" / "expected.json").read_text())
    want["models"][0]["coefficients"][1]["se"] *= 1.00001
    want["reliability"][0]["items"][0]["sd"] *= 1.00001
    want["correlations"][0]["pairs"][0]["p"] *= 1.00001
    assert len(list(differences(results.document(), want))) == 3
