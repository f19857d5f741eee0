"""Intake as a job: progress, stopping, failing, a server that dies, an upload that breaks off."""

import json
import os
import signal
import socket
import subprocess
import sys
import time
from pathlib import Path
from typing import Any

import httpx
import pytest
from sqlalchemy import Engine, func, select
from sqlalchemy.orm import Session

from even_ballot.core.faults import fault
from even_ballot.core.progress import Progress, stretch
from even_ballot.services.workers.jobs import Jobs
from even_ballot.store.jobs import begin_job, fail_lost_jobs
from even_ballot.store.models import JobRecord, SourceFile

CSV = b"id,q\n" + b"".join(b"%d,yes\n" % k for k in range(3000))


def kept(engine: Engine) -> int:
    with Session(engine) as session:
        return int(session.scalar(select(func.count()).select_from(SourceFile)) or 0)


def ended(jobs: Jobs, engine: Engine, job_id: str) -> Any:
    until = time.monotonic() + 30
    with Session(engine) as session:
        while (view := jobs.view(session, job_id)).state == "running" and time.monotonic() < until:
            time.sleep(0.01)
    return view


def test_a_file_is_followed_from_its_sending_to_its_end(api: Any) -> None:
    job = api("POST", "/files", params={"name": "a.csv"}, content=CSV)
    assert (job["state"], job["about"]) == ("running", "a.csv")
    events = api.raw("GET", f"/jobs/{job['id']}/events").text.strip().split("\n\n")
    told = [json.loads(event.removeprefix("data: ")) for event in events]
    assert told[-1]["state"] == "done"
    assert all(t["state"] == "running" for t in told[:-1])
    assert api("GET", f"/files/{told[-1]['result']}")["records"] == 3000
    assert api("GET", f"/jobs/{job['id']}")["result"] == told[-1]["result"]


def test_a_file_that_does_not_read_fails_with_its_place_and_leaves_nothing(api: Any, engine: Engine) -> None:
    job = api.bring("a.csv", b"a,b\n1,2\n1,2,3\n", status=422)
    assert job["state"] == "failed"
    assert "1 record does not have the 2 fields" in job["faults"][0]["what"]
    assert "line 3" in job["faults"][0]["where"]
    assert kept(engine) == 0


def test_a_job_that_is_stopped_leaves_nothing(engine: Engine) -> None:
    jobs = Jobs(engine)
    began: list[str] = []

    def work(session: Session, progress: Progress) -> str:
        session.add(
            SourceFile(id="a" * 16, name="a", sha256="", size=1, reading="{}", records=1, blank_records=0)
        )
        session.flush()
        began.append("")
        while True:
            progress("Going on", 0.5)
            time.sleep(0.005)

    job = jobs.start("intake", "a.csv", work)
    until = time.monotonic() + 20
    while not began and time.monotonic() < until:
        time.sleep(0.005)
    jobs.stop(job.id)
    view = ended(jobs, engine, job.id)
    assert (view.state, view.faults[0].what) == ("stopped", "Stopped. Nothing was imported.")
    assert kept(engine) == 0
    jobs.close()


@pytest.mark.parametrize("error", [fault("Nonsense.", "here", "Mend it."), RuntimeError("never shown")])
def test_whatever_goes_wrong_a_job_ends_with_a_reason(engine: Engine, error: Exception) -> None:
    jobs = Jobs(engine)

    def work(session: Session, progress: Progress) -> str:
        raise error

    job = jobs.start("intake", "a.csv", work)
    view = ended(jobs, engine, job.id)
    assert view.state == "failed"
    assert view.faults[0].what in (
        "Nonsense.",
        "An internal error occurred in the server; nothing of it was kept.",
    )
    with Session(engine) as session:
        assert session.get_one(JobRecord, job.id).state == "failed"
    jobs.close()


