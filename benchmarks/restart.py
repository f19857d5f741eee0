"""How long a server that is killed under load takes to answer again: readers ask for the pages of the demo
without a pause, the server (then its database) is killed by SIGKILL, started anew where it was the server,
and the time is taken until a page of the study is answered, while the readers go on asking.

python benchmarks/restart.py [--readers 20] [--kills 6]
"""

import argparse
import contextlib
import os
import signal
import sys
import tempfile
import threading
import time
from pathlib import Path

import requests

sys.path.insert(0, str(Path(__file__).parents[1] / "tests" / "support"))

from running import Running

PAGES = ("", "/codebook", "/ledger", "/findings", "/weightings", "/design", "/tables/need", "/flow")


def ask(running: Running, study: str, number: int, ended: threading.Event) -> None:
    """One reader, who goes on whatever is answered."""
    k = number
    while not ended.is_set():
        k += 1
        try:
            requests.get(f"{running.address()}/studies/{study}{PAGES[k % len(PAGES)]}", timeout=30)
        except requests.RequestException:
            time.sleep(0.1)


def answered(running: Running, study: str) -> float:
    """Seconds until a page of the study is answered."""
    began = time.perf_counter()
    while True:
        with contextlib.suppress(requests.RequestException):
            if requests.get(f"{running.address()}/studies/{study}", timeout=30).status_code == 200:
                return time.perf_counter() - began
        time.sleep(0.05)


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--readers", type=int, default=20)
    parser.add_argument("--kills", type=int, default=6)
    args = parser.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        running = Running(Path(folder))
        study = requests.get(f"{running.address()}/studies", timeout=60).json()[0]["id"]
        ended = threading.Event()
        readers = [threading.Thread(target=ask, args=(running, study, k, ended)) for k in range(args.readers)]
        for reader in readers:
            reader.start()
        for kill in range(args.kills):
            time.sleep(5)
            if kill % 2:
                os.kill(int((running.folder / "var" / "mariadb" / "pid").read_text()), signal.SIGKILL)
                time.sleep(0.05)
            else:
                running.process.kill()
                running.process.wait(30)
                running.again()
            seconds = answered(running, study)
            print(
                f"{('server', 'database')[kill % 2]} killed: answered after {seconds:.1f} s (goal 8)",
                flush=True,
            )
        ended.set()
        for reader in readers:
            reader.join()
        running.end()


if __name__ == "__main__":
    main()
