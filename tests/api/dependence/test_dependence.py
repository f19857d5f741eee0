"""What figures depend on, through the API: line by line from another process."""

import json
import threading
import time
from typing import Any

import pytest
from loading import loaded

from even_ballot.core.dependence.decisions import document_of
from even_ballot.core.faults import fault
from even_ballot.demo import FILES
from even_ballot.services.dependence.asked import Lines
from even_ballot.services.workers.helper_processes import DEPENDING

FIGURE = {"stub": {"variable": "fare_spend"}, "banner": [], "stat": "mean"}


def lines(answer: Any) -> list[dict[str, Any]]:
    return [json.loads(line) for line in answer.text.splitlines()]


def test_what_a_table_depends_on_comes_line_by_line(api: Any, demo: dict[str, Any]) -> None:
    at = f"/studies/{demo['id']}/depends"
    few = lines(api.raw("GET", f"{at}/need"))
    found = lines(api.raw("GET", f"{at}/need", params={"reading": True}))
    only_reading = {line["id"] for line in found} - {line["id"] for line in few}
    assert len(few) == 22 and all(name.startswith("ledger[") for name in only_reading)
    for line in found:
        # Lost as a whole it is said once, and not figure by figure.
        assert line["lost"] == [] or (
            line["lost"] == ["need"] and line["gone"] == 0 and line["untested"] == 0
        )
        assert all(isinstance(turned["p_without"], float) for of in line["tables"] for turned in of["turned"])
    assert any(line["lost"] for line in found)
    assert [line["at"] for line in found] == list(range(31)) and {line["of"] for line in found} == {31}
    raking = next(line for line in found if line["id"] == "weightings[0].margins[1]")
    cells = raking["tables"][0]["cells"]
    assert max(abs(cell["in_se"]) for cell in cells) == raking["largest"]["need"] > 0.5
    assert next(line for line in found if line["id"] == "ledger[1]")["refused"]
    base = next(line for line in found if line["id"] == "design.weight=base_weight")
    assert (base["place"], base["instead"]) == ("design.weight", "the base weight base_weight alone")
    whole = lines(api.raw("GET", f"{at}/_all"))
    assert all(line["tables"] == [] and line["analyses"] == [] for line in whole)
    assert whole[-1]["largest"].keys() >= {"need", "crossing", "fares", "why", "ferry"}
    assert "There is no table" in api("GET", f"{at}/none", 422)["faults"][0]["what"]
    # None of this changes the study.
    assert api("GET", f"/studies/{demo['id']}")["edition"] == demo["edition"]


def test_an_analysis_depends_on_decisions_too(api: Any, demo: dict[str, Any]) -> None:
    name = demo["document"]["models"][0]["id"]
    found = lines(api.raw("GET", f"/studies/{demo['id']}/depends/{name}"))
    weight = next(line for line in found if line["id"] == "design.weight")
    assert weight["tables"] == [] and weight["analyses"][0]["figures"][0]["of"] == {"term": []}
    assert weight["largest"][name] > 0


def test_a_figure_goes_over_every_combination(api: Any, demo: dict[str, Any]) -> None:
    at = f"/studies/{demo['id']}/paths/fares"
    chosen = ["ledger[3]", "design.weight", "design.weight=base_weight"]
    asked = {"figure": json.dumps(FIGURE), "decision": chosen}
    found = lines(api.raw("GET", at, params=asked))
    assert [line["decisions"] for line in found] == [
        [], ["design.weight"], ["design.weight=base_weight"],
        ["ledger[3]"], ["ledger[3]", "design.weight"], ["ledger[3]", "design.weight=base_weight"],
    ]  # fmt: skip
    table = api("GET", f"/studies/{demo['id']}/tables/fares")
    published = next(c for c in table["result"]["cells"] if c["stat"] == "mean" and c["banner"] == [])
    assert found[0]["without"] == pytest.approx(published["est"])
    assert len({line["without"] for line in found}) == 6
    wrong = api("GET", at, 422, params={**asked, "decision": ["ledger[99]"]})
    assert "There is no decision 'ledger[99]'" in wrong["faults"][0]["what"]
    assert "names no figure" in api("GET", at, 422, params={**asked, "figure": "{}"})["faults"][0]["what"]


def test_the_cases_that_carry_a_figure_are_named(api: Any, demo: dict[str, Any]) -> None:
    said = lines(
        api.raw("GET", f"/studies/{demo['id']}/influence/fares", params={"figure": json.dumps(FIGURE)})
    )
    shares = [line["share"] for line in said]
    assert shares == sorted(shares) and len(shares) == 25 and shares[-1] == 1
    assert all(line["influence"] is None for line in said[:-1])
    found = said[-1]["influence"]
    assert len(found["cases"]) == len(found["units"]) == 12
    sizes = [abs(case["contribution"]) for case in found["cases"]]
    assert sizes == sorted(sizes, reverse=True) and found["linearised_se"] == pytest.approx(found["se"])
    assert all(unit["name"] for unit in found["units"])
    median = {**FIGURE, "stat": "median"}
    refused = api("GET", f"/studies/{demo['id']}/influence/fares", 422, params={"figure": json.dumps(median)})
    assert "shares, means, totals and ratios" in refused["faults"][0]["what"]


def test_whoever_goes_away_stops_the_work_and_the_process_stays(api: Any, demo: dict[str, Any]) -> None:
    """The process that worked on it is free again, and is the same one."""
    lines(api.raw("GET", f"/studies/{demo['id']}/depends/why"))
    before = {id(one) for one in DEPENDING._free.queue}
    assert before
    study, raw, lookups = loaded(FILES)
    found = DEPENDING.stream("decisions", document_of(study), raw, lookups, "why", True)
    next(found)
    found.close()
    until = time.monotonic() + 10
    while len(DEPENDING._free.queue) < len(before) and time.monotonic() < until:
        time.sleep(0.02)
    assert {id(one) for one in DEPENDING._free.queue} == before


def test_a_third_question_says_that_it_waits(api: Any, demo: dict[str, Any]) -> None:
    study, raw, lookups = loaded(FILES)
    lines(api.raw("GET", f"/studies/{demo['id']}/depends/why"))
    two = [DEPENDING.stream("decisions", document_of(study), raw, lookups, "why", True) for _ in range(2)]
    for found in two:
        next(found)
    assert DEPENDING.busy

    def let_go() -> None:
        time.sleep(0.5)
        for found in two:
            found.close()

    threading.Thread(target=let_go).start()
    said = lines(api.raw("GET", f"/studies/{demo['id']}/depends/why"))
    assert said[0] == {"waiting": True} and len(said) == 23


def test_what_is_at_fault_after_waiting_is_said_in_a_line() -> None:
    def stream() -> Any:
        yield b'{"waiting": true}\n'
        raise fault("There is no such figure.", "figure", "Name another.")

    first, second = (json.loads(line) for line in Lines(stream()))
    assert first == {"waiting": True} and second["faults"][0]["what"] == "There is no such figure."
