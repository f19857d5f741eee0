"""The grid, cases set aside, steps tried and entries of the ledger as the interface asks for them."""

from typing import Any

import pytest


def cells(api: Any, study: dict[str, Any], status: int = 200, **asked: Any) -> Any:
    return api("POST", f"/studies/{study['id']}/cells", status, json=asked)


def tried(api: Any, study: dict[str, Any], **body: Any) -> Any:
    return api("POST", f"/studies/{study['id']}/try", json=body)


def step(study: dict[str, Any], **entry: Any) -> list[dict[str, Any]]:
    return [*study["document"].get("ledger", []), entry]


# The grid


def test_any_stretch_of_any_order_is_that_of_a_plain_sort(api: Any, demo: dict[str, Any]) -> None:
    whole = []
    for offset in range(0, 2268, 400):
        whole += cells(api, demo, columns=["fare_spend", "sex"], offset=offset, limit=400)["rows"]
    assert len(whole) == 2268
    spent = {row["row"]: (row["states"][0], row["entries"][0]) for row in whole}
    known = sorted((float(paid), r) for r, (state, paid) in spent.items() if state == 0)
    up = cells(api, demo, columns=["fare_spend"], sort="fare_spend", offset=100, limit=50)["rows"]
    assert [row["row"] for row in up] == [r for _, r in known[100:150]]
    down = cells(api, demo, columns=["fare_spend"], sort="fare_spend", descending=True, limit=50)["rows"]
    assert [float(row["entries"][0]) for row in down] == sorted((a for a, _ in known), reverse=True)[:50]
    last = cells(api, demo, columns=["fare_spend"], sort="fare_spend", offset=len(known), limit=400)
    assert len(last["rows"]) == 2268 - len(known) > 0
    assert all(row["states"][0] != 0 for row in last["rows"])


def test_words_sort_by_the_alphabet_and_conditions_narrow(api: Any, demo: dict[str, Any]) -> None:
    found = cells(api, demo, columns=["district", "age"], where="age > 90", sort="district", limit=400)
    words = [row["entries"][0] for row in found["rows"]]
    assert words == sorted(words, key=str.casefold)
    assert found["cases"] == len(words) < found["of"] == 2268
    assert all(float(row["entries"][1]) > 90 for row in found["rows"])


def test_a_cell_shows_code_label_and_state(api: Any, demo: dict[str, Any]) -> None:
    row = cells(api, demo, columns=["ferry_runs_need"], where="ferry_runs_need == 4", limit=1)["rows"][0]
    assert (row["entries"], row["labels"], row["states"]) == (["4"], ["Agree"], [0])
    assert row["alone"] is True
    assert row["id"].startswith("V")


def test_a_finding_opens_its_own_cells(api: Any, demo: dict[str, Any]) -> None:
    findings = api("GET", f"/studies/{demo['id']}/findings")
    for finding in findings:
        found = cells(api, demo, finding=finding, columns=[], limit=0)
        assert found["cases"] == finding["cases"], finding


@pytest.mark.parametrize(
    ("asked", "what"),
    [
        ({"where": "age >"}, "is not a valid formula"),
        ({"sort": "agee"}, "no variable 'agee'"),
        ({"columns": ["agee"]}, "no variable 'agee'"),
        ({"aside": 1, "sort": "nothing"}, "no variable"),
        ({"aside": 99}, "entry 99 does not exist"),
    ],
)
def test_what_cannot_be_shown_is_said(
    api: Any, demo: dict[str, Any], asked: dict[str, Any], what: str
) -> None:
    assert what in cells(api, demo, 422, **asked)["faults"][0]["what"]


def test_a_cell_is_changed_and_the_grid_shows_it_and_undo_takes_it_back(
    api: Any, demo: dict[str, Any]
) -> None:
    row = cells(api, demo, columns=["age"], where="age == 44", limit=1)["rows"][0]
    edit = {"do": "edit", "id": row["id"], "variable": "age", "value": 45, "why": "a slip of the pen"}
    study = api.change(demo, ledger=step(demo, **edit))
    where = f"row == {row['row']}"
    assert cells(api, study, columns=["age"], where=where)["rows"][0]["entries"] == ["45"]
    study = api("POST", f"/studies/{demo['id']}/undo", json={"edition": study["edition"]})
    assert cells(api, study, columns=["age"], where=where)["rows"][0]["entries"] == ["44"]


def test_cases_that_share_an_identifier_are_told_apart(api: Any) -> None:
    file = api.bring("a.csv", b"id,x\na,1\na,2\nb,3\n")
    study = api("GET", f"/studies/{api('POST', '/studies', json={'title': 'T', 'file': file['id']})['id']}")
    study = api.change(study, codebook={"variables": [{"name": "id", "kind": "text", "role": "id"}]})
    assert [row["alone"] for row in cells(api, study)["rows"]] == [False, False, True]


# Set aside and taken back


