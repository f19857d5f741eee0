"""The server's own process looks at no entry of a file, and what a helper process suffers is not remembered."""

import sys
from collections.abc import Callable
from typing import Any

import pytest
from calls import Api
from fastapi.testclient import TestClient
from sqlalchemy import Engine

from even_ballot.api.app import make_app
from even_ballot.core.data import interpretation
from even_ballot.core.faults import Fault, Passing, StudyError, fault
from even_ballot.core.ledger import cells, joins, wording
from even_ballot.core.ledger.reading import dates, replacing, to_number
from even_ballot.core.study import newer_file
from even_ballot.services.states.study_states import Pipelines

ANSWERS = b"isle;day;fare;why;said;q1\nHask;3/5/26;2,50 kr;work,shop; late;1\nOrran;4/5/26;3 kr;shop;dear ;7\nBrack;5/5/26;4 kr;;late;2\n"
PORTS = b"said;port\nlate;Keld\n"
LEDGER = [
    {"do": "to_date", "variables": ["day"], "order": "day_month_year"},
    {"do": "to_number", "variables": ["fare"], "decimal": ",", "unit": "kr"},
    {"do": "tidy", "variables": ["said"]},
    {"do": "replace", "variables": ["said"], "wordings": {"dear": "too dear"}},
    {
        "do": "split",
        "variable": "why",
        "separator": ",",
        "into": "reason",
        "options": [{"code": 1, "label": "work"}, {"code": 2, "label": "shop"}],
    },
    {"do": "code", "variables": ["isle"], "scale": "isles"},
    {"do": "look_up", "from": "ports", "on": "said", "take": ["port"], "missing": "flag"},
]
SCALES = {"isles": {"codes": [{"code": 1, "label": "Hask"}, {"code": 2, "label": "Orran"}]}}


def refuse_here(*_: Any, **__: Any) -> Any:
    raise AssertionError("entries were looked at in the server's own process")


@pytest.fixture
def nothing_here(monkeypatch: pytest.MonkeyPatch) -> None:
    """Whoever looks at entries fails, in this process alone: helpers are forked from another."""
    for step in (
        dates.ToDate, to_number.ToNumber, replacing.Replace, wording.Tidy, wording.CodeAnswers, cells.Split, joins.LookUp,
    ):  # fmt: skip
        monkeypatch.setattr(step, "apply", refuse_here)
    monkeypatch.setattr(interpretation, "interpret", refuse_here)
    monkeypatch.setattr(sys.modules["even_ballot.core.screening.sweep"], "_found", refuse_here)
    monkeypatch.setattr(newer_file, "_counts", refuse_here)


@pytest.mark.usefixtures("nothing_here")
def test_nothing_looks_at_entries_in_the_servers_own_process(engine: Engine) -> None:
    with TestClient(make_app(engine), base_url="http://127.0.0.1:8410") as client:
        api = Api(client)
        file, ports = api.bring("answers.csv", ANSWERS), api.bring("ports.csv", PORTS)
        study = api("POST", "/studies", json={"title": "Boats", "file": file["id"]})
        at = f"/studies/{study['id']}"
        study = api("GET", at)
        study = api("PUT", f"{at}/lookups/ports?edition={study['edition']}", json={"id": ports["id"]})
        study = api.change(study, ledger=LEDGER, codebook={"scales": SCALES})
        entries = api("GET", f"{at}/ledger")
        assert [one["fault"] for one in entries] == [None] * len(LEDGER)
        assert [one["cells_changed"] for one in entries] == [3, 3, 2, 1, 4, 2, 2]
        found = api("GET", f"{at}/findings")[0]
        named = {key: found[key] for key in ("variable", "kind", "value")}
        assert len(api("GET", f"{at}/findings/cases", params=named)["rows"]) == found["cases"] > 0
        asked = {"start": 0, "count": 5, "finding": found}
        assert api("POST", f"{at}/cells", json=asked)["cases"] == found["cases"]
        tidy = {"step": {"do": "tidy", "variables": ["said"], "case": "upper"}}
        assert api("POST", f"{at}/try", json=tidy)["cells_changed"] == 3
        newer = api.bring("newer.csv", ANSWERS.replace(b"Hask", b"Skerrow"))
        drift = api("POST", f"{at}/newer", json={"id": newer["id"]})["drift"]
        assert {"column": "isle", "answers": {"Skerrow": 1}} in drift["new_answers"]


def _twice(first: StudyError) -> tuple[list[int], Callable[[], str]]:
    asked: list[int] = []

    def make() -> str:
        asked.append(1)
        if len(asked) == 1:
            raise first
        return "found"

    return asked, make


def test_a_fault_of_the_moment_is_not_remembered() -> None:
    pipelines = Pipelines()
    asked, make = _twice(Passing(Fault("The process working on this was killed.")))
    with pytest.raises(StudyError, match="killed"):
        pipelines.once("key", make)
    assert pipelines.once("key", make) == "found"
    assert len(asked) == 2
    _, make = _twice(fault("It is wrong."))
    for _ in range(2):
        with pytest.raises(StudyError, match="It is wrong"):
            pipelines.once("other", make)
