"""Scales, codebook files, drafts and newer files as the interface brings them in."""

import csv
import io
import json
from typing import Any

import pytest

from even_ballot.demo import FILES

# Codebook


def test_a_scale_is_fitted_before_it_is_laid(api: Any, small: dict[str, Any]) -> None:
    scale = {"codes": [{"code": 1, "label": "yes"}, {"code": 2, "label": "no"}]}
    q, sex = api("POST", f"/studies/{small['id']}/fit", json={"scale": scale, "variables": ["q", "sex"]})
    assert {a["answer"]: (a["code"], a["proposal"]) for a in q["answers"]} == {
        "yes": (1, None), "no": (2, None), "YES": (None, 1), "maybe": (None, None),
    }  # fmt: skip
    assert (q["verdict"], sex["verdict"]) == ("in part", "fits")


def test_where_a_scale_is_used_and_how_often(api: Any, demo: dict[str, Any]) -> None:
    book = api("GET", f"/studies/{demo['id']}/codebook")
    uses = {u["variable"]: u["cells"] for u in book["used_by"]["frequency"]}
    views = {v["variable"]["name"]: v for v in book["variables"]}
    assert len(uses) == 6
    assert all(cells == views[name]["answered"] for name, cells in uses.items())
    assert [b["variables"][0] for b in book["batteries"]][:2] == ["ferry_runs_need", "passenger_ferry"]
    assert (views["ferry_runs_need"]["level"], views["sex"]["level"], views["age"]["level"]) == (
        "ordinal",
        "nominal",
        "ratio",
    )


@pytest.mark.parametrize("kind", ["csv", "json"])
def test_the_codebook_laid_on_its_own_study_changes_nothing(
    api: Any, demo: dict[str, Any], kind: str
) -> None:
    content = api.raw("GET", f"/studies/{demo['id']}/codebook.{kind}").content
    put = {"edition": demo["edition"], "name": f"codebook.{kind}"}
    laid = api("PUT", f"/studies/{demo['id']}/codebook", params=put, content=content)
    assert laid == {"says": [], "unknown": []}
    assert api("GET", f"/studies/{demo['id']}") == demo


def test_a_codebook_made_elsewhere_codes_and_describes_a_raw_file(api: Any, demo: dict[str, Any]) -> None:
    made = api.raw("GET", f"/studies/{demo['id']}/codebook.json").content
    file = api.bring("answers.csv", (FILES / "answers.csv").read_bytes())
    study = api("GET", f"/studies/{api('POST', '/studies', json={'title': 'Raw', 'file': file['id']})['id']}")
    document = json.loads(made)
    document["fields"] = [
        f
        for f in document["fields"]
        if f["name"] in ("ferry_runs_need", "passenger_ferry", "code_letter", "nowhere")
    ]
    document["fields"].append({"name": "nowhere", "type": "string"})
    put = {"edition": study["edition"], "name": "codebook.json"}
    laid = api("PUT", f"/studies/{study['id']}/codebook", params=put, content=json.dumps(document).encode())
    assert laid["unknown"] == ["nowhere"]
    assert any("are coded by the scale agreement" in said for said in laid["says"])
    book = {v["variable"]["name"]: v for v in api("GET", f"/studies/{study['id']}/codebook")["variables"]}
    assert (book["ferry_runs_need"]["variable"]["scale"], book["passenger_ferry"]["variable"]["scale"]) == (
        "agreement",
        "frequency",
    )
    assert book["code_letter"]["variable"]["role"] == "id"
    assert api("GET", f"/studies/{study['id']}")["undo"] == "Applied the codebook file codebook.json"


def test_a_scale_of_a_codebook_file_that_does_not_fit_is_refused_whole(
    api: Any, demo: dict[str, Any]
) -> None:
    rows = [
        ["variable", "question", "scale", "code", "label"],
        ["sex", "Woman or man?", "mw", "1", "Man"],
        ["sex", "", "mw", "2", "Woman"],
    ]
    out = io.StringIO()
    csv.writer(out).writerows(rows)
    put = {"edition": demo["edition"], "name": "codebook.csv"}
    refused = api("PUT", f"/studies/{demo['id']}/codebook", 422, params=put, content=out.getvalue().encode())
    assert "The scale mw does not fit sex" in refused["faults"][0]["what"]
    assert api("GET", f"/studies/{demo['id']}") == demo


