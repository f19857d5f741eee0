"""A server in a process of its own, as ./start starts it: to be killed and started anew."""

import contextlib
import json
import signal
import subprocess
import sys
import time
from pathlib import Path


class Running:
    """A server of its own, as ./start starts it."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        (folder / "web" / "assets").mkdir(parents=True, exist_ok=True)
        (folder / "web" / "index.html").write_text("<!doctype html>")
        self.process = self._start()

    def _start(self) -> subprocess.Popen[bytes]:
        (self.folder / "var" / "running.json").unlink(missing_ok=True)
        command = [sys.executable, "-m", "even_ballot.api", "--folder", str(self.folder / "var"), "--port", "0",
                   "--web", str(self.folder / "web")]  # fmt: skip
        return subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)

    def address(self) -> str:
        until = time.monotonic() + 60
        while time.monotonic() < until:
            with contextlib.suppress(OSError, ValueError):
                return (
                    str(json.loads((self.folder / "var" / "running.json").read_text())["address"]) + "/api/v1"
                )
            time.sleep(0.05)
        raise AssertionError("the server did not start")

    def again(self) -> None:
        self.process = self._start()

    def end(self) -> int:
        self.process.send_signal(signal.SIGTERM)
        return self.process.wait(40)
