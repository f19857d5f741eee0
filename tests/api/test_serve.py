"""The server as a process: started once, killed without loss, stopped cleanly."""

import json
import os
import signal
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import httpx
import pytest
import structlog

from even_ballot.api.serve import Rotated, without_values
from even_ballot.store.server import free_port


class Server:
    """`python -m even_ballot.api` on a folder."""

    def __init__(self, folder: Path, web: Path) -> None:
        self.folder = folder
        self.port = free_port()
        self.command = [
            sys.executable,
            "-m",
            "even_ballot.api",
            "--folder",
            str(folder),
            "--port",
            str(self.port),
            "--web",
            str(web),
        ]
        self.process: subprocess.Popen[str] | None = None

    def start(self) -> httpx.Client:
        self.process = subprocess.Popen(
            self.command, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True
        )
        running = self.folder / "running.json"
        until = time.monotonic() + 60
        while time.monotonic() < until:
            if self.process.poll() is not None:
                raise AssertionError(self.process.communicate()[0])
            try:
                if json.loads(running.read_text())["pid"] == self.process.pid:
                    break
            except (OSError, ValueError):
                pass
            time.sleep(0.05)
        address = json.loads(running.read_text())["address"]
        return httpx.Client(base_url=f"{address}/api/v1", timeout=30)

    def end(self, how: signal.Signals) -> str:
        assert self.process is not None
        self.process.send_signal(how)
        return self.process.communicate(timeout=60)[0]


@pytest.fixture
def server(tmp_path: Path, web: Path) -> Iterator[Server]:
    made = Server(tmp_path / "var", web)
    yield made
    if made.process is not None and made.process.poll() is None:
        made.end(signal.SIGINT)
    stray = made.folder / "mariadb" / "pid"
    if stray.exists():
        os.kill(int(stray.read_text()), signal.SIGKILL)


@pytest.mark.parametrize("how", [signal.SIGINT, signal.SIGTERM])
def test_told_to_stop_both_stop_cleanly_and_a_second_start_says_where_the_first_runs(
    server: Server, how: signal.Signals
) -> None:
    client = server.start()
    assert [s["title"] for s in client.get("/studies").json()] == ["Veldry Isles ferry survey"]
    second = subprocess.run(server.command, capture_output=True, text=True, timeout=60, check=False)
    assert second.returncode == 1
    assert f"running already, at {str(client.base_url).split('/api')[0]}" in second.stdout
    said = server.end(how)
    assert said.strip().endswith("Stopped.")
    assert not (server.folder / "running.json").exists()
    assert not (server.folder / "mariadb" / "pid").exists()
    assert "Traceback" not in said


def test_killing_the_server_in_the_middle_of_writing_loses_nothing_acknowledged(server: Server) -> None:
    client = server.start()
    (study,) = client.get("/studies").json()
    state: dict[str, Any] = client.get(f"/studies/{study['id']}").json()
    acknowledged: list[str] = []
    enough = threading.Event()

    def write() -> None:
        edition = state["edition"]
        try:
            for k in range(10_000):
                title = f"Title {k}"
                body = {"edition": edition, "parts": {"title": title}}
                answer = client.patch(f"/studies/{study['id']}", json=body)
                answer.raise_for_status()
                edition = answer.json()["edition"]
                acknowledged.append(title)
                if k >= 8:
                    enough.set()
        except httpx.TransportError:
            enough.set()

    writer = threading.Thread(target=write)
    writer.start()
    assert enough.wait(60)
    server.end(signal.SIGKILL)
    writer.join(30)

    again = server.start()
    title = again.get(f"/studies/{study['id']}").json()["title"]
    in_flight = f"Title {len(acknowledged)}"
    assert title in (acknowledged[-1], in_flight)
    logged = (server.folder / "server.log").read_text().splitlines()
    assert {"event", "method", "path", "status", "ms"} <= set(json.loads(logged[-1]))


def test_told_to_stop_while_it_starts_it_ends_with_a_sentence(server: Server) -> None:
    server.process = subprocess.Popen(
        server.command, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True
    )
    assert server.process.stdout is not None
    assert "Creating the database" in server.process.stdout.readline()
    time.sleep(0.3)
    said = server.end(signal.SIGTERM)
    assert said.strip().endswith("Stopped before it had started.")
    assert "Traceback" not in said
    assert server.process.returncode == 0


def test_headers_that_do_not_come_are_not_waited_for(server: Server) -> None:
    client = server.start()
    at = client.base_url
    with (
        socket.create_connection((at.host, at.port)) as half,
        socket.create_connection((at.host, at.port)) as silent,
    ):
        half.sendall(b"GET /api/v1/health HTTP/1.1\r\nhost: 127.0.0.1\r\nx-slow: ")
        began = time.monotonic()
        for one in (half, silent):
            one.settimeout(20)
            assert one.recv(100) == b""
        assert 9 < time.monotonic() - began < 14
    assert client.get("/health").status_code == 200


def test_a_body_that_breaks_off_is_no_failure_of_the_server(server: Server) -> None:
    client = server.start()
    at = client.base_url
    head = f"POST /api/v1/studies HTTP/1.1\r\nhost: {at.host}:{at.port}\r\n"
    for rest in (
        "content-length: 500\r\n\r\n{",
        "transfer-encoding: chunked\r\n\r\n5\r\n{",
        "transfer-encoding: chunked\r\n\r\nzz\r\n",
    ):
        with socket.create_connection((at.host, at.port)) as one:
            one.sendall((head + rest).encode())
    assert client.get("/health").status_code == 200
    logged = [json.loads(line) for line in (server.folder / "server.log").read_text().splitlines()]
    assert [line for line in logged if line.get("status") == 500] == []
    assert [line["event"] for line in logged if line["level"] in ("error", "warning")] == []


def test_a_log_that_cannot_be_written_loses_its_line_and_nothing_else(tmp_path: Path) -> None:
    log = Rotated(tmp_path / "log")
    full = open("/dev/full", "w")  # noqa: SIM115
    log._handler.stream = full
    assert log.write("x" * 100_000) == 100_000
    log.flush()


def test_what_somebody_answered_does_not_stand_in_the_log() -> None:
    try:
        int("I live at the harbour")
    except ValueError:
        event = structlog.processors.ExceptionRenderer(
            structlog.tracebacks.ExceptionDictTransformer(show_locals=False)
        )(None, "error", {"event": "unforeseen", "exc_info": True})
    kept = json.dumps(without_values(None, "error", event))
    assert "ValueError" in kept
    assert "test_serve.py" in kept
    assert "harbour" not in kept
