"""Each station through the API, on the demo and on small files."""

from typing import Any

import pytest

from even_ballot.demo import FILES


def test_a_file_is_shown_before_it_is_taken_over(api: Any) -> None:
    file = api.bring("answers.csv", (FILES / "answers.csv").read_bytes())
    assert (file["records"], file["blank_records"], len(file["columns"])) == (2330, 40, 31)
    assert {key: value for key, value in file["reading"].items() if value is not None} == {
        "path": "answers.csv",
        "format": "csv",
        "header_rows": 1,
        "names_row": 1,
        "encoding": "utf-8",
        "delimiter": ",",
    }
    sex = next(c for c in file["columns"] if c["name"] == "woman_man")
    assert (sex["kind"], sex["distinct"], sex["label"]) == ("text", 3, "Are you a woman or a man?")
    assert api("GET", "/studies") == []


def test_a_spreadsheet_comes_in_with_its_sheets(api: Any) -> None:
    file = api.bring("second.xlsx", (FILES / "answers-second-delivery.xlsx").read_bytes())
    assert (file["records"], file["sheets"], len(file["columns"])) == (2510, ["Answers"], 32)


def test_a_guess_is_overruled_and_the_preview_follows(api: Any) -> None:
    file = api.bring("a.csv", b"q1,q2\nHow old?,Where?\n30,here\n")
    again = api.done(
        api("POST", f"/files/{file['id']}/read-again", json={**file["reading"], "header_rows": 2})
    )
    assert [(c["name"], c["label"], c["kind"]) for c in again["columns"]] == [
        ("q1", "How old?", "number"),
        ("q2", "Where?", "text"),
    ]


IN_DOUBT = b"id;wish\n1;" + "Kõrb".encode("cp1257") + b"\n2;" + "hős".encode("cp1250") + b"\n"


def test_readings_stand_side_by_side_where_more_than_one_may_be_right(api: Any) -> None:
    file = api.bring("a.csv", IN_DOUBT)
    beside = file["readings"]
    assert 2 <= len(beside) <= 3
    assert beside[0]["encoding"] == file["reading"]["encoding"]
    taken = beside[1]
    again = api.done(
        api(
            "POST",
            f"/files/{file['id']}/read-again",
            json={**file["reading"], "encoding": taken["encoding"]},
        )
    )
    assert again["reading"]["encoding"] == taken["encoding"]
    words = {a["text"] for a in next(c for c in again["columns"] if c["name"] == "wish")["answers"]}
    assert set(taken["words"]) <= words
    assert [r["encoding"] for r in again["readings"]] == [r["encoding"] for r in beside]


def test_a_newer_file_is_read_as_the_one_before_it_unless_it_says_its_own(api: Any) -> None:
    older = api.bring("a.csv", "id;wish\n1;Šķērsoju bieži\n2;Mēnesī\n".encode("cp1257"))
    assert older["reading"]["encoding"] == "cp1257"

    def brought(content: bytes) -> Any:
        params = {"name": "b.csv", "like": older["id"]}
        return api.done(api("POST", "/files", params=params, content=content))["reading"]["encoding"]

    short = "id;wish\n3;Västra Öja\n".encode("cp1257")
    assert api.bring("b.csv", short)["reading"]["encoding"] == "cp1252"
    assert brought(short) == "cp1257"
    assert brought("id;wish\n3;Mēnesī\n".encode()) == "utf-8"
    assert brought("id;wish\n3;Mēnesī\n".encode("utf-16")) == "utf-16"
    assert brought(b"id;wish\n3;\xa1\xa5\n") != "utf-8"


@pytest.mark.parametrize(
    ("name", "content", "what"),
    [
        ("a.csv", b"", "is empty"),
        ("a.csv", bytes(range(32)) * 9, "This is not"),
        ("a.csv", b"a,b\n1\n", "2 fields"),
        ("a.xlsx", b"nonsense", "not an XLSX file"),
    ],
)
def test_a_file_that_cannot_be_read_is_refused_and_nothing_kept(
    api: Any, name: str, content: bytes, what: str
) -> None:
    (fault,) = api.bring(name, content, 422)["faults"]
    assert what in fault["what"]
    assert fault["where"].startswith(name)
    assert fault["mend"]


def test_the_codebook_shows_questions_with_their_answers(api: Any, demo: dict[str, Any]) -> None:
    book = api("GET", f"/studies/{demo['id']}/codebook")
    views = {v["variable"]["name"]: v for v in book["variables"]}
    ferry = views["ferry_runs_need"]
    assert next(a["label"] for a in ferry["answers"] if a["sort"] == "answer") == "Strongly disagree"
    assert sum(a["cases"] for a in ferry["answers"] if a["sort"] == "answer") == ferry["answered"]
    assert views["age"]["number"]["low"] >= 18
    assert sum(views["age"]["number"]["bars"]) == views["age"]["answered"]
    assert views["age_band"]["made_by"] is not None
    assert len(book["used_by"]["agreement"]) == 8


