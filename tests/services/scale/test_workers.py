"""A study file run by workers of a Dask cluster: the figures of one process, whoever works and whoever is lost."""

import contextlib
import json
import os
import re
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from distributed import Client, LocalCluster
from parting import differing
from reference_cases import CASES

from even_ballot.core.faults import StudyError
from even_ballot.core.numerics.meeting import shares
from even_ballot.core.study.graph import untold
from even_ballot.core.study.nodes import Telling
from even_ballot.core.study.study_file import parse_study
from even_ballot.services.answers import make_parts
from even_ballot.services.by_workers import Workers, job_of, released_by
from even_ballot.services.running import load_study, run_file
from even_ballot.services.scale import cluster, holder, leading, shelf, time_left, work
from even_ballot.services.scale.holder import Holder
from even_ballot.services.scale.work import Job, versions

CHOSEN = ("raked-limits", "raked-calibrated", "clustered-crosstab", "model-logistic", "correlations", "several-answers", "jackknife-reraked")  # fmt: skip


def threaded(of: Job, among: int, telling: Telling = untold) -> dict[str, Any]:
    """What holders in this process make of a study."""
    with ThreadPoolExecutor(among) as pool:
        holders = [Holder(of, share) for share in shares(len(of.names), among)]
        going = [partial(pool.submit, holder.go_on) for holder in holders]
        return leading.led(of, going, telling)[0].document()


@pytest.fixture(scope="module")
def client() -> Iterator[Client]:
    with cluster.workers_of(3, None) as found:
        yield found


@pytest.fixture(scope="module")
def running() -> Iterator[str]:
    """The address of a scheduler that somebody started, with a worker."""
    start: Any = LocalCluster
    with start(n_workers=1, threads_per_worker=1, host="127.0.0.1", dashboard_address=None) as found:
        yield found.scheduler_address


def test_nobody_without_the_certificates_joins(client: Client) -> None:
    address = str(client.scheduler.address) if client.scheduler else ""
    assert address.startswith("tls://127.0.0.1:")
    connect: Any = Client
    for tried in (address, address.replace("tls", "tcp")):
        joined = None
        with contextlib.suppress(Exception):
            joined = connect(tried, timeout=2, set_as_default=False)
        assert joined is None, tried


def study_in(folder: Path, case: str, records: int, **changes: Any) -> Path:
    """A reference case whose answers are parts of so many records."""
    document = json.loads((CASES / case / "study.json").read_text())
    folder.mkdir(exist_ok=True)
    make_parts(CASES / case / "data.csv", folder / "parts", records)
    path = folder / "study.json"
    path.write_text(json.dumps(document | {"source": {"path": "parts"}} | changes))
    return path


def job(path: Path, records: Path | None = None) -> Job:
    return job_of(path, load_study(path), None if records is None else str(records))


def run_by(client: Client, path: Path, count: int) -> dict[str, Any]:
    return cluster.run_on(client, job(path), count, untold)[0].document()


@pytest.mark.parametrize("case", CHOSEN)
def test_a_reference_case_by_one_two_and_three_workers_has_the_figures_of_one_process(
    client: Client, tmp_path: Path, case: str
) -> None:
    path = study_in(tmp_path, case, 90)
    found = [run_by(client, path, count) for count in (1, 2, 3)]
    assert json.dumps(found[0]) == json.dumps(found[1]) == json.dumps(found[2])
    alone = run_file(path)[1].document()
    assert list(differing(found[0]["tables"], alone["tables"], rel=1e-9)) == []
    for key in ("cases", "ledger", "weightings", "design", "models", "correlations"):
        assert list(differing(found[0].get(key), alone.get(key), rel=1e-9)) == [], key