def test_the_flow_counts_every_case_once_and_lists_those_set_aside(api: Any, demo: dict[str, Any]) -> None:
    flow = api("GET", f"/studies/{demo['id']}/flow")
    assert flow["received"] - sum(entry["cases"] for entry in flow["entries"]) == flow["in_use"] == 2268
    first = flow["entries"][0]
    aside = cells(api, demo, aside=first["step"], columns=["entry_status"], limit=400)
    assert aside["cases"] == first["cases"] == 14
    assert {row["entries"][0] for row in aside["rows"]} == {"Staff test"}


def test_one_case_is_taken_back_and_the_entry_says_so(api: Any, demo: dict[str, Any]) -> None:
    ledger = demo["document"]["ledger"]
    at = next(i for i, s in enumerate(ledger) if s["do"] == "drop_cases")
    record = cells(api, demo, aside=at + 1, columns=[], limit=1)["rows"][0]["row"]
    spared = [{**s, "spare": [record]} if i == at else s for i, s in enumerate(ledger)]
    study = api.change(demo, ledger=spared)
    assert study["tally"]["set_aside"] == demo["tally"]["set_aside"] - 1
    entry = api("GET", f"/studies/{demo['id']}/ledger")[at]
    assert entry["sentence"].endswith(f", but not record {record}")


# Steps tried, entries opened


def test_a_step_is_tried_without_being_taken(api: Any, demo: dict[str, Any]) -> None:
    bands = [{"code": 1, "label": "Under 50", "below": 50}, {"code": 2, "label": "50 and over", "from": 50}]
    trial = tried(api, demo, step={"do": "band", "variable": "age", "into": "halves", "bands": bands})
    assert trial["faults"] == []
    assert (trial["made"][0]["variable"]["name"], trial["differences"][0]["new"]) == ("halves", "halves")
    assert sum(turn["cases"] for turn in trial["differences"][0]["turns"]) == 2268
    assert api("GET", f"/studies/{demo['id']}") == demo


def test_a_step_that_cannot_be_taken_says_why_at_its_own_key(api: Any, demo: dict[str, Any]) -> None:
    trial = tried(api, demo, step={"do": "derive", "into": "x", "value": "agee + 1"})
    assert trial["faults"][0]["where"] == "value"
    assert "no variable 'agee'" in trial["faults"][0]["what"]
    assert (trial["faults"][0]["at"], trial["faults"][0]["of"]) == (0, "agee + 1")


def test_a_scale_that_is_not_kept_yet_can_be_tried(api: Any, small: dict[str, Any]) -> None:
    scale = {"codes": [{"code": 1, "label": "yes"}, {"code": 2, "label": "no"}]}
    code = {"do": "code", "variables": ["q"], "scale": "yes_no", "answers": {"YES": 1}}
    trial = tried(api, small, step=code, scales={"yes_no": scale})
    assert (trial["cells_changed"], trial["unplaced"]) == (3, {"q": {"maybe": 1}})
    assert "no scale" in tried(api, small, step=code)["faults"][0]["what"]


def test_an_entry_tried_otherwise_says_which_later_one_would_stop(api: Any, demo: dict[str, Any]) -> None:
    ledger = demo["document"]["ledger"]
    at = next(i for i, s in enumerate(ledger) if s.get("into") == "seconds") + 1
    trial = tried(api, demo, step={**ledger[at - 1], "into": "duration"}, instead_of=at)
    assert trial["faults"] == []
    assert f"Entry {at + 1}" in trial["stops"]["what"]
    assert "seconds" in trial["stops"]["what"]
    assert not tried(api, demo, step={**ledger[at - 1], "label": "Another"}, instead_of=at).get("stops")


def test_every_entry_opens_to_before_and_after(api: Any, demo: dict[str, Any]) -> None:
    for entry in api("GET", f"/studies/{demo['id']}/ledger"):
        seen = api("GET", f"/studies/{demo['id']}/ledger/{entry['step']}")
        assert (seen["cases_before"], seen["cases_after"]) == (entry["cases_before"], entry["cases_after"])
        if entry["do"] in ("tidy", "recode", "code"):
            assert seen["differences"], entry["sentence"]
            left = (
                sum(sum(words.values()) for words in entry["unplaced"].values())
                if entry["do"] != "tidy"
                else 0
            )
            assert sum(d["changed"] for d in seen["differences"]) == entry["cells_changed"] + left, entry[
                "sentence"
            ]
    assert (
        "entry 99 does not exist" in api("GET", f"/studies/{demo['id']}/ledger/99", 422)["faults"][0]["what"]
    )


def test_entries_keep_who_made_them_and_when_wherever_they_move(api: Any, small: dict[str, Any]) -> None:
    path = f"/studies/{small['id']}/ledger"
    one = {"do": "tidy", "variables": ["q"]}
    two = {"do": "derive", "into": "x", "value": "age + 1"}
    study = api.change(small, ledger=[one])
    first = api("GET", path)[0]
    study = api.change(study, ledger=[two, {**one, "why": "stray spaces"}])
    moved = api("GET", path)
    assert (moved[1]["who"], moved[1]["when"]) == (first["who"], first["when"])
    assert moved[0]["when"] >= first["when"]
    study = api("POST", f"/studies/{small['id']}/undo", json={"edition": study["edition"]})
    assert api("GET", path)[0]["when"] == first["when"]
