"""A study whose records stay in their folder: begun, looked at, calculated on all of them and released."""

import json
from collections.abc import Iterator
from pathlib import Path
from urllib.request import Request, urlopen

import pytest
from pages import Browser
from served import served
from sqlalchemy import Engine

from even_ballot.api.app import make_app
from even_ballot.demo import FILES
from even_ballot.services.answers import make_parts
from even_ballot.services.in_place.exact import Exact
from even_ballot.services.in_place.folders import DataFolder
from even_ballot.services.states.study_states import Pipelines
from even_ballot.services.studies import in_place


@pytest.fixture
def address(engine: Engine, web: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[str]:
    """A server that may read a folder of data, with the demo's answers in parts there."""
    monkeypatch.setattr(in_place, "DRAWN", 1500)
    make_parts(FILES / "answers.csv", tmp_path / "data" / "ferry" / "wave 1", 400)
    pipelines = Pipelines(DataFolder(tmp_path / "data"), Exact(tmp_path / "figures"))
    with served(make_app(engine, web, pipelines=pipelines)) as url:
        yield url


def send(address: str, method: str, path: str, body: bytes) -> dict[str, object]:
    asked = Request(f"{address}/api/v1{path}", body, {"content-type": "application/json"}, method=method)
    with urlopen(asked) as answer:
        return json.load(answer)  # type: ignore[no-any-return]


def test_from_a_folder_of_parts_to_a_released_table(browser: Browser, tmp_path: Path) -> None:
    browser.go("/")
    browser.see("Records that stay in their folder")
    browser.see("ferry/wave 1")
    browser.act("draw-ferry/wave 1")
    browser.see("1,500 of 2,370 records in 6 parts, drawn at random")
    browser.fill("Title of the study", "Ferry, all records")
    browser.act("import-plain")
    browser.see("Preview: 1,500 of 2,370 records, drawn at random")
    study = browser.driver.current_url.removeprefix(browser.address).split("/")[2]
    # Codebook, ledger and tables of the demo.
    document = json.loads((FILES / "study.json").read_text())
    document |= {"lookups": {}, "weightings": [], "models": [], "side_by_side": [], "design": {}}
    document["ledger"] = [
        step for step in document["ledger"] if step["do"] not in ("look_up", "derive", "band")
    ]
    document["tables"] = [t for t in document["tables"] if t["id"] in ("need", "why")]
    document["release"] = None
    document["title"] = "Ferry, all records"
    at = send(browser.address, "GET", f"/studies/{study}", b"")["edition"]
    send(browser.address, "PUT", f"/studies/{study}/document?edition={at}", json.dumps(document).encode())
    browser.go(f"/study/{study}/tables/need")
    browser.see("Figures of the sample: 1,476 of 2,370 records")
    browser.act("calculate-all")
    browser.see("✓ Figures of all 2,330 records.")
    browser.see("Tables and analyses are of all records.")
    browser.go(f"/study/{study}/release")
    browser.see("The records stay in their folder, so no file of them is made")
    browser.act("make-release")
    browser.see("results.json")
    assert browser.errors() == []


def test_any_record_is_looked_at_and_changed(browser: Browser) -> None:
    browser.go("/")
    browser.act("draw-ferry/wave 1")
    browser.see("drawn at random")
    browser.act("import-answers")
    browser.see("Preview: 1,500 of 2,370 records")
    study = browser.driver.current_url.removeprefix(browser.address).split("/")[2]
    browser.go(f"/study/{study}/screening")
    browser.act("open-record")
    browser.fill("Number, 1 to 2,370", "2330", enter=True)
    browser.see("As it came")
    browser.until(lambda: browser.all('[aria-label^="Change "]')[0], "an entry").click()
    browser.fill("Change to", "99999")
    browser.fill("Reason", "read from the paper", enter=True)
    browser.see("99999")
    browser.saved()
    (step,) = [
        of
        for of in send(browser.address, "GET", f"/studies/{study}", b"")["document"]["ledger"]
        if of["do"] == "edit"  # type: ignore[index]
    ]
    assert (step["id"], step["by"]) == (2330, "row")
    assert browser.errors() == []
