"""The command line: outputs, exit codes, messages, nothing half-written."""

import json
import re
import shutil
from pathlib import Path
from typing import Any

import pytest
from reference_cases import CASES
from typer.testing import CliRunner

from even_ballot.cli import app
from even_ballot.demo import FILES


def run(study: Path, out: Path) -> Any:
    return CliRunner().invoke(app, ["run", str(study), "--out", str(out)])


@pytest.fixture
def case(tmp_path: Path) -> Path:
    """A copy of the raked case, to be broken."""
    shutil.copytree(CASES / "raked", tmp_path / "case")
    return tmp_path / "case" / "study.json"


def broken(case: Path, change: Any) -> Path:
    document = json.loads(case.read_text())
    change(document)
    case.write_text(json.dumps(document))
    return case


def test_a_run_writes_its_files(tmp_path: Path) -> None:
    result = run(FILES / "study.json", tmp_path / "out")
    assert result.exit_code == 0
    assert sorted(p.name for p in (tmp_path / "out").iterdir()) == [
        "codebook.csv",
        "codebook.json",
        "ledger.html",
        "manifest.json",
        "microdata.csv",
        "release.docx",
        "release.html",
        "release.pdf",
        "results.json",
        "tables.xlsx",
        "weighting.html",
    ]
    document = json.loads((tmp_path / "out" / "results.json").read_text())
    assert document["cases"] == {"source": 2330, "used": 2268}
    assert [t["id"] for t in document["tables"]] == ["need", "crossing", "fares", "why", "ferry"]


def test_what_disclosure_control_hid_is_told(case: Path, tmp_path: Path) -> None:
    result = run(broken(case, lambda document: document.update(suppression={"below": 30})), tmp_path / "out")
    assert result.exit_code == 0
    assert re.search(r"Disclosure control: [1-9]\d* groups? suppressed, small ones and those", result.stderr)
    document = json.loads((tmp_path / "out" / "results.json").read_text())
    assert any(table.get("hidden") for table in document["tables"])


def _short(document: dict[str, Any]) -> None:
    document["weightings"][0]["margins"][0]["targets"][1]["value"] = 0.452


def _nobody(document: dict[str, Any]) -> None:
    document["weightings"][0]["margins"][1]["targets"].append({"at": {"isle": 7}, "value": 0.1})


def _single(document: dict[str, Any]) -> None:
    document["design"]["strata"] = ["id"]


def _unknown(document: dict[str, Any]) -> None:
    document["design"]["wieght"] = "dw"


@pytest.mark.parametrize(
    ("change", "where", "what"),
    [
        (_short, "weightings[0].margins[0].targets", "sum to 0.9, not 1; 0.1 is missing"),
        (_nobody, "weightings[0].margins[1].targets[4]", "Nobody is in isle 7"),
        (_single, "design.strata", "only one first-stage unit"),
        (_unknown, "design.wieght", "This key is not known here"),
    ],
)
def test_a_fault_exits_with_2_names_its_place_and_writes_nothing(
    case: Path, change: Any, where: str, what: str
) -> None:
    result = run(broken(case, change), case.parent / "out")
    assert result.exit_code == 2
    assert f"{where}: " in result.stderr
    assert what in result.stderr
    assert not (case.parent / "out").exists()


@pytest.mark.parametrize(
    ("content", "what"),
    [(b"", "data.csv: The file is empty"), (b"\x00\x01", "This is not"), (b"a,b\n1\n", "line 2")],
)
def test_bad_data_exits_with_2(case: Path, content: bytes, what: str) -> None:
    (case.parent / "data.csv").write_bytes(content)
    result = run(case, case.parent / "out")
    assert (result.exit_code, what in result.stderr) == (2, True)
    assert not (case.parent / "out").exists()


@pytest.mark.parametrize(
    ("text", "what"),
    [
        ("{", "line 1, column 2"),
        ("[1]", "study: "),
        ('{"even_ballot": 2, "source": {"path": "x"}}', "even_ballot: "),
    ],
)
def test_what_is_no_study_file_is_said(case: Path, text: str, what: str) -> None:
    case.write_text(text)
    result = run(case, case.parent / "out")
    assert (result.exit_code, what in result.stderr) == (2, True)


def test_earlier_results_stay_whole_when_a_later_run_fails(case: Path) -> None:
    out = case.parent / "out"
    assert run(case, out).exit_code == 0
    before = {p.name: p.read_bytes() for p in out.iterdir()}
    assert run(broken(case, _short), out).exit_code == 2
    assert {p.name: p.read_bytes() for p in out.iterdir()} == before


def test_every_fault_of_a_study_file_is_said_at_once(case: Path) -> None:
    def change(document: dict[str, Any]) -> None:
        _unknown(document)
        document["tabels"] = []

    result = run(broken(case, change), case.parent / "out")
    assert len(result.stderr.strip().splitlines()) == 2


def test_the_schema_is_printed() -> None:
    result = CliRunner().invoke(app, ["schema"])
    assert result.exit_code == 0
    assert json.loads(result.stdout)["title"] == "Study"


