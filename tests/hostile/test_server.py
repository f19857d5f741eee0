"""Many at once, slow ones, a database that goes away, a server that is killed: nobody waits for what
another holds, and nothing that was acknowledged is lost. `--kills 100` kills as often."""

import contextlib
import errno
import os
import random
import signal
import socket
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from pathlib import Path
from typing import Any
from urllib.parse import urlsplit

import pytest
import requests
from fastapi.testclient import TestClient
from pymysql.err import DataError, OperationalError
from running import Running
from served import served
from sqlalchemy import Engine
from sqlalchemy.exc import DBAPIError, TimeoutError

from even_ballot.api.app import make_app
from even_ballot.store import room
from even_ballot.store.database import OutcomeUnknown, connect, migrate
from even_ballot.store.server import DatabaseDown, MariaServer

READERS, ROUNDS = 100, 3


@pytest.fixture(scope="module")
def address(module_engine: Engine) -> Iterator[str]:
    with served(make_app(module_engine)) as url:
        yield f"{url}/api/v1"


@pytest.fixture(scope="module")
def demo(address: str) -> str:
    return str(requests.post(f"{address}/studies/demo", timeout=60).json()["id"])


def test_a_hundred_readers_at_once_are_all_answered(address: str, demo: str) -> None:
    pages = ["", "/codebook", "/ledger", "/findings", "/weightings", "/design", "/tables/need", "/flow"]

    def read(k: int) -> list[int]:
        with requests.Session() as session:
            return [
                session.get(f"{address}/studies/{demo}{pages[(k + j) % len(pages)]}", timeout=120).status_code
                for j in range(ROUNDS)
            ]

    with ThreadPoolExecutor(READERS) as pool:
        statuses = [status for found in pool.map(read, range(READERS)) for status in found]
    assert statuses == [200] * (READERS * ROUNDS)


@contextlib.contextmanager
def slow_bodies(address: str, path: str, count: int) -> Iterator[None]:
    """Requests whose bodies never end."""
    at = urlsplit(address)
    open_ones = []
    for _ in range(count):
        one = socket.create_connection((at.hostname, at.port))
        head = f"PATCH {path} HTTP/1.1\r\nhost: {at.netloc}\r\ncontent-type: application/json\r\ncontent-length: 5000\r\n\r\n{{"
        one.sendall(head.encode())
        open_ones.append(one)
    try:
        yield
    finally:
        for one in open_ones:
            one.close()


def test_bodies_that_never_end_hinder_nobody(address: str, demo: str) -> None:
    with slow_bodies(address, f"/api/v1/studies/{demo}", 60):
        with ThreadPoolExecutor(20) as pool:
            answers = list(
                pool.map(
                    lambda _: requests.get(f"{address}/studies/{demo}", timeout=20).status_code, range(40)
                )
            )
        assert answers == [200] * 40


def test_memory_stays_flat_over_many_requests(address: str, demo: str) -> None:
    """A warm server's memory, over as many requests again."""

    def ask(times: int) -> None:
        with requests.Session() as session:
            for k in range(times):
                session.get(f"{address}/studies/{demo}{('', '/codebook', '/tables/need')[k % 3]}", timeout=60)
                session.post(
                    f"{address}/studies/{demo}/condition", json={"where": f"age > {k % 40}"}, timeout=60
                )
                session.get(f"{address}/studies/nobody{k}", timeout=60)

    def resident() -> int:
        return int(Path("/proc/self/statm").read_text().split()[1]) * os.sysconf("SC_PAGE_SIZE")

    ask(150)
    before = resident()
    ask(350)
    assert resident() - before < 60 << 20


class Broken:
    """A database that fails as it is told."""

    def __init__(self, error: Exception) -> None:
        self.error = error

    def __getattr__(self, name: str) -> Any:
        raise self.error


