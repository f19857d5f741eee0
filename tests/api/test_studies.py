"""Studies through the API: made, changed, undone, copied, deleted with a way back, in and out."""

import io
import json
import zipfile
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

import pytest
from typer.testing import CliRunner

from even_ballot.cli import app

YES_NO = {"codes": [{"code": 1, "label": "yes"}, {"code": 2, "label": "no"}]}
CODE = {"do": "code", "variables": ["q"], "scale": "yn", "answers": {"YES": 1}}


def test_a_study_begins_with_every_column(api: Any, small: dict[str, Any]) -> None:
    assert [c["name"] for c in small["source"]["columns"]] == ["id", "q", "age", "sex"]
    assert small["tally"] == {
        "received": 5,
        "blank_records": 0,
        "set_aside": 0,
        "in_use": 5,
        "effective": 5.0,
        "weighted_to": 5.0,
        "weight": None,
    }
    assert [s["name"] for s in small["stations"]] == [
        "intake",
        "codebook",
        "screening",
        "weighting",
        "tables",
        "release",
    ]


def test_a_change_shows_its_effect_and_can_be_undone_and_redone(api: Any, small: dict[str, Any]) -> None:
    coded = api.change(small, codebook={"scales": {"yn": YES_NO}}, ledger=[CODE])
    (entry,) = api("GET", f"/studies/{small['id']}/ledger")
    assert entry["sentence"] == "Code the answers of q by the scale yn, with 1 other wording recognised"
    assert (entry["cells_changed"], entry["unplaced"]) == (3, {"q": {"maybe": 1}})
    assert coded["undo"] == entry["sentence"]
    undone = api("POST", f"/studies/{small['id']}/undo", json={"edition": coded["edition"]})
    assert (undone["document"].get("ledger", []), undone["undo"], undone["redo"]) == ([], None, coded["undo"])
    redone = api("POST", f"/studies/{small['id']}/redo", json={"edition": undone["edition"]})
    assert redone["document"] == coded["document"]


def test_an_entry_switched_off_is_not_done(api: Any, small: dict[str, Any]) -> None:
    drop = {"do": "drop_cases", "where": "age < 19", "why": "too young"}
    assert api.change(small, ledger=[drop])["tally"]["in_use"] == 4
    study = api("GET", f"/studies/{small['id']}")
    off = api.change(study, ledger=[{**drop, "off": True}])
    assert (off["tally"]["in_use"], off["undo"]) == (5, "Switched off: Set aside the cases where age < 19")


def test_the_second_writer_of_a_stale_state_is_told_and_nothing_is_lost(
    api: Any, small: dict[str, Any]
) -> None:
    api.change(small, title="First")
    refusal = api.change(small, 409, title="Second")
    assert refusal["did"] == "Changed the title"
    assert "Your change was not saved" in refusal["faults"][0]["mend"]
    assert api("GET", f"/studies/{small['id']}")["title"] == "First"


def test_a_study_is_copied_and_each_goes_its_own_way(api: Any, small: dict[str, Any]) -> None:
    made = api("POST", f"/studies/{small['id']}/copy")
    copy = api("GET", f"/studies/{made['id']}")
    api.change(copy, title="Other")
    assert sorted(s["title"] for s in api("GET", "/studies")) == ["Other", "Small"]


def test_a_deleted_study_comes_back(api: Any, small: dict[str, Any]) -> None:
    api("DELETE", f"/studies/{small['id']}", 204)
    assert api("GET", "/studies") == []
    assert [s["id"] for s in api("GET", "/studies", params={"deleted": True})] == [small["id"]]
    api("POST", f"/studies/{small['id']}/restore", 204)
    assert [s["id"] for s in api("GET", "/studies")] == [small["id"]]


def test_a_saved_study_runs_at_the_command_line_and_comes_in_again(
    api: Any, demo: dict[str, Any], tmp_path: Path
) -> None:
    content = api("GET", f"/studies/{demo['id']}/study.zip")
    with zipfile.ZipFile(io.BytesIO(content)) as archive:
        archive.extractall(tmp_path)
    result = CliRunner().invoke(app, ["run", str(tmp_path / "study.json"), "--out", str(tmp_path / "out")])
    assert result.exit_code == 0, result.output
    ours = api("GET", f"/studies/{demo['id']}/release/results.json")
    assert json.loads((tmp_path / "out" / "results.json").read_text()) == ours
    assert (tmp_path / "out" / "tables.xlsx").read_bytes() == api(
        "GET", f"/studies/{demo['id']}/release/tables.xlsx"
    )
    again = api("POST", "/studies/take-in", params={"name": "study.zip"}, content=content)
    assert api("GET", f"/studies/{again['id']}/release/results.json") == ours


