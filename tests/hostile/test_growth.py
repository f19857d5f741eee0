"""Four times the length takes about four times as long, wherever a text can be long and whatever it is made
of: what would take sixteen times as long could stop the server."""

import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from calls import Api

from even_ballot.services.running import run_file

UNITS = (
    "a", " ", "a ", "1", "1.", "1,", "(1)", "-", "1-1-", "not ", "'", "2020 ", "weigh", "a;", "a_", "é", "1k ", "1:1:", "€1 ", "AB ",
    "1 or more ", "at all ", "jan ", "*a", "`a", "(", "a+",
)  # fmt: skip
_SHORT, _LONG, _UNSEEN = 2_400, 9_600, 0.6
"""Characters; and seconds under which nothing is said of growth."""


def of(unit: str, length: int) -> str:
    return (unit * (length // len(unit) + 1))[:length]


def quoted(text: str) -> str:
    return '"' + text.replace('"', '""') + '"'


def answers(heading: str = "q", entry: str = "no") -> bytes:
    lines = [f"id,{quoted(heading)},{'n' if heading == 'q' else quoted(heading + ' n')}"]
    lines += [f"{i},{quoted(entry + 'abc'[i % 3] if i % 4 == 0 else 'yes')},{i % 5}" for i in range(24)]
    return ("\n".join(lines) + "\n").encode()


def whole_way(api: Api, content: bytes, **parts: Any) -> None:
    """From a file to a page of a release; refusals are as good as answers."""
    job = api("POST", "/files", params={"name": "a.csv"}, content=content)
    while job["state"] == "running":
        time.sleep(0.005)
        job = api("GET", f"/jobs/{job['id']}")
    if job["state"] == "failed":
        assert "failed" not in job["faults"][0]["what"], job
        return
    file = job["result"]
    lines = api("GET", f"/files/{file}/draft")
    begun = {"title": parts.pop("title", "T"), "file": file, "draft": [line["line"] for line in lines]}
    at = f"/studies/{api('POST', '/studies', json=begun)['id']}"
    if parts:
        edition = api("GET", at)["edition"]
        assert api.raw("PATCH", at, json={"edition": edition, "parts": parts}).status_code < 500
    for page in (
        "",
        "/codebook",
        "/ledger",
        "/findings",
        "/design",
        "/tables/t",
        "/releases/next/page",
        "/ledger.html",
    ):
        assert api.raw("GET", at + page).status_code < 500, page


PLACES: dict[str, Callable[[str], tuple[bytes, dict[str, Any]]]] = {
    "heading": lambda text: (answers(heading=text), {}),
    "entry": lambda text: (answers(entry=text), {}),
    "title": lambda text: (answers(), {"title": text, "tables": [{"id": "t", "title": text, "stub": ["n"]}]}),
    "label": lambda text: (
        answers(),
        {"codebook": {"scales": {"s": {"codes": [{"code": 1, "label": text}]}},
                      "variables": [{"name": "n", "kind": "coded", "scale": "s", "label": text, "note": text}]},
         "tables": [{"id": "t", "stub": ["n"]}]},
    ),
    "note": lambda text: (answers(), {"release": {"foreword": text, "parts": [{"text": text}]}}),
    "formula": lambda text: (answers(), {"ledger": [{"do": "derive", "into": "x", "value": text, "why": text}],
                                         "where": text}),
}  # fmt: skip


def seconds(work: Callable[[], None]) -> float:
    began = time.perf_counter()
    work()
    return time.perf_counter() - began


@pytest.mark.parametrize("place", PLACES)
def test_four_times_the_length_takes_about_four_times_as_long(api: Api, place: str) -> None:
    for unit in UNITS:

        def took(length: int, unit: str = unit) -> float:
            content, parts = PLACES[place](of(unit, length))
            return seconds(lambda: whole_way(api, content, **parts))

        long = took(_LONG)
        if long > _UNSEEN:
            # Once more, so that what else the machine does is told apart.
            short, long = took(_SHORT), min(long, took(_LONG))
            assert long < max(8 * short, _UNSEEN), (place, unit, short, long)


@pytest.mark.parametrize("place", ["heading", "entry"])
def test_the_same_at_the_command_line(tmp_path: Path, place: str) -> None:
    study = tmp_path / "study.json"
    study.write_text(
        '{"source": {"path": "a.csv"}, "tables": [{"id": "t", "stub": ["id"], "show": ["mean"]}]}'
    )
    for unit in UNITS:

        def took(length: int, unit: str = unit) -> float:
            (tmp_path / "a.csv").write_bytes(PLACES[place](of(unit, length))[0])
            return seconds(lambda: run_file(study) and None)

        long = took(_LONG)
        if long > _UNSEEN:
            short, long = took(_SHORT), min(long, took(_LONG))
            assert long < max(8 * short, _UNSEEN), (place, unit, short, long)


def test_a_heading_longer_than_any_question_is_refused_by_its_column(api: Api) -> None:
    job = api.bring("a.csv", answers(heading="w" * 30_000), 422)
    assert "heading of column 2 has 30,000 characters" in job["faults"][0]["what"]


def test_an_entry_longer_than_any_answer_is_refused_by_its_record(api: Api) -> None:
    for length in (1_000_001, 9_000_000):
        fault = api.bring("a.csv", answers(entry="w" * length), 422)["faults"][0]["what"]
        assert "more than 1,000,000 characters" in fault or "in record 1 has 1,000,002" in fault


@pytest.mark.parametrize("name", ["wide.csv", "wide.jsonl"])
def test_more_columns_than_are_read_are_refused_at_once(api: Api, name: str) -> None:
    keys = [f"c{i}" for i in range(20_001)]
    if name.endswith("csv"):
        content = (",".join(keys) + "\n" + ",".join("1" for _ in keys) + "\n").encode()
    else:
        content = b"".join(f'{{"{key}": 1}}\n'.encode() for key in keys)
    fault = api.bring(name, content, 422)["faults"][0]
    assert "20,001 columns; at most 20,000 are read" in fault["what"]
