"""Records that stay in their folder: a sample to work on, figures of all of them, nothing outside ever read."""

import csv
import json
import random
import shutil
import threading
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from calls import Api
from fastapi.testclient import TestClient
from parting import differing
from reference_cases import CASES
from sqlalchemy import Engine

from even_ballot.api.app import make_app
from even_ballot.core.faults import StudyError
from even_ballot.services.answers import make_parts
from even_ballot.services.in_place import sampling
from even_ballot.services.in_place.exact import Exact
from even_ballot.services.in_place.folders import DataFolder
from even_ballot.services.in_place.sampling import draw
from even_ballot.services.running import run_file
from even_ballot.services.states.study_states import Pipelines
from even_ballot.services.studies import in_place

CASE, DRAWN, EACH = CASES / "clustered-crosstab", 120, 90


@pytest.fixture
def data(tmp_path: Path) -> Path:
    """A folder of data with one folder of parts."""
    make_parts(CASE / "data.csv", tmp_path / "data" / "wave 1", EACH)
    return tmp_path / "data"


@pytest.fixture(autouse=True)
def _few(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(in_place, "DRAWN", DRAWN)


@pytest.fixture
def there(engine: Engine, data: Path, tmp_path: Path) -> Iterator[Api]:
    pipelines = Pipelines(DataFolder(data), Exact(tmp_path / "figures"))
    with TestClient(make_app(engine, pipelines=pipelines), base_url="http://127.0.0.1:8410") as client:
        yield Api(client)


def begun(api: Api, case: Path = CASE, folder: str = "wave 1") -> dict[str, Any]:
    """A study on a sample, with codebook, weights and tables of a reference case."""
    file = api.done(api("POST", "/folders", json={"folder": folder}))
    study = api("POST", "/studies", json={"title": "All", "file": file["id"]})
    study = api("GET", f"/studies/{study['id']}")
    document = json.loads((case / "study.json").read_text())
    parts = {k: v for k, v in document.items() if k not in ("source", "even_ballot", "title")}
    return api.change(study, **parts)


def calculated(api: Api, study: dict[str, Any]) -> dict[str, Any]:
    job = api("POST", f"/studies/{study['id']}/in-place/figures", json={"edition": study["edition"]})
    until = time.monotonic() + 60
    while job["state"] == "running" and time.monotonic() < until:
        time.sleep(0.02)
        job = api("GET", f"/jobs/{job['id']}")
    return job


def tables(api: Api, study: dict[str, Any]) -> list[dict[str, Any]]:
    ids = [of["id"] for of in study["document"]["tables"]]
    return [api("GET", f"/studies/{study['id']}/tables/{of}") for of in ids]


def of_all(tmp_path: Path, study: dict[str, Any], case: Path = CASE) -> dict[str, Any]:
    """What a run of the study at the command line finds, on all records in one file."""
    folder = tmp_path / "alone"
    folder.mkdir(exist_ok=True)
    shutil.copy(case / "data.csv", folder / "data.csv")
    document = study["document"] | {"source": {"path": "data.csv"}}
    (folder / "study.json").write_text(json.dumps(document))
    return run_file(folder / "study.json")[1].document()


def cells(view: dict[str, Any]) -> list[dict[str, Any]]:
    """A table's figures without what is only for display."""
    return [{k: v for k, v in cell.items() if v is not None} for cell in view["result"]["cells"]]


def same(views: list[dict[str, Any]], alone: dict[str, Any]) -> bool:
    found = [cell for view in views for cell in cells(view)]
    wanted = [cell for table in alone["tables"] for cell in table["cells"]]
    assert len(found) == len(wanted)
    keys = ("est", "se", "low", "high", "n", "base_n")
    return all(
        list(differing({k: a.get(k) for k in keys}, {k: b.get(k) for k in keys}, rel=1e-9)) == []
        for a, b in zip(found, wanted, strict=True)
    )


def test_a_table_is_of_the_sample_until_all_records_are_asked_for(
    there: Api, tmp_path: Path, engine: Engine, data: Path
) -> None:
    assert there("GET", "/folders") == [
        {"folder": "wave 1", "parts": 6, "size": sum(p.stat().st_size for p in data.rglob("*.parquet"))}
    ]
    study = begun(there)
    sample = {"folder": "wave 1", "parts": 6, "records": 480, "drawn": DRAWN}
    assert study["source"]["sample"] == sample
    before, alone = tables(there, study), of_all(tmp_path, study)
    assert [view["of_sample"] for view in before] == [True] * len(before)
    assert not same(before, alone)
    stands = there("GET", f"/studies/{study['id']}/in-place")
    assert stands == {"sample": sample, "lacking": len(before), "fault": None}
    assert calculated(there, study)["state"] == "done"
    after = tables(there, study)
    assert [view["of_sample"] for view in after] == [False] * len(after)
    assert same(after, alone)
    assert there("GET", f"/studies/{study['id']}/in-place")["lacking"] == 0
    # Once more by another process, after a restart.
    again = Pipelines(DataFolder(data), Exact(tmp_path / "figures"))
    with TestClient(make_app(engine, pipelines=again), base_url="http://127.0.0.1:8410") as client:
        assert tables(Api(client), study) == after


@pytest.mark.parametrize("case", ["raked-limits-base", "model-logistic", "correlations", "several-answers"])
@pytest.mark.parametrize("below", [None, 25])
def test_everything_is_what_one_process_finds_of_all_records(
    there: Api, tmp_path: Path, data: Path, case: str, below: int | None
) -> None:
    make_parts(CASES / case / "data.csv", data / case, EACH)
    study = begun(there, CASES / case, case)
    if below:
        study = there.change(study, suppression={"below": below})
    assert calculated(there, study)["state"] == "done"
    found, alone = (
        there("GET", f"/studies/{study['id']}/release/results.json"),
        of_all(tmp_path, study, CASES / case),
    )
    for key in ("tables", "models", "correlations", "weightings", "cases", "design", "disclosure_control"):
        assert (key in found) == (key in alone), key
        assert list(differing(found.get(key), alone.get(key), rel=1e-9)) == [], key


def test_a_change_makes_a_table_one_of_the_sample_again_and_a_new_name_does_not(there: Api) -> None:
    study = begun(there)
    calculated(there, study)
    first, *others = study["document"]["tables"]
    named = there.change(study, tables=[first | {"title": "Another name"}, *others])
    views = tables(there, named)
    assert (views[0]["result"]["title"], [v["of_sample"] for v in views]) == (
        "Another name",
        [False] * len(views),
    )
    changed = there.change(named, tables=[first | {"where": "row > 3"}, *others])
    assert [v["of_sample"] for v in tables(there, changed)] == [True] + [False] * len(others)
    weighed = there.change(changed, where="row > 3")
    assert all(v["of_sample"] for v in tables(there, weighed))


def test_any_record_is_shown_and_edited_by_its_number_drawn_or_not(
    there: Api, tmp_path: Path, data: Path
) -> None:
    study = begun(there)
    with (CASE / "data.csv").open() as file:
        rows = list(csv.DictReader(file))
    drawn = draw(data, "wave 1", DRAWN).table
    for number in (1, 90, 91, 480, *random.Random(3).sample(range(1, 481), 12)):
        found = there("GET", f"/studies/{study['id']}/in-place/records/{number}")
        came = {of["variable"]: of["came"] or "" for of in found["entries"] if of["variable"] in rows[0]}
        assert (found["aside"], came) == (False, rows[number - 1]), number
    for k in range(0, DRAWN, 17):
        row = rows[int(drawn.rows[k]) - 1]
        came = {
            n: c.words[c.values[k]] if not c.state[k] else ""
            for n, c in zip(drawn.labels, drawn.columns, strict=True)
        }
        assert came == row
    assert there("GET", f"/studies/{study['id']}/in-place/records/481", 422)["faults"][0]["what"]
    absent = next(n for n in range(1, 481) if n not in set(drawn.rows.tolist()))
    name = study["document"]["tables"][0]["stub"][0]
    edit = {"do": "edit", "by": "row", "id": absent, "variable": name, "value": None}
    edited = there.change(study, ledger=[*study["document"].get("ledger", []), edit])
    assert edited["faults"] == []
    found = there("GET", f"/studies/{study['id']}/in-place/records/{absent}")
    (entry,) = (of for of in found["entries"] if of["variable"] == name)
    assert (entry["came"], entry["entry"], entry["state"]) == (rows[absent - 1][name], "", 1)
    gone = there.change(edited, ledger=[{"do": "drop_cases", "where": f"row == {absent}"}])
    assert there("GET", f"/studies/{study['id']}/in-place/records/{absent}")["aside"]
    edited = there.change(gone, ledger=edited["document"]["ledger"])
    assert calculated(there, edited)["state"] == "done"
    assert same(tables(there, edited), of_all(tmp_path, edited))
    assert not same(tables(there, edited), of_all(tmp_path, study))
    # A record that is nobody's is found when all are gone through.
    nobody = there.change(edited, ledger=[edit | {"id": 4000}])
    job = calculated(there, nobody)
    assert (job["state"], job["faults"][0]["where"]) == ("failed", "ledger[0].id")


def test_parts_that_changed_are_not_calculated(there: Api, data: Path) -> None:
    study = begun(there)
    part = sorted(data.rglob("*.parquet"))[2]
    shutil.copy(sorted(data.rglob("*.parquet"))[0], part)
    stands = there("GET", f"/studies/{study['id']}/in-place")
    assert "have changed since" in stands["fault"]["what"]
    job = calculated(there, study)
    assert (job["state"], job["faults"]) == ("failed", [stands["fault"]])
    file = there.done(there("POST", "/folders", json={"folder": "wave 1"}))
    newer = there("POST", f"/studies/{study['id']}/newer", json={"id": file["id"]})
    path = f"/studies/{study['id']}/source"
    study = there("PUT", path, params={"edition": study["edition"]}, json={"id": newer["file"]})
    assert calculated(there, study)["state"] == "done"
    part.write_bytes(b"PAR1 not any more")
    assert calculated(there, study)["faults"][0]["what"].startswith("The parts in wave 1 have changed")


def test_a_release_is_of_all_records_or_not_made(there: Api, tmp_path: Path) -> None:
    study = begun(there)
    refused = there("GET", f"/studies/{study['id']}/releases/next", 422)["faults"][0]
    assert refused["what"].startswith("Figures of all records have not been calculated")
    calculated(there, study)
    assert there("GET", f"/studies/{study['id']}/releases/next")["title"] == "All"
    notices = there("GET", f"/studies/{study['id']}/releases")["check"]
    assert "in_place" in {notice["kind"] for notice in notices}
    job = there("POST", f"/studies/{study['id']}/releases", params={"edition": study["edition"]})
    until = time.monotonic() + 120
    while job["state"] == "running" and time.monotonic() < until:
        time.sleep(0.05)
        job = there("GET", f"/jobs/{job['id']}")
    assert job["state"] == "done", job
    names = {of["name"] for of in there("GET", f"/studies/{study['id']}/releases")["made"][0]["files"]}
    assert {"results.json", "tables.xlsx"} <= names
    assert "microdata.csv" not in names
    written = there("GET", f"/studies/{study['id']}/releases/1/files/results.json")
    alone = of_all(tmp_path, study)
    assert list(differing(written["tables"], alone["tables"], rel=1e-9)) == []
    assert written["cases"] == alone["cases"] == {"source": 480, "used": 480}


def test_what_cannot_be_had_says_so(there: Api) -> None:
    study = begun(there)
    path, table = f"/studies/{study['id']}", study["document"]["tables"][0]
    for method, at, more in (
        (
            "POST",
            f"{path}/tables/{table['id']}/design-effect",
            {"stub": {"variable": table["stub"][0]}, "banner": [], "stat": "n"},
        ),
        ("GET", f"{path}/depends/{table['id']}", None),
    ):
        answer = there.raw(method, at, json=more) if more else there.raw(method, at)
        assert "records stay in their folder" in answer.text, answer.text
    other = there.bring("more.csv", (CASE / "data.csv").read_bytes())
    wanted = {"id": other["id"], "extend": True}
    assert "not added to" in there("POST", f"{path}/newer", 422, json=wanted)["faults"][0]["what"]
    saved = there("GET", f"{path}/study.zip")
    assert b"study.json" in saved
    assert b".parquet" not in saved


def test_no_folder_of_data_no_folders(api: Api) -> None:
    assert api("GET", "/folders") == []
    assert "--data" in api("POST", "/folders", 422, json={"folder": "x"})["faults"][0]["where"]


@pytest.mark.parametrize("folder", ["..", "../other", "/etc", "wave 1/../..", "link", "\0", "linked"])
def test_nothing_outside_is_read(there: Api, data: Path, folder: str) -> None:
    other = data.parent / "other"
    make_parts(CASE / "data.csv", other, EACH)
    (data / "link").symlink_to(other)
    (data / "linked").mkdir()
    (data / "linked" / "part-1.parquet").symlink_to(next(other.glob("*.parquet")))
    # What is refused hides no other folder.
    assert [of["folder"] for of in there("GET", "/folders")] == ["wave 1"]
    assert "outside" in there("POST", "/folders", 422, json={"folder": folder})["faults"][0]["what"]


def test_a_part_that_becomes_a_link_outside_is_not_read(there: Api, data: Path) -> None:
    study = begun(there)
    part, other = sorted(data.rglob("*.parquet"))[0], data.parent / "other.parquet"
    about = part.stat()
    shutil.copy2(part, other)
    part.unlink()
    part.symlink_to(other)
    assert (part.stat().st_size, part.stat().st_mtime_ns) == (about.st_size, about.st_mtime_ns)
    assert "outside" in calculated(there, study)["faults"][0]["what"]
    answer = there("GET", f"/studies/{study['id']}/in-place/records/1", 422)
    assert "outside" in answer["faults"][0]["what"]


def test_parts_of_two_headings_are_refused_with_the_name_of_the_other(data: Path, tmp_path: Path) -> None:
    (tmp_path / "b.csv").write_text("other\n1\n")
    make_parts(tmp_path / "b.csv", tmp_path / "b", EACH)
    shutil.copy(next((tmp_path / "b").glob("*.parquet")), data / "wave 1" / "z.parquet")
    with pytest.raises(StudyError) as error:
        draw(data, "wave 1", DRAWN)
    assert error.value.faults[0].where == "z.parquet"


def test_stopped_nothing_is_kept_and_another_run_goes_on(there: Api) -> None:
    study = begun(there)
    job = there("POST", f"/studies/{study['id']}/in-place/figures", json={"edition": study["edition"]})
    there("DELETE", f"/jobs/{job['id']}", 204)
    until = time.monotonic() + 60
    while job["state"] == "running" and time.monotonic() < until:
        time.sleep(0.02)
        job = there("GET", f"/jobs/{job['id']}")
    assert job["state"] == "stopped"
    assert there("GET", f"/studies/{study['id']}/in-place")["lacking"] > 0
    assert calculated(there, study)["state"] == "done"
    assert threading.active_count() < 60


def test_figures_go_with_the_last_study_that_has_them(there: Api, tmp_path: Path) -> None:
    study = begun(there)
    calculated(there, study)
    folder = tmp_path / "figures" / study["source"]["id"]
    assert len(list(folder.iterdir())) == len(study["document"]["tables"]) + 1
    again = there("POST", f"/studies/{study['id']}/copy")["id"]
    for one, left in ((study["id"], True), (again, False)):
        there("DELETE", f"/studies/{one}", 204)
        there("POST", f"/studies/{one}/purge", 204)
        assert folder.exists() == left


@pytest.mark.parametrize("left", [b"", b"not what was written", None])
def test_what_is_broken_of_the_figures_is_calculated_again(
    there: Api, tmp_path: Path, left: bytes | None
) -> None:
    study = begun(there)
    calculated(there, study)
    after = tables(there, study)
    for path in (tmp_path / "figures").glob("*/*"):
        path.write_bytes(path.read_bytes()[:-20] if left is None else left)
    assert all(view["of_sample"] for view in tables(there, study))
    assert calculated(there, study)["state"] == "done"
    assert tables(there, study) == after


def test_of_much_what_was_used_last_stays(tmp_path: Path) -> None:
    kept = Exact(tmp_path, most=0)
    (tmp_path / "a").mkdir()
    (tmp_path / "a" / "old").write_bytes(b"x" * 100)
    kept._tidy()
    assert list((tmp_path / "a").iterdir()) == []


def test_a_sample_is_not_read_another_way(there: Api) -> None:
    study = begun(there)
    path, reading = f"/files/{study['source']['id']}/read-again", {"path": "x", "format": "csv"}
    assert "not read another way" in there("POST", path, 422, json=reading)["faults"][0]["what"]


def test_many_columns_are_fewer_records(data: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(sampling, "_CELLS", 400)
    drawn = draw(data, "wave 1", DRAWN).table
    assert len(drawn.rows) == 400 // len(drawn.names)