# Non-response, kinds, newer files


def test_left_out_is_about_questions_not_about_what_was_made_of_them(api: Any, demo: dict[str, Any]) -> None:
    names = {item["variable"] for item in api("GET", f"/studies/{demo['id']}/left-out")["items"]}
    assert {"tenure", "ferry_runs_need", "reasons"} <= names
    assert not names & {"age_band", "isle", "seconds", "stratum", "boats_too_crowded_rev", "code_letter"}
    run = api("GET", f"/studies/{demo['id']}/left-out", params={"questions": ["sex", "age"]})
    assert [item["variable"] for item in run["items"]] == ["sex", "age"]


def test_a_draft_is_looked_at_changed_and_taken_with_a_file(api: Any) -> None:
    file = api.bring(
        "a.csv",
        b"id,zip,often\n1,0123,Never\n2,4567,Always\n3,x1,Nvr\n4,0123,Always\n5,4567,Never\n6,99,Never\n",
    )
    path = f"/files/{file['id']}/draft"
    lines = {name: seen for seen in api("GET", path) for name in seen["line"]["questions"]}
    assert set(lines) == {"id", "zip", "often"}
    number = api("POST", f"{path}/as", json={"kind": "number", "questions": ["zip"]})
    left = [(a["text"], a["cells"]) for a in number["effect"]["answers"] if a["sort"] == "left"]
    assert (number["line"]["kind"], left, number["effect"]["left"]) == ("number", [("x1", 1)], 1)
    often = lines["often"]["line"]
    code = next(c["code"] for c in often["scale"]["codes"] if c["label"] == "Nvr")
    never = next(c["code"] for c in often["scale"]["codes"] if c["label"] == "Never")
    codes = [c for c in often["scale"]["codes"] if c["code"] != code]
    mended = {**often, "scale": {**often["scale"], "codes": codes}, "answers": {"Nvr": never}}
    seen = api("POST", f"{path}/look", json=mended)
    assert {a["text"]: a["cells"] for a in seen["effect"]["answers"]} == {"Never": 4, "Always": 2}
    taken = [lines["id"]["line"], number["line"], mended]
    made = api("POST", "/studies", json={"title": "T", "file": file["id"], "draft": taken})
    book = api("GET", f"/studies/{made['id']}/codebook")
    assert [v["variable"]["kind"] for v in book["variables"]] == ["number", "number", "coded"]
    assert [e["do"] for e in api("GET", f"/studies/{made['id']}/ledger")] == ["to_number", "code"]
    refused = api("POST", f"{path}/as", 422, json={"kind": "number", "questions": ["nip"]})
    assert "no column nip" in refused["faults"][0]["what"]
    api(
        "POST",
        "/studies",
        422,
        json={"title": "T", "file": file["id"], "draft": [{**mended, "questions": ["nip"]}]},
    )