@pytest.mark.parametrize(
    ("error", "status", "says"),
    [
        (OperationalError(2013, "lost"), 503, "does not answer, so nothing of this change was saved"),
        (OperationalError(1021, "disk full"), 507, "disk that the database is on is full"),
        (OperationalError(1114, "table full"), 507, "disk that the database is on is full"),
        (OperationalError(1153, "packet"), 413, "too large to be stored in one piece"),
        (OperationalError(1213, "deadlock"), 503, "Another change was being saved"),
        (DataError(1406, "too long"), 422, "too long"),
        (OperationalError(1142, "denied"), 500, "The database refused this"),
        (OutcomeUnknown(), 503, "it may have been saved, or not"),
        (TimeoutError("pool"), 503, "All connections to the database are in use"),
        (ZeroDivisionError("by nothing"), 500, "An internal error occurred in the server"),
    ],
)  # fmt: skip
def test_what_the_database_says_is_told_as_what_it_is(error: Exception, status: int, says: str) -> None:
    told = DBAPIError("select", {}, error) if isinstance(error, OperationalError | DataError) else error
    app = make_app(None)
    app.state.engine = Broken(told)
    with TestClient(app, base_url="http://127.0.0.1:8410", raise_server_exceptions=False) as client:
        answer = client.get("/api/v1/studies")
    assert answer.status_code == status
    assert says in answer.json()["faults"][0]["what"]
    assert "content-security-policy" in answer.headers
    assert ("retry-after" in answer.headers) == (status == 503)


def test_a_database_that_dies_comes_back_and_the_state_is_said(tmp_path: Path) -> None:
    database = MariaServer(tmp_path / "mariadb")
    database.start()
    engine = connect(database.url)
    migrate(engine)
    database.watch()
    with served(make_app(engine, database=database)) as url:
        assert requests.get(f"{url}/api/v1/studies", timeout=20).json() == []
        seen = set[int]()
        until = time.monotonic() + 40
        while time.monotonic() < until:
            if 503 not in seen and database.pid is not None:
                # Once more, where it was back before anybody asked.
                with suppress(ProcessLookupError):
                    os.kill(database.pid, signal.SIGKILL)
            answer = requests.get(f"{url}/api/v1/studies", timeout=20)
            seen.add(answer.status_code)
            if answer.status_code == 200 and 503 in seen:
                break
            if answer.status_code == 503:
                assert "nothing of this change was saved" in answer.json()["faults"][0]["what"]
                assert answer.json()["database"] in ("starting", "down")
                said = requests.get(f"{url}/api/v1/health", timeout=20).json()
                assert said["database"] in ("starting", "up")
        assert seen == {200, 503}
    database.stop()
    engine.dispose()