def test_a_study_file_is_laid_on_a_studys_own_data(api: Any, small: dict[str, Any]) -> None:
    file = {
        "even_ballot": 1,
        "title": "Laid",
        "source": {"path": "elsewhere.csv"},
        "codebook": {"scales": {"yn": YES_NO}},
        "ledger": [CODE],
    }
    laid = api(
        "PUT",
        f"/studies/{small['id']}/document",
        params={"edition": small["edition"]},
        content=json.dumps(file).encode(),
    )
    assert (laid["title"], laid["document"]["source"]["path"], laid["stations"][2]["says"]) == (
        "Laid",
        "answers.csv",
        "1 finding",
    )


@pytest.mark.parametrize(
    ("content", "what"),
    [
        (b"no zip", "does not contain a study"),
        (b'{"a": 1}', "does not contain a study"),
    ],
)
def test_what_is_no_saved_study_is_refused(api: Any, content: bytes, what: str) -> None:
    refusal = api("POST", "/studies/take-in", 422, params={"name": "x.zip"}, content=content)
    assert what in refusal["faults"][0]["what"]
    assert api("GET", "/studies") == []


def test_a_zip_without_its_data_is_refused(api: Any) -> None:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("study.json", '{"even_ballot": 1, "source": {"path": "gone.csv"}}')
    refusal = api("POST", "/studies/take-in", 422, params={"name": "x.zip"}, content=out.getvalue())
    assert refusal["faults"][0]["where"] == "source.path"


@pytest.mark.parametrize(
    ("parts", "where"),
    [
        ({"ledger": [{"do": "nothing"}]}, "ledger[0]"),
        ({"wieghtings": []}, ""),
        ({"design": {"strat": []}}, "design.strat"),
    ],
)
def test_a_change_that_is_no_study_is_refused_and_nothing_saved(
    api: Any, small: dict[str, Any], parts: dict[str, Any], where: str
) -> None:
    refusal = api.change(small, 422, **parts)
    assert refusal["faults"][0]["where"] == where
    assert api("GET", f"/studies/{small['id']}")["edition"] == small["edition"]


def test_a_study_that_is_not_there(api: Any) -> None:
    assert "no such study" in api("GET", "/studies/nowhere", 404)["faults"][0]["what"]


def test_deleted_studies_say_until_when_they_are_kept(api: Any, small: dict[str, Any]) -> None:
    assert api("GET", "/studies/retention") == {"days": None}
    api("DELETE", f"/studies/{small['id']}", 204)
    (card,) = api("GET", "/studies?deleted=true")
    assert card["deleted"] and card["until"] is None
    assert (
        api("PUT", "/studies/retention", json={"days": 30})
        == api("GET", "/studies/retention")
        == {"days": 30}
    )
    (card,) = api("GET", "/studies?deleted=true")
    days = datetime.fromisoformat(card["until"]) - datetime.fromisoformat(card["deleted"])
    assert timedelta(days=30) <= days < timedelta(days=30, minutes=5)
    assert "number of days" in api("PUT", "/studies/retention", 422, json={"days": 0})["faults"][0]["what"]
    api("PUT", "/studies/retention", json={"days": None})
    assert api("GET", "/studies?deleted=true")[0]["until"] is None


def test_deleting_for_good_leaves_nothing_of_a_study_and_takes_no_file_of_another(
    api: Any, small: dict[str, Any], engine: Any
) -> None:
    twin = api("POST", f"/studies/{small['id']}/copy")["id"]
    file = small["source"]["id"]
    assert api("POST", f"/studies/{small['id']}/purge", 422)["faults"][0]["mend"].startswith(
        "Delete it first"
    )
    for gone, there in ((small["id"], 200), (twin, 422)):
        api("DELETE", f"/studies/{gone}", 204)
        assert [s["id"] for s in api("GET", "/studies?deleted=true")] == [gone]
        api("POST", f"/studies/{gone}/purge", 204)
        assert api("GET", "/studies?deleted=true") == []
        api("GET", f"/studies/{gone}", 404)
        # The file stays as long as the other study reads it.
        api("GET", f"/files/{file}", there)
    with engine.connect() as connection:
        for table in ("studies", "revisions", "releases", "source_files", "source_bytes", "column_chunks"):
            assert connection.exec_driver_sql(f"SELECT COUNT(*) FROM {table}").scalar() == 0, table