def test_a_study_that_is_there_takes_lines_of_its_files_draft(api: Any) -> None:
    rows = "".join(f"{k},{('Never', 'Often', 'Always')[k % 3]},{('Yes', 'No')[k % 2]}\n" for k in range(60))
    file = api.bring("a.csv", f"id,often,boat\n{rows}".encode())
    study = api("POST", "/studies", json={"title": "T", "file": file["id"]})["id"]
    path = f"/studies/{study}"
    scale = {"codes": [{"code": 7, "label": "Kept"}]}
    label = {"name": "often", "kind": "text", "label": "How often?"}
    book = {"scales": {"often": scale}, "variables": [label]}
    now = api.change(api("GET", path), codebook=book, ledger=[])
    lines = [seen["line"] for seen in api("GET", f"/files/{file['id']}/draft")]
    coded = [line for line in lines if line["kind"] == "coded"]
    added = api("POST", f"{path}/draft", json=coded)
    assert added["codebook"]["scales"]["often"]["codes"][0]["label"] == "Kept"
    now = api.change(now, codebook=added["codebook"], ledger=added["ledger"])
    seen = {v["variable"]["name"]: v for v in api("GET", f"{path}/codebook")["variables"]}
    assert [seen[name]["variable"]["kind"] for name in ("often", "boat")] == ["coded", "coded"]
    assert seen["often"]["variable"]["label"] == "How often?"
    assert [a["label"] for a in seen["often"]["answers"]] == ["Never", "Often", "Always"]
    refused = api("POST", f"{path}/draft", 422, json=coded)
    assert "already changed" in refused["faults"][0]["what"]
    assert api("GET", path)["document"]["ledger"] == now["document"]["ledger"]


def test_all_answers_of_a_question_are_there_though_the_list_holds_the_most_frequent(api: Any) -> None:
    lines = "".join(f"{k},place {k % 90}\n" for k in range(270))
    file = api.bring("a.csv", ("id,home\n" + lines).encode())
    study = api("POST", "/studies", json={"title": "T", "file": file["id"]})["id"]
    listed = next(
        v for v in api("GET", f"/studies/{study}/codebook")["variables"] if v["variable"]["name"] == "home"
    )
    whole = api("GET", f"/studies/{study}/codebook/home")
    assert (len(listed["answers"]), listed["distinct"], len(whole["answers"])) == (60, 90, 90)
    found = api("POST", f"/studies/{study}/order", json={"labels": ["Often", "Never", "Always"]})
    assert (found["labels"], found["ordered"]) == (["Never", "Often", "Always"], True)


def test_a_scale_that_nothing_uses_changes_nothing_that_was_worked_out(
    api: Any, demo: dict[str, Any]
) -> None:
    before = api("GET", f"/studies/{demo['id']}/findings")
    book = {**demo["document"]["codebook"]}
    book["scales"] = {**book["scales"], "kept": {"codes": [{"code": 1, "label": "One"}]}}
    after = api.change(demo, codebook=book)
    assert after["edition"] > demo["edition"]
    assert api("GET", f"/studies/{demo['id']}/findings") == before
    assert "kept" in api("GET", f"/studies/{demo['id']}/codebook")["scales"]
    step = {"do": "code", "variables": ["order_blocks"], "scale": "kept", "answers": {"Services first": 1}}
    tried = api("POST", f"/studies/{demo['id']}/try", json={"step": step})
    assert (tried["faults"], tried["cells_changed"] > 0) == ([], True), (
        "a scale that is only kept can be tried"
    )


def test_a_newer_file_extends_the_answers_by_those_that_are_not_there_yet(api: Any) -> None:
    first = api.bring("march.csv", b"id,q\na,yes\nb,no\n")
    study = api("GET", f"/studies/{api('POST', '/studies', json={'title': 'T', 'file': first['id']})['id']}")
    study = api.change(study, codebook={"variables": [{"name": "id", "kind": "text", "role": "id"}]})
    second = api.bring("april.csv", b"q,id,new\nmaybe,b,1\nno,c,2\n")
    path = f"/studies/{study['id']}"
    look = api("POST", f"{path}/newer", json={"id": second["id"], "extend": True})
    assert (look["already"], look["used_after"], look["name"]) == (1, 3, "march and april.csv")
    assert look["drift"]["new_columns"] == {"new": "new"}
    again = api("POST", f"{path}/newer", json={"id": second["id"], "extend": True})
    assert again["file"] == look["file"]
    study = api("PUT", f"{path}/source", params={"edition": study["edition"]}, json={"id": look["file"]})
    rows = api("POST", f"/studies/{study['id']}/cells", json={})["rows"]
    assert [(row["row"], row["entries"]) for row in rows] == [
        (1, ["a", "yes", ""]),
        (2, ["b", "no", ""]),
        (3, ["c", "no", "2"]),
    ]