@pytest.mark.parametrize("screening", [{}, {"influence": 0.2, "far": 2}, {"fast": 200}])
def test_all_checks_but_those_of_duplicates_find_the_same(
    client: Client, tmp_path: Path, screening: dict[str, Any]
) -> None:
    roles = {
        "variables": [
            {"name": "seconds", "kind": "number", "role": "seconds"},
            {"name": "dw", "kind": "number", "role": "weight"},
        ]
    }
    tables = [{"id": "t", "stub": ["spend"], "show": ["mean"]}]
    path = study_in(tmp_path, "clustered-crosstab", 70, screening=screening, codebook=roles, tables=tables)
    found, alone = run_by(client, path, 3), run_file(path)[1].document()
    others = {"duplicate_identifier", "duplicate_entry"}
    kinds = {of["kind"] for of in found["findings"]}
    assert {"too_fast", "unusual", *(["influential"] if "influence" in screening else ())} <= kinds
    assert found["findings"] == [of for of in alone["findings"] if of["kind"] not in others]


def test_what_the_ledger_did_and_which_kinds_were_guessed_are_the_same(
    client: Client, tmp_path: Path
) -> None:
    path = study_in(tmp_path, "cleaned", 70)
    found, alone = run_by(client, path, 3), run_file(path)[1].document()
    assert found["ledger"] == alone["ledger"]
    assert found["summary"]["kinds"] == alone["summary"]["kinds"]


