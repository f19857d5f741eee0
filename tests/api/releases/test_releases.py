"""Releases over the API: shown, made, kept as they were, compared; templates; what to look at before."""

import hashlib
import io
import json
import zipfile
from typing import Any

import docx
import pytest

FILES = ["docx", "html", "xlsx"]


def made(api: Any, study: dict[str, Any]) -> int:
    """The number of a release that is made of a study as it stands."""
    at = f"/studies/{study['id']}/releases"
    job = api("POST", at, params={"edition": study["edition"]})
    while job["state"] == "running":
        job = api("GET", f"/jobs/{job['id']}")
    assert job["state"] == "done", job
    return int(job["result"])


@pytest.fixture
def planned(api: Any, demo: dict[str, Any]) -> dict[str, Any]:
    """The demo with a plan of its release."""
    plan = {
        "title": "How the isles cross",
        "authors": ["Veldry Isles Statistics"],
        "date": "2026-05-02",
        "formats": FILES,
        "parts": [
            {"heading": "Crossing"},
            {"table": "crossing", "note": "Asked of adults."},
            {"model": "weekly"},
        ],
        "changes": True,
    }
    return api.change(demo, release=plan)


def test_a_release_is_shown_part_after_part(api: Any, planned: dict[str, Any]) -> None:
    shown = api("GET", f"/studies/{planned['id']}/releases/next")
    assert shown["title"] == "How the isles cross" and shown["date"] == "May 2, 2026"
    assert [of["at"] for of in shown["sections"]] == ["0", "1", "2", "methods"]
    table = shown["sections"][1]["blocks"][0]["table"]
    assert table["label"] == "Table 1" and "Asked of adults." in table["notes"]
    assert ("tables", "need") in {(of["part"], of["id"]) for of in shown["left_out"]}
    page = api("GET", f"/studies/{planned['id']}/releases/next/page").decode()
    assert "<script" not in page and "How the isles cross" in page


def test_a_release_is_kept_as_it_was(api: Any, planned: dict[str, Any]) -> None:
    at = f"/studies/{planned['id']}/releases"
    assert made(api, planned) == 1
    kept = api("GET", at)["made"][0]
    names = {of["name"] for of in kept["files"]}
    assert names >= {
        "release.docx",
        "release.html",
        "tables.xlsx",
        "microdata.csv",
        "results.json",
        "study.json",
    }
    for of in kept["files"]:
        content = api.raw("GET", f"{at}/1/files/{of['name']}").content
        assert hashlib.sha256(content).hexdigest() == of["sha256"] and len(content) == of["size"]
    document = api.raw("GET", f"{at}/1/files/study.json").content
    assert hashlib.sha256(document).hexdigest() == kept["study_sha256"]
    # Later changes touch nothing of it, and the next gets the next number.
    later = api.change(planned, title="Another name")
    assert made(api, later) == 2
    assert api("GET", at)["made"][1] == kept


def test_all_files_come_in_one_archive_with_a_manifest(api: Any, planned: dict[str, Any]) -> None:
    at = f"/studies/{planned['id']}/releases"
    made(api, planned)
    with zipfile.ZipFile(io.BytesIO(api.raw("GET", f"{at}/1/files/all.zip").content)) as archive:
        manifest = json.loads(archive.read("manifest.json"))
        listed = {of["name"]: of["sha256"] for of in manifest["files"]}
        assert set(archive.namelist()) == {*listed, "manifest.json"}
        assert all(hashlib.sha256(archive.read(name)).hexdigest() == said for name, said in listed.items())
    assert api("GET", f"{at}/1/files/nothing.pdf", 422)["faults"]
    assert api("GET", f"{at}/7/changes", 422)["faults"][0]["what"] == "There is no release 7."


