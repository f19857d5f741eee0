"""What was accepted shows: no document and no entry of the ledger, however it was made, leaves a study whose
pages fail. `--documents 10000` tries as many."""

import copy
import json
from typing import Any

import pytest
from calls import Api
from fastapi.testclient import TestClient
from hypothesis import HealthCheck, example, given, settings
from hypothesis import strategies as st
from mutated import ANSWERS, document, mutated

from even_ballot.api.app import make_app

PAGES = (
    "", "/codebook", "/codebook.csv", "/codebook.json", "/ledger", "/ledger.md", "/ledger.html", "/findings", "/flow", "/weightings", "/comparison",
    "/design", "/disclosure", "/plan.csv", "/plan.json", "/releases", "/releases/next", "/releases/next/page", "/study.json", "/study.zip",
    "/release/records.csv",
)  # fmt: skip
ANALYSES = ("models", "reliability", "correlations")


@pytest.fixture(scope="module")
def desk(module_engine: Any) -> Any:
    """The API with a study on the small file."""
    app = make_app(module_engine)
    with TestClient(app, base_url="http://127.0.0.1:8410", raise_server_exceptions=False) as client:
        api = Api(client)
        file = api.bring("answers.csv", ANSWERS)
        study = api("POST", "/studies", json={"title": "Boats", "file": file["id"]})["id"]
        yield api, study


def body_of(document: Any) -> bytes:
    return json.dumps(document).encode()


def failures(api: Api, study: str, said: dict[str, Any]) -> list[tuple[str, str]]:
    """Pages that are a server's error."""
    pages = [f"/studies/{study}{page}" for page in PAGES]
    pages += [f"/studies/{study}/tables/{table['id']}" for table in said.get("tables", ())]
    pages += [
        f"/studies/{study}/analyses/{part}/{one['id']}" for part in ANALYSES for one in said.get(part, ())
    ]
    pages += [f"/studies/{study}/side-by-side/{one['id']}" for one in said.get("side_by_side", ())]
    pages += [f"/studies/{study}/weightings/{at}/limits" for at in range(len(said.get("weightings", ())))]
    pages += [f"/studies/{study}/ledger/{at}" for at in range(1, len(said.get("ledger", ())) + 1)]
    asked = [
        (page, api.raw("GET", page))
        for page in pages
        if page.isprintable() and "#" not in page and "?" not in page
    ]
    cells = {"start": 0, "count": 5}
    asked.append(("cells", api.raw("POST", f"/studies/{study}/cells", json=cells)))
    return [(page, answer.text[:300]) for page, answer in asked if answer.status_code >= 500]


def check(api: Api, study: str, made: dict[str, Any]) -> None:
    edition = api("GET", f"/studies/{study}")["edition"]
    answer = api.raw("PUT", f"/studies/{study}/document?edition={edition}", content=body_of(made))
    assert answer.status_code < 500, answer.text
    if answer.status_code == 200:
        assert not failures(api, study, answer.json()["document"])
    else:
        assert answer.status_code == 422
        assert api("GET", f"/studies/{study}")["edition"] == edition, "what was refused changed something"


def test_the_document_they_are_made_of_is_good(desk: Any) -> None:
    api, study = desk
    check(api, study, document())
    view = api("GET", f"/studies/{study}")
    assert view["faults"] == []
    assert [one["do"] for one in api("GET", f"/studies/{study}/ledger") if one["fault"]] == []
    assert all(api("GET", f"/studies/{study}/tables/{t}")["result"] for t in ("t1", "t2", "t3"))


def test_no_document_that_is_accepted_makes_a_page_fail(desk: Any, request: pytest.FixtureRequest) -> None:
    api, study = desk

    @settings(
        max_examples=request.config.getoption("--documents"),
        suppress_health_check=list(HealthCheck),
        deadline=None,
    )
    @given(mutated())
    @example(document() | {"title": "half a \ud800"})
    @example(document() | {"side_by_side": [{"id": "s1", "models": ["m1"], "show": []}]})
    @example(document() | {"source": {"path": ""}})
    def tried(made: dict[str, Any]) -> None:
        check(api, study, made)

    tried()


def test_no_entry_that_is_accepted_makes_a_page_fail(desk: Any, request: pytest.FixtureRequest) -> None:
    """The same as the interface sends it: the ledger changed, by PATCH."""
    api, study = desk
    check(api, study, document())

    @settings(
        max_examples=request.config.getoption("--documents"),
        suppress_health_check=list(HealthCheck),
        deadline=None,
    )
    @given(mutated(("ledger", "codebook")))
    def tried(made: dict[str, Any]) -> None:
        edition = api("GET", f"/studies/{study}")["edition"]
        parts = {key: made[key] for key in ("ledger", "codebook") if key in made}
        answer = api.raw(
            "PATCH", f"/studies/{study}", content=body_of({"edition": edition, "parts": parts}),
            headers={"content-type": "application/json"},
        )  # fmt: skip
        assert answer.status_code < 500, answer.text
        if answer.status_code == 200:
            assert not failures(api, study, answer.json()["document"])

    tried()


TWICE = st.sampled_from(["codes", "labels"])


@pytest.mark.parametrize("kind", ["collapse", "band", "split"])
@pytest.mark.parametrize("twice", ["code", "label"])
def test_categories_of_one_code_or_label_are_refused_in_place(desk: Any, kind: str, twice: str) -> None:
    api, study = desk
    made = copy.deepcopy(document())
    step = next(step for step in made["ledger"] if step["do"] == kind)
    key = {"collapse": "groups", "band": "bands", "split": "options"}[kind]
    step[key][1][twice] = step[key][0][twice]
    check(api, study, made)
    stopped = [one["fault"] for one in api("GET", f"/studies/{study}/ledger") if one["fault"]]
    at = made["ledger"].index(step)
    assert stopped
    assert stopped[0]["where"] == f"ledger[{at}].{key}"
    assert "twice" in stopped[0]["what"]