def test_progress_of_a_part_is_progress_of_the_whole() -> None:
    told: list[tuple[str, float | None]] = []
    half = stretch(lambda says, share: told.append((says, share)), 0.5, 1.0)
    half("a", 0.0)
    half("b", 0.5)
    half("c", None)
    assert told == [("a", 0.5), ("b", 0.75), ("c", None)]


def test_jobs_that_a_server_left_behind_are_marked_as_failed(engine: Engine) -> None:
    job_id = begin_job(engine, "intake", "a.csv")
    assert fail_lost_jobs(engine) == 1
    assert fail_lost_jobs(engine) == 0
    jobs = Jobs(engine)
    with Session(engine) as session:
        view = jobs.view(session, job_id)
    assert (view.state, view.faults[0].what) == (
        "failed",
        "The server stopped before this was done; nothing of it was kept.",
    )
    jobs.close()


def test_a_body_that_is_too_large_is_refused_and_one_that_breaks_off_leaves_nothing(
    api: Any, engine: Engine, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("even_ballot.api.admission.LARGEST", 1000)
    refused = api("POST", "/files", 413, params={"name": "a.csv"}, content=b"x" * 1001)
    assert "larger than 1,000 bytes" in refused["faults"][0]["what"]
    assert kept(engine) == 0
    with Session(engine) as session:
        assert session.scalar(select(func.count()).select_from(JobRecord)) == 0


def _served(folder: Path, web: Path) -> tuple[subprocess.Popen[bytes], str]:
    command = [
        sys.executable,
        "-m",
        "even_ballot.api",
        "--folder",
        str(folder),
        "--port",
        "0",
        "--web",
        str(web),
    ]
    server = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    until = time.monotonic() + 90
    running = folder / "running.json"
    while time.monotonic() < until:
        if running.exists() and (text := running.read_text()) and json.loads(text)["pid"] == server.pid:
            return server, json.loads(text)["address"]
        time.sleep(0.05)
    raise AssertionError("the server did not start")


def test_a_server_killed_while_it_takes_a_file_in_says_so_afterwards_and_loses_nothing_else(
    tmp_path: Path, web: Path
) -> None:
    server, address = _served(tmp_path, web)
    rows = b"".join(
        b"%d,%d,word %d,some more text to read %d\n" % (k, k * 7, k % 9000, k) for k in range(400_000)
    )
    before = httpx.get(f"{address}/api/v1/studies", timeout=30).json()
    job = httpx.post(f"{address}/api/v1/files?name=large.csv", content=b"a,b,c,d\n" + rows, timeout=60).json()
    assert job["state"] == "running"
    os.kill(server.pid, signal.SIGKILL)
    server.wait(30)
    (tmp_path / "running.json").unlink(missing_ok=True)
    server, address = _served(tmp_path, web)
    try:
        view = httpx.get(f"{address}/api/v1/jobs/{job['id']}", timeout=30).json()
        assert view["state"] == "failed"
        assert view["faults"][0]["mend"] == "Import the file again."
        assert httpx.get(f"{address}/api/v1/studies", timeout=30).json() == before
    finally:
        server.send_signal(signal.SIGTERM)
        server.wait(30)


def test_an_upload_that_breaks_off_is_forgotten(tmp_path: Path, web: Path) -> None:
    server, address = _served(tmp_path, web)
    try:
        host, port = address.removeprefix("http://").split(":")
        with socket.create_connection((host, int(port))) as line:
            head = f"POST /api/v1/files?name=a.csv HTTP/1.1\r\nHost: {host}:{port}\r\nContent-Length: 1000000\r\n\r\n"
            line.sendall(head.encode() + b"a,b\n1,2\n")
        assert httpx.get(f"{address}/api/v1/health", timeout=30).status_code == 200
        ok = httpx.post(f"{address}/api/v1/files?name=a.csv", content=b"a,b\n1,2\n", timeout=30)
        assert ok.status_code == 200
    finally:
        server.send_signal(signal.SIGTERM)
        server.wait(30)
