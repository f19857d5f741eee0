"""What figures depend on: every alternative is the command's own run of the study file with that decision taken
out by hand."""

import copy
import json
import re
from pathlib import Path
from typing import Any

import pytest
from typer.testing import CliRunner

from even_ballot.cli import app
from even_ballot.core.faults import StudyError
from even_ballot.core.study.depends import Dependence, depends
from even_ballot.core.study.pipeline import given, run
from even_ballot.core.study.study_file import parse_study
from even_ballot.demo import FILES
from even_ballot.services.running import load_study, load_table

CASES = Path(__file__).parents[2] / "reference"
CHOSEN = sorted(
    path.parent for path in CASES.glob("*/study.json") if re.search("rak|weigh|limit|response|calibrat", path.parent.name)
)  # fmt: skip


def without(document: dict[str, Any], found: Dependence) -> dict[str, Any]:
    """A study file with a decision taken out, by hand."""
    changed = copy.deepcopy(document)
    for name in (found.decision.id, *found.entries):
        if match := re.fullmatch(r"ledger\[(\d+)\]", name):
            changed["ledger"][int(match[1])]["off"] = True
        elif match := re.fullmatch(r"weightings\[(\d+)\]\.margins\[(\d+)\]", name):
            del changed["weightings"][int(match[1])]["margins"][int(match[2])]
        elif match := re.fullmatch(r"weightings\[(\d+)\]\.(limits|nonresponse)", name):
            changed["weightings"][int(match[1])][match[2]] = None
        elif name == "design.weight":
            changed.setdefault("design", {})["weight"] = None
        else:
            assert name == "design.calibrated"
            design = changed.setdefault("design", {})
            design["calibrated"] = not design.get("calibrated", False)
    return changed


def loaded(folder: Path) -> tuple[Any, Any, dict[str, Any]]:
    study = load_study(folder / "study.json")
    raw, reading = load_table(folder, study.source, "source")
    lookups = {name: load_table(folder, s, name)[0] for name, s in study.lookups.items()}
    return study.model_copy(update={"source": reading}), raw, lookups


def agrees(
    found: Dependence, document: dict[str, Any], study: Any, raw: Any, lookups: dict[str, Any]
) -> bool:
    """Whether what is said of a decision is what a run without it gives; False where nothing remains."""
    refused = None
    try:
        changed = parse_study(without(document, found)).model_copy(update={"source": study.source})
        results = run(changed, raw, lookups)
    except StudyError as error:
        refused = str(error.faults[0])
    assert found.document()["refused"] == refused
    if refused is not None:
        return False
    theirs = {table.id: {(c.stub, c.banner, c.stat): c for c in table.cells} for table in results.tables}
    for table in found.tables:
        for cell in table.cells:
            other = theirs.get(table.id, {}).get((cell.stub, cell.banner, cell.stat))
            if other is None:
                assert cell.without is None
                continue
            assert cell.without == pytest.approx(other.est, rel=1e-12, abs=1e-12)
            assert cell.se_without == (
                None if other.se is None else pytest.approx(other.se, rel=1e-12, abs=1e-12)
            )
            assert cell.change == pytest.approx(other.est - cell.est, rel=1e-9, abs=1e-12)
    return True


def test_every_alternative_of_the_demo_is_its_own_run() -> None:
    study, raw, lookups = loaded(FILES)
    document = json.loads((FILES / "study.json").read_text())
    found = list(depends(study, given(study, raw, lookups).inputs))
    kinds = [of.decision.kind for of in found]
    assert kinds.count("ledger") == 21 and kinds.count("margin") == 4
    assert [of.decision.id for of in found[-2:]] == ["design.weight", "design.calibrated"]
    remained = sum(agrees(of, document, study, raw, lookups) for of in found)
    assert remained >= 15
    # Entries that build on another go with it, and are named.
    speed = next(of for of in found if of.decision.says.startswith("Make seconds"))
    assert speed.entries == ("ledger[3]",)


@pytest.mark.parametrize("folder", CHOSEN, ids=lambda folder: folder.name)
def test_every_alternative_of_a_reference_case_is_its_own_run(folder: Path) -> None:
    study, raw, lookups = loaded(folder)
    document = json.loads((folder / "study.json").read_text())
    found = list(depends(study, given(study, raw, lookups).inputs))
    assert found
    for of in found:
        agrees(of, document, study, raw, lookups)


def small(**parts: Any) -> dict[str, Any]:
    return {
        "source": {"path": "a.csv"},
        "ledger": [{"do": "drop_cases", "where": "y > 90"}, {"do": "derive", "into": "z", "value": "2 * y"}],
        "tables": [{"id": "t", "stub": ["z"], "show": ["mean"]}, {"id": "u", "stub": ["y"], "show": ["n", "mean"]}],
        **parts,
    }  # fmt: skip


def test_the_command_writes_what_each_table_would_be(tmp_path: Path) -> None:
    (tmp_path / "a.csv").write_text("y\n" + "\n".join(map(str, (*range(1, 20), 99))) + "\n")
    (tmp_path / "study.json").write_text(json.dumps(small()))
    out = tmp_path / "out"
    result = CliRunner().invoke(app, ["depends", str(tmp_path / "study.json"), "--out", str(out)])
    assert result.exit_code == 0, result.output
    said = json.loads((out / "depends.json").read_text())["decisions"]
    assert [of["id"] for of in said] == ["ledger[0]", "ledger[1]"]
    (cell,) = said[0]["tables"][0]["cells"]
    assert (cell["est"], cell["without"]) == (20.0, pytest.approx(28.9))
    assert cell["in_se"] == pytest.approx(cell["change"] / cell["se"])
    # What is gone without a decision has no figure.
    (cell,) = said[1]["tables"][0]["cells"]
    assert "without" not in cell and said[1]["refused"] is None
    again = ["depends", str(tmp_path / "study.json"), "--out", str(out), "--tables"]
    assert CliRunner().invoke(app, [*again, "u"]).exit_code == 2
    assert CliRunner().invoke(app, [*again, "u", "--replace"]).exit_code == 0
    assert [of["id"] for of in json.loads((out / "depends.json").read_text())["decisions"][0]["tables"]] == [
        "u"
    ]
    refused = CliRunner().invoke(app, [*again, "none", "--replace"])
    assert refused.exit_code == 2 and "There is no table 'none'" in refused.output


def test_a_difference_of_a_few_cases_is_not_told_where_small_counts_are_hidden(tmp_path: Path) -> None:
    (tmp_path / "a.csv").write_text("y\n" + "\n".join(map(str, (*range(1, 20), 99))) + "\n")
    (tmp_path / "study.json").write_text(json.dumps(small(suppression={"below": 5})))
    study, raw, lookups = loaded(tmp_path)
    first = next(iter(depends(study, given(study, raw, lookups).inputs)))
    assert all(cell.without is None for table in first.tables for cell in table.cells)