def test_on_a_full_disk_everything_is_read_nothing_is_lost_and_it_goes_on_by_itself(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    database = MariaServer(tmp_path / "mariadb")
    database.start()
    engine = connect(database.url)
    migrate(engine)
    database.watch()
    with served(make_app(engine, database=database)) as url:
        address = f"{url}/api/v1"
        study = requests.post(f"{address}/studies/demo", timeout=60).json()["id"]
        edition = requests.get(f"{address}/studies/{study}", timeout=60).json()["edition"]
        change = {"edition": edition, "parts": {"title": "Boats"}}
        monkeypatch.setattr(room, "ROOM", 1 << 62)
        refused = [
            requests.patch(f"{address}/studies/{study}", json=change, timeout=60),
            requests.post(f"{address}/files?name=a.csv", data=b"a\n1\n", timeout=60),
            requests.post(f"{address}/studies/{study}/releases?edition={edition}", json={}, timeout=60),
        ]
        assert [one.status_code for one in refused] == [507] * 3, [one.text for one in refused]
        assert {one.json()["faults"][0]["mend"] for one in refused} == {"Make room there."}
        for page in ("", "/codebook", "/tables/need", "/releases/next"):
            assert requests.get(f"{address}/studies/{study}{page}", timeout=60).status_code == 200
        assert database.pid is not None
        os.kill(database.pid, signal.SIGKILL)
        until = time.monotonic() + 30
        while database.state.why != "the disk is full" and time.monotonic() < until:
            time.sleep(0.05)
        said = requests.get(f"{address}/studies", timeout=60)
        assert said.status_code == 503
        assert "(the disk is full)" in said.json()["faults"][0]["what"]
        monkeypatch.undo()
        until = time.monotonic() + 30
        while requests.get(f"{address}/studies", timeout=60).status_code != 200 and time.monotonic() < until:
            time.sleep(0.05)
        assert (
            requests.patch(f"{address}/studies/{study}", json=change, timeout=60).json()["title"] == "Boats"
        )
    database.stop()
    engine.dispose()


def test_a_body_that_the_disk_has_no_room_for_is_refused_as_that(
    address: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    class Full(tempfile.SpooledTemporaryFile):  # type: ignore[type-arg]
        def write(self, piece: bytes) -> int:  # type: ignore[override]
            raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(tempfile, "SpooledTemporaryFile", Full)
    answer = requests.post(f"{address}/files?name=a.csv", data=b"a\n1\n", timeout=60)
    assert answer.status_code == 507
    assert answer.json()["faults"][0]["mend"] == "Make room there, then send it again."
    monkeypatch.undo()
    assert requests.post(f"{address}/files?name=a.csv", data=b"a\n1\n", timeout=60).status_code == 200


def test_one_that_waits_for_room_is_ended_at_once(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    database = MariaServer(tmp_path / "mariadb")
    database.start()
    database.watch()
    monkeypatch.setattr(room, "ROOM", 1 << 62)
    assert database.pid is not None
    os.kill(database.pid, signal.SIGKILL)
    until = time.monotonic() + 30
    while database.state.why != "the disk is full" and time.monotonic() < until:
        time.sleep(0.05)
    began = time.monotonic()
    database.stop()
    assert time.monotonic() - began < 20
    with pytest.raises(DatabaseDown, match="the disk is full"):
        database.start()


def test_a_change_sent_again_because_its_answer_was_lost_is_the_same_change(address: str) -> None:
    study = requests.post(f"{address}/studies/demo", timeout=60).json()["id"]
    edition = requests.get(f"{address}/studies/{study}", timeout=60).json()["edition"]
    body = {"edition": edition, "parts": {"title": "Once"}}
    first, again = (requests.patch(f"{address}/studies/{study}", json=body, timeout=60) for _ in range(2))
    assert (first.status_code, again.status_code) == (200, 200)
    assert again.json()["edition"] == edition + 1
    other = requests.patch(
        f"{address}/studies/{study}", json={"edition": edition, "parts": {"title": "Other"}}, timeout=60
    )
    assert other.status_code == 409


def test_a_deleted_study_is_not_changed(address: str) -> None:
    study = requests.post(f"{address}/studies/demo", timeout=60).json()["id"]
    edition = requests.get(f"{address}/studies/{study}", timeout=60).json()["edition"]
    requests.delete(f"{address}/studies/{study}", timeout=60)
    answer = requests.patch(
        f"{address}/studies/{study}", json={"edition": edition, "parts": {"title": "x"}}, timeout=60
    )
    assert answer.status_code == 422
    assert "deleted" in answer.json()["faults"][0]["what"]


def lives(pid: int) -> bool:
    """Whether a process is there and has not ended."""
    try:
        return Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[0] != "Z"
    except OSError:
        return False


def test_nothing_acknowledged_is_lost_by_killing(tmp_path: Path, request: pytest.FixtureRequest) -> None:
    kills = request.config.getoption("--kills")
    rng = random.Random(11)
    running = Running(tmp_path)
    study = requests.get(f"{running.address()}/studies", timeout=30).json()[0]["id"]
    acknowledged, sent, checked = 0, 0, 0
    for kill in range(kills):
        address = running.address()
        view = requests.get(f"{address}/studies/{study}", timeout=30).json()
        said = int(view["title"].removeprefix("Change ")) if view["title"].startswith("Change ") else 0
        assert acknowledged <= said <= sent, (kill, acknowledged, said, sent)
        checked += 1
        edition = view["edition"]
        database = int((running.folder / "var" / "mariadb" / "pid").read_text())
        victim = running.process.pid if kill % 2 == 0 else database
        timer = threading.Timer(rng.uniform(0.05, 0.6), os.kill, (victim, signal.SIGKILL))
        timer.start()
        # A database may be back before a change that was being worked out has need of it again.
        while timer.is_alive() or lives(victim):
            sent += 1
            try:
                body = {"edition": edition, "parts": {"title": f"Change {sent}"}}
                answer = requests.patch(f"{address}/studies/{study}", json=body, timeout=30)
            except requests.RequestException:
                break
            if answer.status_code != 200:
                break
            acknowledged, edition = sent, answer.json()["edition"]
        timer.join()
        if running.process.poll() is None and kill % 2 == 0:
            running.process.wait(30)
        if kill % 2 == 0:
            running.again()
        else:
            until = time.monotonic() + 40
            while (
                time.monotonic() < until
                and requests.get(f"{address}/studies/{study}", timeout=30).status_code != 200
            ):
                time.sleep(0.05)
    assert checked == kills
    # How many there are depends on how busy the machine is; that there are some does not.
    assert acknowledged >= kills
    running.address()
    assert running.end() == 0
    for path in (tmp_path / "var").rglob("*"):
        assert (
            path.is_symlink()
            or path.is_socket()
            or not path.stat().st_mode & 0o007
            or "mariadb/data" in str(path)
        ), path
    log = tmp_path / "var" / "server.log"
    assert log.stat().st_mode & 0o077 == 0
    assert "locals" not in log.read_text()


def test_a_server_told_to_end_does_not_finish_what_is_being_counted(tmp_path: Path) -> None:
    """Thousands of replicates raked again within limits, and a large file that is being read, take longer
    than it has."""
    running = Running(tmp_path)
    address = running.address()
    with requests.Session() as session:
        study = session.get(f"{address}/studies", timeout=30).json()[0]["id"]
        view = session.get(f"{address}/studies/{study}", timeout=30).json()
        weighting = {**view["document"]["weightings"][0], "limits": {"low": 0.3, "high": 3}}
        design = {**view["document"]["design"], "calibrated": True, "single_psu": "add_nothing",
                  "variance": {"method": "bootstrap", "count": 10_000, "seed": 1}}  # fmt: skip
        parts = {"weightings": [weighting, *view["document"]["weightings"][1:]], "design": design}
    change = {"edition": view["edition"], "parts": parts}
    answers: list[int | None] = []

    def ask(method: str, path: str, **more: Any) -> None:
        try:
            answers.append(requests.request(method, f"{address}{path}", timeout=120, **more).status_code)
        except requests.RequestException:
            answers.append(None)

    rows = b"id,a,b\n" + b"".join(b"%d,%d,%d\n" % (k, k % 7, k % 3) for k in range(2_000_000))
    asked = [
        threading.Thread(target=ask, args=("PATCH", f"/studies/{study}"), kwargs={"json": change}),
        threading.Thread(
            target=ask, args=("POST", "/files"), kwargs={"params": {"name": "a.csv"}, "data": rows}
        ),
    ]
    for thread in asked:
        thread.start()
    time.sleep(2)
    assert asked[0].is_alive(), answers
    start = time.monotonic()
    assert running.end() == 0
    # On a machine with nothing else to do it takes some two seconds; the work itself would take minutes.
    assert time.monotonic() - start < 20
    for thread in asked:
        thread.join(10)
        assert not thread.is_alive()


def test_what_keeps_the_server_from_starting_is_a_sentence(tmp_path: Path) -> None:
    def said(*options: str) -> str:
        command = [sys.executable, "-m", "even_ballot.api", "--web", str(tmp_path), *options]
        found = subprocess.run(command, capture_output=True, text=True, timeout=60, check=False)
        assert found.returncode == 1
        assert "Traceback" not in found.stderr
        return found.stdout

    assert "70000 is not a port" in said("--folder", str(tmp_path / "var"), "--port", "70000")
    blocked = tmp_path / "file"
    blocked.write_text("")
    assert "cannot be written to" in said("--folder", str(blocked / "var"))
