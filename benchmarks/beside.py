"""How much slower the server answers while what figures depend on is worked out beside it.

    .venv/bin/python benchmarks/beside.py [--seconds 20]

A server of its own with the demo; the same requests again and again by one reader, alone and while the whole
plan's decisions are followed, over and over, by another: ratios of the medians and of the slowest twentieth.
"""

import argparse
import contextlib
import statistics
import tempfile
import threading
import time
from collections.abc import Iterator
from pathlib import Path

import httpx
import structlog
import uvicorn
from measuring import row
from sqlalchemy.orm import Session

from even_ballot.api.app import make_app
from even_ballot.core.numerics.compiled import prepare
from even_ballot.services.demo import load_demo
from even_ballot.services.workers.helper_processes import DEPENDING, HELPERS, warm
from even_ballot.store.database import connect, migrate
from even_ballot.store.server import MariaServer, free_port


def answered(client: httpx.Client, paths: list[str], seconds: float) -> list[float]:
    """Seconds of each of many requests, one after the other."""
    found, until = [], time.perf_counter() + seconds
    while time.perf_counter() < until:
        for path in paths:
            begun = time.perf_counter()
            client.get(path).raise_for_status()
            found.append(time.perf_counter() - begun)
    return found


@contextlib.contextmanager
def demo_served(folder: Path) -> Iterator[str]:
    """The address of the demo's study on a server of its own."""
    database = MariaServer(folder / "db")
    database.start()
    try:
        engine = connect(database.url)
        migrate(engine)
        app = make_app(engine, None)
        with Session(engine) as session, session.begin():
            study = load_demo(session, app.state.pipelines)
        port = free_port()
        config = uvicorn.Config(app, host="127.0.0.1", port=port, log_config=None, access_log=False)
        server = uvicorn.Server(config)
        threading.Thread(target=server.run, daemon=True).start()
        while not server.started:
            time.sleep(0.05)
        prepare()
        warm()
        yield f"http://127.0.0.1:{port}/api/v1/studies/{study}"
        server.should_exit = True
        time.sleep(0.5)
        engine.dispose()
    finally:
        DEPENDING.close()
        HELPERS.close()
        database.stop()


ASKED = ("tables/need", "tables/fares", "codebook", "findings", "ledger")


class Follower(threading.Thread):
    """Follows the whole plan's decisions over and over, until it is told to stop."""

    def __init__(self, base: str) -> None:
        super().__init__()
        self.base, self.over, self.rounds = base, threading.Event(), 0

    def run(self) -> None:
        with httpx.Client(timeout=120) as client:
            while not self.over.is_set():
                client.get(f"{self.base}/depends/_all").raise_for_status()
                self.rounds += 1


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--seconds", type=float, default=20)
    asked = parser.parse_args()
    structlog.configure(wrapper_class=structlog.make_filtering_bound_logger(50))
    with tempfile.TemporaryDirectory() as folder, demo_served(Path(folder)) as base:
        paths = [
            f"{base}/{what}" for what in ("tables/need", "tables/fares", "codebook", "findings", "ledger")
        ]
        with httpx.Client(timeout=60) as client:
            answered(client, paths, 3)
            alone = answered(client, paths, asked.seconds)
            follower = Follower(base)
            follower.start()
            time.sleep(1)
            beside = answered(client, paths, asked.seconds)
            follower.over.set()
            follower.join()
    print(f"{len(alone):,} requests alone, {len(beside):,} beside {follower.rounds} rounds of the whole plan")
    row("  the middle request, beside / alone", statistics.median(beside) / statistics.median(alone), "1.2")
    slow = [sorted(of)[int(0.95 * len(of))] for of in (beside, alone)]
    row("  the slowest twentieth begins at, beside / alone", slow[0] / slow[1], "1.2")


if __name__ == "__main__":
    main()