def test_a_worker_killed_in_the_middle_changes_no_figure(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = study_in(tmp_path, "raked-calibrated", 60)
    meetings, real = [0], leading._Holders.lead
    with cluster.workers_of(2, None) as client:
        first = run_by(client, path, 2)
        pids = client.run(os.getpid)

        def lead(holders: Any, place: str, make: Callable[[Any], Any]) -> Any:
            meetings[0] += 1
            if meetings[0] == 15:
                os.kill(next(iter(pids.values())), signal.SIGKILL)
            return real(holders, place, make)

        monkeypatch.setattr(leading._Holders, "lead", lead)
        assert json.dumps(run_by(client, path, 2)) == json.dumps(first)
        assert meetings[0] > 15 + 15
        assert set(client.run(os.getpid).values()) != set(pids.values())


@pytest.mark.parametrize("case", CHOSEN)
def test_what_is_put_into_files_comes_back_as_it_was(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, case: str
) -> None:
    """Every array and column goes through a file, however small."""
    monkeypatch.setattr(shelf, "_SMALL", -1)
    path = study_in(tmp_path, case, 90)
    of = replace(job(path), memory=0)
    found = threaded(of, 2)
    assert list(differing(found, threaded(replace(of, memory=1 << 30), 1), rel=0)) == []
    alone = run_file(path)[1].document()
    assert list(differing(found["tables"], alone["tables"], rel=1e-9)) == []


def refusal(client: Client, path: Path) -> str:
    with pytest.raises(StudyError) as refused:
        run_by(client, path, 2)
    return str(refused.value)


def test_a_part_that_cannot_be_read_is_named(client: Client, tmp_path: Path) -> None:
    path = study_in(tmp_path, "clustered-crosstab", 90)
    broken = sorted((tmp_path / "parts").iterdir())[3]
    broken.write_bytes(broken.read_bytes()[:200])
    assert f"parts/{broken.name}" in refusal(client, path)


def test_a_part_of_another_heading_is_named(client: Client, tmp_path: Path) -> None:
    path = study_in(tmp_path, "clustered-crosstab", 90)
    strange = sorted((tmp_path / "parts").iterdir())[2]
    pq.write_table(pa.table({"other": np.arange(3)}), strange)
    said = refusal(client, path)
    assert strange.name in said
    assert "columns" in said


def test_an_edit_changes_its_case_whoever_holds_it(client: Client, tmp_path: Path) -> None:
    edit = {"do": "edit", "id": 341, "by": "row", "variable": "spend", "value": 9999}
    path = study_in(tmp_path, "clustered-crosstab", 90, ledger=[edit])
    found, alone = run_by(client, path, 3), run_file(path)[1].document()
    assert found["ledger"] == alone["ledger"]
    assert found["ledger"][0]["cells_changed"] == 1
    assert list(differing(found["tables"], alone["tables"], rel=1e-9)) == []
    nobody = study_in(tmp_path / "other", "clustered-crosstab", 90, ledger=[edit | {"id": 5000}])
    assert "No case in use has the identifier 5000" in refusal(client, nobody)


def test_entries_that_see_all_cases_do_so_over_the_parts_of_all_workers(
    client: Client, tmp_path: Path
) -> None:
    steps = [
        {"do": "drop_cases", "duplicates": {"of": ["psu", "q1"], "keep": "last"}},
        {"do": "derive", "into": "z", "value": "(spend - column_mean(spend)) / column_sd(spend)"},
    ]
    tables = [{"id": "t", "stub": ["spend", "z"], "show": ["n", "mean"]}]
    path = study_in(tmp_path, "clustered-crosstab", 90, ledger=steps, tables=tables)
    _, alone = run_file(path)
    assert alone.used_cases < 480
    found = run_by(client, path, 2)
    assert list(differing(found["tables"], alone.document()["tables"], rel=1e-9)) == []


def test_a_fault_that_only_the_answers_have_is_that_of_one_process(client: Client, tmp_path: Path) -> None:
    weighting = {"base": "spend", "save_as": "w2", "margins": []}
    path = study_in(tmp_path, "clustered-crosstab", 90, weightings=[weighting], design={"weight": "w2"})
    with pytest.raises(StudyError) as alone:
        run_file(path)
    assert refusal(client, path) == str(alone.value)


@pytest.mark.parametrize(
    ("changes", "said"),
    [
        ({"source": {"path": "nowhere"}}, "source.path: nowhere is not there"),
        ({"design": {"clusters": ["psu"], "variance": {"method": "jackknife"}, "save_replicates": True}}, "design.save_replicates"),
        ({"release": {"depends": [{"table": "t", "stub": {"variable": "spend"}, "banner": [], "stat": "mean"}]}}, "release.depends"),
    ],
)  # fmt: skip
def test_what_workers_do_not_do_is_refused_before_any_begins(
    tmp_path: Path, changes: dict[str, Any], said: str
) -> None:
    path = study_in(
        tmp_path,
        "clustered-crosstab",
        240,
        tables=[{"id": "t", "stub": ["spend"], "show": ["mean"]}],
        **changes,
    )
    with pytest.raises(StudyError, match=said):
        job(path)


def test_a_worker_without_memory_says_which_parts_it_had(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def full(*_: Any) -> Any:
        raise MemoryError

    monkeypatch.setattr(work, "read_part", full)
    with pytest.raises(StudyError, match=r"ran out of memory with parts 1 to 2\. Use more workers"):
        threaded(job(study_in(tmp_path, "clustered-crosstab", 240)), 1)


def test_parts_that_are_read_are_told_with_the_time_that_is_left(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    said = list[tuple[str, float | None]]()
    read = work.read_part

    def slowly(*asked: Any) -> Any:
        time.sleep(0.1)
        return read(*asked)

    monkeypatch.setattr(work, "read_part", slowly)
    monkeypatch.setattr(holder, "_SAYS", 0.02)
    monkeypatch.setattr(time_left, "_FIRST", 0.05)
    of = job(study_in(tmp_path, "clustered-crosstab", 60))
    threaded(of, 2, lambda _: contextlib.nullcontext(lambda says, share: said.append((says, share))))
    reading = [(says, share) for says, share in said if says.startswith("Parts read")]
    assert any(re.fullmatch(r"Parts read: [1-7] of 8, about 10 s left", says) for says, _ in reading)
    shares_said = [share for _, share in reading if share is not None]
    assert shares_said == sorted(shares_said)
    assert [says for says, _ in said if says.startswith("Results: 5 of 6")]


def test_time_left_goes_by_what_is_done() -> None:
    now, said = [0.0], list[str]()
    study = parse_study({"source": {"path": "a"}, "tables": [{"id": "t", "stub": ["q"]}]})
    tells = time_left.TimeLeft(
        lambda _: contextlib.nullcontext(lambda says, share: said.append(says)), study, lambda: now[0]
    )
    for at, read in ((0.0, 0), (1.0, 2), (30.0, 10), (600.0, 20), (9000.0, 40)):
        now[0] = at
        tells.parts(read, 40)
    assert said == [
        "Parts read: 0 of 40",
        "Parts read: 2 of 40",
        "Parts read: 10 of 40, about 2 min left",
        "Parts read: 20 of 40, about 10 min left",
        "Parts read: 40 of 40",
    ]


def test_delimited_files_are_refused_with_what_makes_parts_of_them(client: Client, tmp_path: Path) -> None:
    (tmp_path / "answers.csv").write_text("a,b\n1,2\n")
    path = tmp_path / "study.json"
    path.write_text(json.dumps({"source": {"path": "answers.csv"}}))
    assert "even-ballot parts" in refusal(client, path)


def test_another_version_on_the_workers_is_refused_with_both_named(
    client: Client, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = study_in(tmp_path, "clustered-crosstab", 240)
    monkeypatch.setattr(client, "run", lambda _: {"tcp://w": ("9.9", "3.11.2")})
    said = refusal(client, path)
    assert "9.9" in said
    assert versions()[0] in said


def test_no_scheduler_is_said(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(cluster, "_WAIT", 0.5)
    held = contextlib.ExitStack()
    with pytest.raises(StudyError, match=r"No scheduler answers at tcp://127\.0\.0\.1:9"):
        held.enter_context(cluster.workers_of(None, "tcp://127.0.0.1:9"))


def test_a_scheduler_that_runs_is_used_and_records_are_written_part_by_part(
    running: str, tmp_path: Path
) -> None:
    path = study_in(tmp_path, "raked-calibrated", 90)
    out = tmp_path / "out"
    by = Workers(None, running)
    with released_by(path, by, out, None, lambda says, share: None) as files:
        written = {name: b"".join(pieces) for name, pieces in files.all().items()}
    assert [name for name in sorted(written) if name.startswith("microdata")] == [
        f"microdata-{k:05}.csv" for k in range(1, 7)
    ]
    parts = [written[f"microdata-{k:05}.csv"].decode().splitlines() for k in range(1, 7)]
    assert len({lines[0] for lines in parts}) == 1
    alone = b"".join(_records(path)).decode().splitlines()
    assert [line.split(",")[0] for lines in parts for line in lines[1:]] == [
        line.split(",")[0] for line in alone[1:]
    ]
    assert sum(len(lines) - 1 for lines in parts) == 480
    assert list(tmp_path.glob(".out-*")) == []


def _records(path: Path) -> Iterator[bytes]:
    from even_ballot.services.running import release_of

    return iter(release_of(path, ("xlsx",)).records()["microdata.csv"])


def test_where_it_is_stopped_nothing_is_left(running: str, tmp_path: Path) -> None:
    path, out = study_in(tmp_path, "clustered-crosstab", 240), tmp_path / "out"

    def stopped(says: str, share: float | None) -> None:
        raise KeyboardInterrupt

    by, held = Workers(None, running), contextlib.ExitStack()
    with pytest.raises(KeyboardInterrupt):
        held.enter_context(released_by(path, by, out, None, stopped))
    assert sorted(item.name for item in tmp_path.iterdir()) == ["parts", "study.json"]


def test_the_command_line_has_workers_do_the_whole_run(tmp_path: Path) -> None:
    path, out = study_in(tmp_path, "raked-calibrated", 100), tmp_path / "out"
    command = [sys.executable, "-m", "even_ballot.cli", "run", str(path), "--out", str(out)]
    done = subprocess.run(
        [*command, "--workers", "2", "--memory", "0"], capture_output=True, text=True, timeout=120, check=False
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    assert "480 cases received, 480 in use" in done.stdout
    written = json.loads((out / "results.json").read_text())
    assert list(differing(written["tables"], run_file(path)[1].document()["tables"], rel=1e-9)) == []
    named = {of["name"] for of in json.loads((out / "manifest.json").read_text())["files"]}
    assert named == {item.name for item in out.iterdir()} - {"manifest.json"}
    assert "microdata-00005.csv" in named
    assert sorted(item.name for item in tmp_path.iterdir()) == ["out", "parts", "study.json"]
