"""A newer file of answers: what is new, what it would change, imported or discarded whole."""

from typing import Any

import pytest
from builders import raw

from even_ballot.core.study.newer_file import aligned, drift
from even_ballot.demo import FILES


def test_columns_keep_their_names_by_heading_wherever_they_stand() -> None:
    older = raw({"a": ["1"], "b": ["2"], "b_2": ["3"]})
    older = type(older)(older.names, ("A?", "Again", "Again"), older.columns, older.rows)
    newer = raw({"x": ["9"], "b": ["2"], "a": ["1"], "b_2": ["3"]})
    newer = type(newer)(newer.names, ("New", "Again", "A?", "Again"), newer.columns, newer.rows)
    assert aligned(newer, older).names == ("x", "b", "a", "b_2")
    found = drift(aligned(newer, older), older)
    assert (found.new_columns, found.missing_columns, found.new_answers) == ({"x": "New"}, {}, ())


def test_a_new_column_never_takes_an_old_ones_name() -> None:
    older, newer = raw({"q": ["1"]}), raw({"q": ["1"]})
    newer = type(newer)(newer.names, ("Another question",), newer.columns, newer.rows)
    assert aligned(newer, older).names == ("q_2",)


@pytest.fixture
def newer(api: Any, demo: dict[str, Any]) -> dict[str, Any]:
    file = api.bring("answers-second-delivery.xlsx", (FILES / "answers-second-delivery.xlsx").read_bytes())
    return api("POST", f"/studies/{demo['id']}/newer", json={"id": file["id"]})


def test_the_report_says_what_is_new_and_what_would_stop(newer: dict[str, Any]) -> None:
    found = newer["drift"]
    assert (found["records_before"], found["records_after"]) == (2330, 2510)
    assert list(found["new_columns"].values()) == ["How did you hear of this survey?"]
    assert found["missing_columns"] == {}
    fresh = {a["column"]: a["answers"] for a in found["new_answers"]}
    assert fresh["home_live_owned_rented"] == {"Tied to the job": 7}
    assert newer["used_after"] > newer["used_before"]
    assert "7 cases have no value on tenure" in newer["faults"][0]["what"]
    assert newer["weights"][0]["n_effective_after"] is None


def test_rev_down_nothing_has_changed(api: Any, demo: dict[str, Any], newer: dict[str, Any]) -> None:
    assert api("GET", f"/studies/{demo['id']}") == demo


def test_taken_over_the_ledger_runs_on_it_and_undo_brings_the_earlier_file_back(
    api: Any, demo: dict[str, Any], newer: dict[str, Any]
) -> None:
    path = f"/studies/{demo['id']}"
    study = api("PUT", f"{path}/source", params={"edition": demo["edition"]}, json={"id": newer["file"]})
    assert (study["tally"]["received"], study["tally"]["in_use"]) == (2510, newer["used_after"])
    assert study["undo"] == "Imported the newer file answers-second-delivery.xlsx"
    scales = study["document"]["codebook"]["scales"]
    tied = {
        **scales["tenure"],
        "codes": [*scales["tenure"]["codes"], {"code": 4, "label": "Tied to the job"}],
    }
    merge = {"do": "recode", "variables": ["tenure"], "codes": {"4": 3}}
    at = (
        next(
            i
            for i, s in enumerate(study["document"]["ledger"])
            if s["do"] == "code" and s["variables"] == ["tenure"]
        )
        + 1
    )
    ledger = [*study["document"]["ledger"][:at], merge, *study["document"]["ledger"][at:]]
    mended = api.change(
        study, codebook={**study["document"]["codebook"], "scales": {**scales, "tenure": tied}}, ledger=ledger
    )
    assert [s["state"] for s in mended["stations"][3:5]] == ["ok", "ok"]
    assert (mended["stations"][5]["state"], mended["stations"][5]["says"]) == (
        "attention",
        "unrecognised answers",
    )
    assert mended["tally"]["weighted_to"] == pytest.approx(61_300)
    back = mended
    for _ in range(2):
        back = api("POST", f"{path}/undo", json={"edition": back["edition"]})
    assert back["tally"] == demo["tally"]


def test_the_figures_a_newer_file_changes_are_counted(api: Any, demo: dict[str, Any]) -> None:
    rows = (FILES / "answers.csv").read_bytes().decode().split("\r\n")
    shorter = "\r\n".join(row for row in rows if not row.startswith("1500,")).encode()
    file = api.bring("answers.csv", shorter)
    look = api("POST", f"/studies/{demo['id']}/newer", json={"id": file["id"]})
    assert look["faults"] == []
    assert look["used_before"] - look["used_after"] == 1
    assert all(0 < t["changed"] <= t["figures"] for t in look["tables"] if t["table"] != "fares")
    assert 0 < look["tables"][0]["largest"] < 0.01
    assert look["weights"][0]["n_effective_after"] != look["weights"][0]["n_effective"]