def test_a_finding_opens_its_cells_and_is_settled(api: Any, demo: dict[str, Any]) -> None:
    (finding,) = [f for f in api("GET", f"/studies/{demo['id']}/findings") if f["kind"] == "not_placed"]
    where = {k: finding[k] for k in ("variable", "kind", "value")}
    cases = api("GET", f"/studies/{demo['id']}/findings/cases", params=where)
    assert (len(cases["rows"]), cases["rows"][0][-1]) == (finding["cases"], finding["value"])
    step = {
        "do": "code",
        "variables": [finding["variable"]],
        "scale": "agreement",
        "answers": {finding["value"]: 98},
    }
    api.change(demo, ledger=[*demo["document"]["ledger"], step])
    assert not [f for f in api("GET", f"/studies/{demo['id']}/findings") if f["kind"] == "not_placed"]


def test_a_finding_about_entries_brings_the_step_that_sets_them_aside(api: Any, demo: dict[str, Any]) -> None:
    found = api("GET", f"/studies/{demo['id']}/findings")
    line = next(f for f in found if f["kind"] == "straight_line")
    cases = api(
        "GET",
        f"/studies/{demo['id']}/findings/cases",
        params={k: line[k] for k in ("variable", "kind", "value")},
    )
    assert cases["sentence"].startswith("Set aside the cases where ferry_runs_need == ")
    assert len(set(cases["rows"][0][2:])) == 1
    study = api.change(demo, ledger=[*demo["document"]["ledger"], cases["mend"]])
    assert study["tally"]["in_use"] == demo["tally"]["in_use"] - line["cases"]


def test_a_finding_is_accepted_with_a_reason(api: Any, demo: dict[str, Any]) -> None:
    found = api("GET", f"/studies/{demo['id']}/findings")
    accepted = [
        {**{k: f[k] or None for k in ("variable", "kind", "value", "cases")}, "why": "looked at"}
        for f in found
    ]
    study = api.change(demo, codebook={**demo["document"]["codebook"], "accepted": accepted})
    assert study["stations"][2]["says"] == "nothing found"
    assert {f["accepted"] for f in api("GET", f"/studies/{demo['id']}/findings")} == {"looked at"}


def test_an_entry_moves_only_where_later_ones_can_still_be_taken(api: Any, demo: dict[str, Any]) -> None:
    ledger = demo["document"]["ledger"]
    derive = next(i for i, step in enumerate(ledger) if step["do"] == "derive" and step["into"] == "seconds")
    swapped = [*ledger[:derive], ledger[derive + 1], ledger[derive], *ledger[derive + 2 :]]
    (fault,) = api.change(demo, 422, ledger=swapped)["faults"]
    assert "would stop. There is no variable 'seconds'" in fault["what"]
    moved = [*ledger[: derive - 1], ledger[derive], ledger[derive - 1], *ledger[derive + 1 :]]
    assert api.change(demo, ledger=moved)["undo"] == "Moved an entry of the ledger"


def test_what_is_said_of_a_renamed_variable_is_laid_on_it(api: Any, demo: dict[str, Any]) -> None:
    book = demo["document"]["codebook"]
    said = {"name": "age", "kind": "number", "unit": "years", "label": "Age in years"}
    api.change(demo, codebook={**book, "variables": [*book["variables"], said]})
    views = api("GET", f"/studies/{demo['id']}/codebook")["variables"]
    age = next(v["variable"] for v in views if v["variable"]["name"] == "age")
    assert (age["label"], age["unit"]) == ("Age in years", "years")


def test_a_condition_is_tried_before_it_is_used(api: Any, demo: dict[str, Any]) -> None:
    tried = api("POST", f"/studies/{demo['id']}/condition", json={"where": "age >= 60"})
    assert 0 < tried["cases"] < tried["of"] == 2268
    wrong = api("POST", f"/studies/{demo['id']}/condition", json={"where": "agee >= 60"})
    assert (wrong["cases"], "no variable 'agee'" in wrong["faults"][0]["what"]) == (None, True)


def test_a_step_that_cannot_be_taken_stops_there_and_the_rest_wait(api: Any, demo: dict[str, Any]) -> None:
    ledger = demo["document"]["ledger"]
    broken = [*ledger[:3], {"do": "drop_cases", "where": "nobody > 1"}, *ledger[3:]]
    study = api.change(demo, ledger=broken)
    assert [s["state"] for s in study["stations"]] == [
        "ok",
        "ok",
        "attention",
        "waiting",
        "waiting",
        "waiting",
    ]
    assert study["faults"][0]["where"] == "ledger[3].where"
    entries = api("GET", f"/studies/{demo['id']}/ledger")
    assert [e["reached"] for e in entries[:5]] == [True, True, True, True, False]
    assert "no variable 'nobody'" in entries[3]["fault"]["what"]


def test_targets_are_pasted_by_label(api: Any, demo: dict[str, Any]) -> None:
    text = "Brim\t8582\nHask 22,681\nTolvey\t12873\nOrrran\t17164"
    found = api("POST", f"/studies/{demo['id']}/targets", json={"by": ["isle"], "text": text})
    assert [line["at"] for line in found["lines"]] == [{"isle": 4}, {"isle": 1}, {"isle": 3}, None]
    assert found["without_target"] == ["Orran"]