def test_what_changed_since_a_release_is_said_and_written_into_the_next(
    api: Any, planned: dict[str, Any]
) -> None:
    at = f"/studies/{planned['id']}/releases"
    made(api, planned)
    assert api("GET", f"{at}/1/changes")["changes"]["moved"] == []
    ledger = [
        *planned["document"]["ledger"],
        {"do": "drop_cases", "where": "age > 60 and isle == 4", "why": "another survey"},
    ]
    tables = [t for t in planned["document"]["tables"] if t["id"] != "why"]
    tables[0] = {**tables[0], "title": "Whether it runs when needed"}
    changed = api.change(planned, ledger=ledger, tables=tables)
    found = api("GET", f"{at}/1/changes")["changes"]
    assert [of["id"] for of in found["gone"]] == ["why"]
    assert found["renamed"][0]["title"] == "Whether it runs when needed"
    assert next(of for of in found["numbers"] if of["what"] == "cases in use")["before"] == 2268
    order = [(not of["beyond"], -of["weight"]) for of in found["moved"]]
    assert order == sorted(order) and order
    shown = api("GET", f"{at}/next")
    assert next(of for of in shown["sections"] if of["at"] == "changes")["title"] == "What changed"
    assert made(api, changed) == 2
    page = api.raw("GET", f"{at}/2/files/release.html").text
    assert "What changed since release 1" in page
    # Releases are compared with one another, too, either way.
    between = api("GET", f"{at}/1/changes", params={"until": 2})["changes"]
    assert len(between["moved"]) == len(found["moved"])
    assert [of["id"] for of in api("GET", f"{at}/2/changes", params={"until": 1})["changes"]["new"]] == [
        "why"
    ]


def test_the_check_names_what_to_look_at_and_forbids_nothing(api: Any, planned: dict[str, Any]) -> None:
    at = f"/studies/{planned['id']}/releases"
    kinds = {of["kind"] for of in api("GET", at)["check"]}
    assert {"unrecognised", "findings"} <= kinds and "untitled" not in kinds
    table = {"id": "none", "title": "Nobody", "stub": ["isle"], "where": "age > 500"}
    bare = api.change(planned, tables=[table], release={"formats": ["html"]})
    found = {of["kind"]: of for of in api("GET", at)["check"]}
    assert found["unanswered"]["id"] == "none" and found["untitled"]["count"] == 2
    assert made(api, bare) == 1


def test_a_table_that_goes_leaves_the_release_too(api: Any, planned: dict[str, Any]) -> None:
    tables = [t for t in planned["document"]["tables"] if t["id"] != "crossing"]
    changed = api.change(planned, tables=tables)
    assert [next(iter(of)) for of in changed["document"]["release"]["parts"]] == ["heading", "model"]


def test_a_release_of_an_edition_that_is_gone_is_not_made(api: Any, planned: dict[str, Any]) -> None:
    api.change(planned, title="Changed meanwhile")
    job = api("POST", f"/studies/{planned['id']}/releases", params={"edition": planned["edition"]})
    while job["state"] == "running":
        job = api("GET", f"/jobs/{job['id']}")
    assert job["state"] == "failed" and "study changed before" in job["faults"][0]["what"]
    assert api("GET", f"/studies/{planned['id']}/releases")["made"] == []


def test_a_house_template_lends_its_styles(api: Any, planned: dict[str, Any]) -> None:
    house = docx.Document()
    house.styles["Caption"].font.name = "House Serif"
    house.add_paragraph("What stands in the template does not stay")
    out = io.BytesIO()
    house.save(out)
    at = f"/studies/{planned['id']}/releases"
    asked = {"edition": planned["edition"], "name": "house.docx"}
    refused = api("PUT", f"{at}/template", 422, params=asked, content=b"PK no document")
    assert "no .docx" in refused["faults"][0]["what"]
    api("PUT", f"{at}/template", 200, params=asked, content=out.getvalue())
    plan = {**planned["document"]["release"], "style": {"template": "house.docx"}, "formats": ["docx"]}
    number = made(api, api.change(planned, release=plan))
    content = api.raw("GET", f"{at}/{number}/files/release.docx").content
    written = docx.Document(io.BytesIO(content))
    assert written.styles["Caption"].font.name == "House Serif"
    assert not any("does not stay" in paragraph.text for paragraph in written.paragraphs)
    lost = api.change(
        planned | {"edition": planned["edition"] + 1}, release={"style": {"template": "other.docx"}}
    )
    assert "no template" in api("GET", f"/studies/{lost['id']}/releases/next", 422)["faults"][0]["what"]