def misread(case: Path) -> Path:
    """Answers in an encoding that is not the one they are read in, and one code too many."""
    document = {
        "source": {"path": "said.csv", "encoding": "latin-1"},
        "codebook": {
            "scales": {
                "much": {"codes": [{"code": 1, "label": "Très important"}, {"code": 2, "label": "Non"}]}
            },
            "variables": [{"name": "q", "kind": "coded", "scale": "much"}],
        },
        "tables": [{"id": "t", "stub": ["q"], "show": ["n"]}],
    }
    (case.parent / "said.csv").write_text(
        "q,age\nTrès important,31\nNon,40\nTrès important,52\n9,60\n", "utf-8"
    )
    case.write_text(json.dumps(document))
    return case


def test_answers_that_were_lost_are_told_and_written(case: Path) -> None:
    result = run(misread(case), case.parent / "out")
    assert result.exit_code == 0
    said = " ".join(result.stderr.split())
    assert "unrecognised q: TrÃ¨s important 2 cells" in said
    assert "not in the codebook q: 9 1 cell" in said
    assert "delimiter ','" in said
    assert "encoding" not in said  # It was said, not guessed.
    summary = json.loads((case.parent / "out" / "results.json").read_text())["summary"]
    assert summary["not_placed"] == [{"variable": "q", "value": "TrÃ¨s important", "cells": 2}]
    assert summary["guessed"]["delimiter"] == ","
    assert summary["kinds"] == {"age": "number"}


def test_strict_exits_with_3_on_anything_found_and_writes_all_the_same(case: Path, tmp_path: Path) -> None:
    lost = CliRunner().invoke(app, ["run", str(misread(case)), "--out", str(tmp_path / "a"), "--strict"])
    assert lost.exit_code == 3
    assert (tmp_path / "a" / "results.json").exists()
    (case.parent / "said.csv").write_text("q,age\n" + "".join(f"Non,{30 + k}\n" for k in range(40)))
    clean = CliRunner().invoke(app, ["run", str(case), "--out", str(tmp_path / "b"), "--strict"])
    assert clean.exit_code == 0, clean.stderr


def test_unmet_margins_exit_with_3_unless_they_are_allowed(case: Path, tmp_path: Path) -> None:
    def few_cycles(document: dict[str, Any]) -> None:
        document["weightings"][0]["max_cycles"] = 1

    path = broken(case, few_cycles)
    result = run(path, tmp_path / "a")
    assert result.exit_code == 3
    assert "not met" in result.stderr
    unmet = json.loads((tmp_path / "a" / "results.json").read_text())["summary"]["unmet"]
    assert unmet
    assert all(abs(row["target"] - row["after"]) > 1e-9 for row in unmet)
    allowed = CliRunner().invoke(app, ["run", str(path), "--out", str(tmp_path / "b"), "--allow-unmet"])
    assert allowed.exit_code == 0


def test_one_table_at_fault_leaves_the_others_and_is_named_with_its_place(case: Path, tmp_path: Path) -> None:
    def wrong(document: dict[str, Any]) -> None:
        document["tables"].append({"id": "bad", "title": "Bad", "stub": ["nowhere"]})

    before = json.loads(case.read_text())
    result = run(broken(case, wrong), tmp_path / "out")
    assert result.exit_code == 3
    assert "Not made: Bad" in result.stderr
    assert f"tables[{len(before['tables'])}].stub[0]: There is no variable 'nowhere'" in result.stderr
    document = json.loads((tmp_path / "out" / "results.json").read_text())
    assert [t["id"] for t in document["tables"]] == [t["id"] for t in before["tables"]]
    assert [t["id"] for t in document["faulty_tables"]] == ["bad"]
    nothing = run(broken(case, lambda d: d.update(tables=d["tables"][-1:])), tmp_path / "none")
    assert nothing.exit_code == 2
    assert not (tmp_path / "none").exists()


def test_a_model_without_estimates_is_told_and_the_run_goes_on(tmp_path: Path) -> None:
    result = run(CASES / "model-left-out" / "study.json", tmp_path / "out")
    assert result.exit_code == 0
    said = " ".join(result.stderr.split())
    assert "predicts the event perfectly" in said
    assert "cheap" in said
    found = json.loads((tmp_path / "out" / "results.json").read_text())["models"]
    assert {bool(model.get("coefficients")) for model in found} == {True, False}
    assert all(("message" in model) is not bool(model.get("coefficients")) for model in found)


NOW = {
    "single-psu-average": "mean_of_strata",
    "single-psu-centre": "mean_of_units",
    "single-psu-certainty": "add_nothing",
}


@pytest.mark.parametrize("name", NOW)
def test_former_names_of_policies_are_read_as_before_with_a_note(tmp_path: Path, name: str) -> None:
    folder = tmp_path / name
    shutil.copytree(CASES / name, folder)
    before = run(folder / "study.json", tmp_path / "before")
    assert before.exit_code == 0
    assert f'is now written "{NOW[name]}"' in before.stderr
    document = json.loads((folder / "study.json").read_text())
    document["design"]["single_psu"] = NOW[name]
    (folder / "study.json").write_text(json.dumps(document))
    after = run(folder / "study.json", tmp_path / "after")
    assert "is now written" not in after.stderr
    results = [json.loads((tmp_path / at / "results.json").read_text()) for at in ("before", "after")]
    assert results[0]["tables"] == results[1]["tables"]