def test_a_changed_target_changes_the_weights_and_the_tables(api: Any, demo: dict[str, Any]) -> None:
    table = f"/studies/{demo['id']}/tables/need"
    before = api("GET", table)
    weighting = demo["document"]["weightings"][0]
    targets = weighting["margins"][1]["targets"]
    moved = [
        {**targets[0], "value": targets[0]["value"] - 3000},
        *targets[1:3],
        {**targets[3], "value": targets[3]["value"] + 3000},
    ]
    margins = [
        weighting["margins"][0],
        {**weighting["margins"][1], "targets": moved},
        *weighting["margins"][2:],
    ]
    api.change(demo, weightings=[{**weighting, "margins": margins}])
    report = api("GET", f"/studies/{demo['id']}/weightings")["reports"][0]
    assert report["margins"][1]["rows"][3]["after"] == pytest.approx((8582 + 3000) / 61300)
    after = api("GET", table)
    assert after["result"]["cells"][0]["est"] != before["result"]["cells"][0]["est"]


def test_targets_that_do_not_fit_are_said_in_place(api: Any, demo: dict[str, Any]) -> None:
    weighting = demo["document"]["weightings"][0]
    margin = {
        "by": ["isle"],
        "targets": [{"at": {"isle": k}, "value": v} for k, v in ((1, 0.4), (2, 0.2), (3, 0.2), (4, 0.1))],
    }
    study = api.change(demo, weightings=[{**weighting, "margins": [margin], "scale_to": "cases"}])
    (fault,) = api("GET", f"/studies/{demo['id']}/weightings")["faults"]
    assert (fault["where"], "sum to 0.9" in fault["what"]) == ("weightings[0].margins[0].targets", True)
    assert study["stations"][3]["says"] == "check the targets"


def test_a_stratum_of_one_unit_is_named(api: Any, demo: dict[str, Any]) -> None:
    api.change(demo, design={"strata": ["district"], "clusters": ["district"]})
    view = api("GET", f"/studies/{demo['id']}/design")
    assert (view["psus"], "only one first-stage unit" in view["faults"][0]["what"]) == (None, True)


def test_a_faulty_table_says_so_and_the_others_still_work(api: Any, demo: dict[str, Any]) -> None:
    tables = demo["document"]["tables"]
    api.change(demo, tables=[{**tables[0], "stub": ["gone"]}, *tables[1:]])
    broken = api("GET", f"/studies/{demo['id']}/tables/need")
    assert broken["result"] is None
    assert broken["faults"][0]["where"] == "tables[0].stub[0]"
    assert api("GET", f"/studies/{demo['id']}/tables/fares")["result"]["cells"]


def test_a_table_is_laid_out_with_its_note(api: Any, demo: dict[str, Any]) -> None:
    view = api("GET", f"/studies/{demo['id']}/tables/crossing")
    grid = view["grid"]
    assert grid["columns"] == len(grid["paths"]) == 6
    assert [[s["text"] for s in row] for row in grid["headings"]] == [
        ["Are you a woman or a man?", "Age"],
        ["Woman", "Man", "18 to 34", "35 to 59", "60 and over"],
    ]
    assert all(len(line["values"]) == 6 for section in grid["sections"] for line in section["lines"])
    assert any("142 degrees of freedom" in line for line in view["note"])


def test_a_lookup_is_brought_in_and_used(api: Any, small: dict[str, Any]) -> None:
    file = api.bring("places.csv", b"id,place\n1,north\n2,south\n3,north\n4,south\n5,south\n")
    study = api(
        "PUT",
        f"/studies/{small['id']}/lookups/places",
        params={"edition": small["edition"]},
        json={"id": file["id"]},
    )
    study = api.change(study, ledger=[{"do": "look_up", "from": "places", "on": "id", "take": ["place"]}])
    book = api("GET", f"/studies/{small['id']}/codebook")
    place = next(v for v in book["variables"] if v["variable"]["name"] == "place")
    assert {a["label"]: a["cases"] for a in place["answers"]} == {"north": 2, "south": 3}
    assert study["undo"] == "Look up place in places by id"


def test_a_cut_off_is_moved_by_looking_at_the_distribution(api: Any, demo: dict[str, Any]) -> None:
    path = f"/studies/{demo['id']}"
    before = api("GET", f"{path}/cut-off/too_fast")
    assert sum(before["bars"]) == demo["tally"]["in_use"]
    finding = next(f for f in api("GET", f"{path}/findings") if f["kind"] == "too_fast")
    assert finding["cases"] == before["under"] > 0
    moved = api.change(demo, screening={"fast": 300, "answered": 0.8})
    after = api("GET", f"{path}/cut-off/too_fast")
    assert (after["cut"], after["under"] > before["under"]) == (300, True)
    little = api("GET", f"{path}/cut-off/too_little")
    found = {f["kind"]: f["cases"] for f in api("GET", f"{path}/findings")}
    assert (found["too_fast"], found["too_little"]) == (after["under"], little["under"])
    assert moved["undo"] == "Changed the screening"
