"""Hostile files through the readers, the command line and the API: each a clear fault or a right reading; the
server stays.

`--files 2000` reads as many."""

import io
import json
import os
import time
import zipfile
from pathlib import Path
from typing import Any

import pytest
from corpus import BOOK, DRAWINGS, by_name, corpus
from typer.testing import CliRunner

from even_ballot.cli import app
from even_ballot.core.data.dataset import RawTable
from even_ballot.core.faults import StudyError
from even_ballot.core.study.study_file import Source
from even_ballot.formats.exchange.bundle import safe_name
from even_ballot.formats.images.drawing import checked
from even_ballot.formats.images.files import drawn
from even_ballot.services.workers.helper_processes import Helpers, forked


def outcome(helpers: Helpers, name: str, content: bytes) -> RawTable | StudyError:
    try:
        table: RawTable = helpers.run("read", content, Source(path=name), size=len(content))[0]
    except StudyError as error:
        return error
    return table


def test_every_file_is_a_reading_or_a_clear_fault_within_time_and_memory(
    request: pytest.FixtureRequest,
) -> None:
    helpers = Helpers(1)
    outcomes = {"read": 0, "refused": 0}
    for what, name, content in corpus(request.config.getoption("--files")):
        began = time.monotonic()
        found = outcome(helpers, name, content)
        assert time.monotonic() - began < 30, what
        if isinstance(found, StudyError):
            assert all(fault.what and len(fault.what) < 2100 for fault in found.faults), what
            assert "crash" not in str(found), (what, str(found))
            assert "program that takes it apart failed" not in str(found), (what, str(found))
            outcomes["refused"] += 1
        else:
            assert len(found.rows) > 0, what
            assert len(found.names) == len(set(found.names)) == len(found.columns), what
            assert all(len(column.values) == len(found.rows) for column in found.columns), what
            outcomes["read"] += 1
    helpers.close()
    assert min(outcomes.values()) > 20, outcomes


@pytest.mark.parametrize(
    ("name", "says"),
    [
        ("open.csv", "open.csv, line 502: A quoted cell begins here and is never closed"),
        ("open-head.csv", "line 1: A quoted cell begins here"),
        ("commas.csv", "no answers"), ("corner.xlsx", "1,048,576 rows × 16,384 columns"), ("bomb.xlsx", "unpacks to"),
        ("tall.parquet", "needs more memory than the limit"), ("digits.jsonl", "line 1: This line is not JSON"),
        ("bad-utf8.parquet", "cannot be read"), ("none.ods", "cannot be read"), ("list.jsonl", "not a JSON object"),
    ],
)  # fmt: skip
def test_what_is_wrong_is_said(name: str, says: str) -> None:
    content = by_name()[name]
    with pytest.raises(StudyError) as caught:
        forked("read", content, Source(path=name), size=len(content))
    assert says in str(caught.value)


@pytest.mark.parametrize(
    ("name", "first"),
    [
        ("closed.csv", ("1", "yes, and\nmore")), ("row.csv", ("9", "yes")), ("utf32.csv", ("1", "yes")), ("cr.csv", ("1", "yes")),
        ("many-quotes.csv", ("1", 'a"b"c"d')), ("nanoseconds.parquet", ("1970-01-01", "1")),
        ("separator.jsonl", ("one\u2028two",)), ("surrogate.jsonl", ("?", "1")), ("nan.jsonl", ("", "inf")),
        ("empty-name.jsonl", ("1", "2")),
    ],
)  # fmt: skip
def test_what_is_odd_but_right_is_read(name: str, first: tuple[str, ...]) -> None:
    content = by_name()[name]
    table, _ = forked("read", content, Source(path=name), size=len(content))
    cells = [c.words[c.values[0]] if c.state[0] == 0 else "" for c in table.columns]
    assert tuple(cells)[: len(first)] == first
    assert "row" not in table.names


def test_the_command_line_ends_in_2_with_a_sentence_for_every_file(
    tmp_path: Path, request: pytest.FixtureRequest
) -> None:
    study = tmp_path / "study.json"
    runs = 0
    for what, name, content in corpus(request.config.getoption("--files")):
        (tmp_path / name).write_bytes(content)
        study.write_text(json.dumps({"source": {"path": name}, "tables": []}))
        result = CliRunner().invoke(app, ["run", str(study), "--out", str(tmp_path / "out"), "--replace"])
        assert result.exit_code in (0, 2), (what, result.output)
        assert "Traceback" not in result.output, what
        assert "fault of its own" not in result.output, (what, result.output)
        if result.exit_code == 0:
            json.loads(
                (tmp_path / "out" / "results.json").read_text(), parse_constant=lambda word: pytest.fail(word)
            )
        (tmp_path / name).unlink()
        runs += 1
    assert runs >= 200


def test_sources_stay_in_the_studys_folder_and_are_regular_files(tmp_path: Path) -> None:
    inner = tmp_path / "study"
    inner.mkdir()
    (tmp_path / "answers.csv").write_text("id,q\n1,yes\n2,no\n")
    (inner / "link.csv").symlink_to(tmp_path / "answers.csv")
    os.mkfifo(inner / "pipe.csv")
    study = inner / "study.json"

    def run(path: str, *more: str) -> Any:
        study.write_text(json.dumps({"source": {"path": path}, "tables": []}))
        return CliRunner().invoke(
            app, ["run", str(study), "--out", str(tmp_path / "out"), "--replace", *more]
        )

    for path in ("../answers.csv", str(tmp_path / "answers.csv"), "link.csv", "/etc/passwd"):
        result = run(path)
        assert result.exit_code == 2, path
        assert "outside the study file's folder" in result.output
    assert run("../answers.csv", "--allow-outside").exit_code == 0
    for path in ("pipe.csv", "/dev/zero", "."):
        result = run(path, "--allow-outside")
        assert result.exit_code == 2
        assert "not a regular file" in result.output or "cannot be read" in result.output


