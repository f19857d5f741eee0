"""The server as a process: started once, killed without loss, stopped cleanly."""

import json
import os
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import httpx
import pytest

from even_ballot.store.server import free_port


class Server:
    """`python -m even_ballot.api.serve` on a folder."""

    def __init__(self, folder: Path, web: Path) -> None:
        self.folder = folder
        self.port = free_port()
        self.command = [
            sys.executable,
            "-m",
            "even_ballot.api.serve",
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
