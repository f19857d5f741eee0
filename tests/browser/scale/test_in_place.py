"""A study whose records stay in their folder: begun, looked at, calculated on all of them and released."""

import json
import time
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any
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


@dataclass
class Api:
    """The server, asked as a program would."""

    address: str

    def __call__(self, method: str, path: str, body: bytes | None = None) -> Any:
        kind = {"content-type": "application/json"}
        with urlopen(Request(f"{self.address}/api/v1{path}", body, kind, method=method)) as answer:
            return json.load(answer)

    def done(self, job: dict[str, Any]) -> str:
        """What a job made."""
        while job["state"] == "running":
            time.sleep(0.05)
            job = self("GET", f"/jobs/{job['id']}")
        return str(job["result"])


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
    # Codebook, ledger, weights and tables of the demo.
    api = Api(browser.address)
    frame = api.done(api("POST", "/files?name=frame.csv", (FILES / "frame.csv").read_bytes()))
    at = api("GET", f"/studies/{study}")["edition"]
    api("PUT", f"/studies/{study}/lookups/frame?edition={at}", json.dumps({"id": frame}).encode())
    document = json.loads((FILES / "study.json").read_text()) | {"release": None}
    api("PUT", f"/studies/{study}/document?edition={at + 1}", json.dumps(document).encode())
    browser.go(f"/study/{study}/tables/need")
    browser.see("Figures of the sample: 1,476 of 2,370 records")
    browser.act("calculate-all")
    browser.see("✓ Figures of all 2,330 records.")
    browser.see("Tables and analyses are of all records.")
    browser.go(f"/study/{study}/intake")
    browser.act("draw-again")
    browser.see("A new sample; the study still shows the one before")
    assert "Add its records" not in browser.text()
    browser.act("refuse-newer")
    browser.see("A sample of the records as they came")
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
    ledger = Api(browser.address)("GET", f"/studies/{study}")["document"]["ledger"]
    (step,) = [of for of in ledger if of["do"] == "edit"]
    assert (step["id"], step["by"]) == (2330, "row")
    assert browser.errors() == []