def test_an_unforeseen_error_is_one_sentence_and_where_to_report(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def breaks(*_: object) -> None:
        raise ZeroDivisionError("by nothing")

    monkeypatch.setattr("even_ballot.services.running.run_file", breaks)
    result = CliRunner().invoke(app, ["run", "x.json", "--out", str(tmp_path)])
    assert result.exit_code == 2
    assert "Traceback" not in result.output
    assert "report" in result.output
    assert isinstance(
        CliRunner().invoke(app, ["run", "x.json", "--out", str(tmp_path), "--debug"]).exception,
        ZeroDivisionError,
    )


def test_files_through_the_api_leave_the_server_standing(api: Any, request: pytest.FixtureRequest) -> None:
    for what, name, content in corpus(request.config.getoption("--files")):
        job = api("POST", "/files", params={"name": name}, content=content)
        until = time.monotonic() + 60
        while job["state"] == "running" and time.monotonic() < until:
            time.sleep(0.002)
            job = api("GET", f"/jobs/{job['id']}")
        assert job["state"] in ("done", "failed"), (what, job)
        if job["state"] == "done":
            api("GET", f"/files/{job['result']}")
        else:
            assert "The server failed" not in job["faults"][0]["what"], (what, job)
    assert api("GET", "/health")["database"] == "up"


@pytest.mark.parametrize("name", DRAWINGS)
def test_a_hostile_drawing_is_refused_or_let_through_harmless(name: str, api: Any) -> None:
    for kind in ("svg", "png", "pdf"):
        response = api.raw(
            "POST", "/pictures", json={"kind": kind, "pictures": [{"name": "a", "svg": DRAWINGS[name]}]}
        )
        assert response.status_code in (200, 422), response.text
        assert response.status_code == 422 or name == "instruction"
    assert b"root:" not in response.content


def test_a_drawing_is_written_anew_from_what_it_is_made_of() -> None:
    svg = '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9" width="9" height="9"><!-- note --><g><text x="1">a &lt; b</text></g></svg>'
    written = checked(svg)
    assert "note" not in written
    assert "a &lt; b" in written
    assert drawn(svg, "png").startswith(b"\x89PNG")


@pytest.mark.parametrize(
    ("name", "safe"),
    [
        ("../../etc/passwd", "etc/passwd"), ("/abs/a.csv", "abs/a.csv"), ("..\\..\\a.csv", "a.csv"), ("C:\\x\\a.csv", "C_/x/a.csv"),
        ("a\x00b\n.csv", "ab.csv"), ("..", "file"), ("", "file"), ("answers.csv", "answers.csv"),
    ],
)  # fmt: skip
def test_names_in_archives_stay_inside(name: str, safe: str) -> None:
    assert safe_name(name) == safe


def test_a_zip_that_climbs_is_taken_in_and_given_out_with_safe_names(api: Any) -> None:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr(
            "study.json",
            json.dumps(
                {"source": {"path": "../../answers.csv"}, "lookups": {"f": {"path": "../study.json"}}}
            ),
        )
        archive.writestr("../../answers.csv", "id,q\n1,yes\n")
        archive.writestr("../study.json", "k,x\n1,2\n")
    made = api("POST", "/studies/take-in", params={"name": "a.zip"}, content=out.getvalue())
    exported = api("GET", f"/studies/{made['id']}/study.zip")
    with zipfile.ZipFile(io.BytesIO(exported)) as archive:
        names = archive.namelist()
        document = json.loads(archive.read("study.json"))
    assert names == ["study.json", "answers.csv", "2-study.json"]
    assert (document["source"]["path"], document["lookups"]["f"]["path"]) == ("answers.csv", "2-study.json")


def test_growth_with_the_length_of_a_heading_is_linear() -> None:
    """By doubling, as a ratio of the operations: quadratic work would take four times the time."""
    from even_ballot.core.data.batteries import stem_of
    from even_ballot.core.data.interpretation import parse_number
    from even_ballot.core.ledger.reading.to_number import ToNumber
    from even_ballot.core.weighting.pasted_targets import _splits
    from even_ballot.core.written.texts import tidied
    from even_ballot.formats.sources.headings import short_name

    step = ToNumber.model_validate({"do": "to_number", "variables": ["x"]})
    attacks = {
        "heading": (lambda n: short_name("[" * n + "a" * n, 0), 200_000),
        "heading of signs": (lambda n: short_name('"abc"' + "! " * n, 0), 200_000),
        "spaces": (lambda n: tidied("a" + "\u2003" * n + "b", squeeze=False), 200_000),
        "number": (lambda n: parse_number("1" * n + "x"), 200_000),
        "units": (lambda n: step.number("1" + "!" * n + "x"), 200_000),
        "stem": (lambda n: stem_of(["a" * n + " b", "a" * n + " c"]), 200_000),
        "paste": (lambda n: _splits("a" + " " * n), 500),
    }  # fmt: skip
    for what, (attack, n) in attacks.items():
        taken = []
        for size in (n, 4 * n):
            best = min(_time(attack, size) for _ in range(3))
            taken.append(best)
        assert taken[1] < 10 * taken[0] + 0.02, (what, taken)


def _time(attack: Any, size: int) -> float:
    began = time.perf_counter()
    attack(size)
    return time.perf_counter() - began


def test_the_book_that_the_bombs_are_made_of_is_read() -> None:
    table, _ = forked("read", BOOK, Source(path="a.xlsx"), size=len(BOOK))
    assert table.names == ("id", "q")