def test_entries_that_no_longer_fit_a_newer_file_are_all_named(api: Any) -> None:
    first = api.bring("march.csv", b"id,q,r\na,1,1\nb,2,1\n")
    study = api("GET", f"/studies/{api('POST', '/studies', json={'title': 'T', 'file': first['id']})['id']}")
    ledger = [
        {"do": "edit", "id": 2, "variable": "q", "value": 9},
        {"do": "derive", "into": "s", "value": "q + 1"},
        {"do": "derive", "into": "t", "value": "r + 1"},
    ]
    study = api.change(study, ledger=ledger)
    second = api.bring("april.csv", b"id,q\na,1\n")
    look = api("POST", f"/studies/{study['id']}/newer", json={"id": second["id"]})
    assert [(u["step"], u["fault"]["what"].split(".")[0].split(" (")[0]) for u in look["entries"]] == [
        (1, "No case in use has the identifier 2"), (3, "There is no variable 'r'"),
    ]  # fmt: skip


def test_every_figure_that_a_newer_file_changes_is_listed(api: Any, demo: dict[str, Any]) -> None:
    lines = (FILES / "answers.csv").read_text().splitlines(keepends=True)
    file = api.bring("fewer.csv", "".join(lines[:1500]).encode())
    look = api("POST", f"/studies/{demo['id']}/newer", json={"id": file["id"]})
    if look["faults"]:
        pytest.fail(str(look["faults"]))
    for table in look["tables"]:
        assert len(table["moved"]) == table["changed"] > 0
    shares = {m["stub"] for m in look["tables"][0]["moved"]}
    assert "ferry_runs_need: Agree" in shares
    changed = {c["column"]: c for c in look["drift"]["counts"]}
    assert all(a["before"] >= a["after"] for a in changed["woman_man"]["answers"])


@pytest.mark.parametrize("by", ["file", "interface"])
def test_a_relabelled_answer_keeps_those_who_gave_it(api: Any, by: str) -> None:
    """What an answer was called goes on being read as it."""
    content = b"q\n" + b"Very good\nGood\nBad\n" * 40
    file = api.bring("said.csv", content)
    made = api("POST", "/studies", json={"title": "Said", "file": file["id"]})
    study = api("GET", f"/studies/{made['id']}")
    scale = {
        "codes": [
            {"code": 1, "label": "Very good"},
            {"code": 2, "label": "Good"},
            {"code": 3, "label": "Bad"},
        ]
    }
    book = {
        **study["document"]["codebook"],
        "scales": {"good": scale},
        "variables": [{"name": "q", "kind": "coded", "scale": "good"}],
    }
    study = api.change(study, codebook=book)

    def shares() -> dict[str, int]:
        (view,) = api("GET", f"/studies/{study['id']}/codebook")["variables"]
        assert view["answered"] == 120
        return {answer["label"]: answer["cases"] for answer in view["answers"]}

    assert shares() == {"Very good": 40, "Good": 40, "Bad": 40}
    if by == "file":
        csv = "variable,kind,scale,code,label,answer\n" + "".join(
            f"q,coded,good,{code},{label},answer\n"
            for code, label in ((1, "Excellent"), (2, "Good"), (3, "Poor"))
        )
        params = {"edition": study["edition"], "name": "book.csv"}
        api("PUT", f"/studies/{study['id']}/codebook", params=params, content=csv.encode())
        study = api("GET", f"/studies/{study['id']}")
    else:
        codes = [
            {"code": 1, "label": "Excellent"},
            {"code": 2, "label": "Good"},
            {"code": 3, "label": "Poor"},
        ]
        study = api.change(
            study, codebook={**study["document"]["codebook"], "scales": {"good": {"codes": codes}}}
        )
    assert shares() == {"Excellent": 40, "Good": 40, "Poor": 40}
    # Called as it was again, it is not its own other wording.
    study = api.change(study, codebook={**study["document"]["codebook"], "scales": {"good": scale}})
    assert shares() == {"Very good": 40, "Good": 40, "Bad": 40}
