"""How much slower the server answers while what figures depend on is worked out beside it.

    .venv/bin/python benchmarks/beside.py [--seconds 20]

A server of its own with the demo; the same requests again and again by one reader, alone and while the whole
plan's decisions are followed, over and over, by another: ratios of the medians and of the slowest twentieth.
"""

import argparse
import statistics
import tempfile
import threading
import time
from pathlib import Path

import httpx
import structlog
import uvicorn
from measuring import row
from sqlalchemy.orm import Session

from even_ballot.api.app import make_app
from even_ballot.core.numerics.compiled import prepare
from even_ballot.services.demo import load_demo
from even_ballot.services.workers.helper_processes import DEPENDING, HELPERS
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


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--seconds", type=float, default=20)
    asked = parser.parse_args()
    structlog.configure(wrapper_class=structlog.make_filtering_bound_logger(50))
    with tempfile.TemporaryDirectory() as folder:
        database = MariaServer(Path(folder) / "db")
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
            DEPENDING.warm()
            base = f"http://127.0.0.1:{port}/api/v1/studies/{study}"
            paths = [f"{base}/tables/{name}" for name in ("need", "fares")]
            paths += [f"{base}/codebook", f"{base}/findings", f"{base}/ledger"]
            with httpx.Client(timeout=60) as client:
                answered(client, paths, 3)
                alone = answered(client, paths, asked.seconds)
                over, rounds = threading.Event(), [0]

                def follow() -> None:
                    with httpx.Client(timeout=120) as other:
                        while not over.is_set():
                            other.get(f"{base}/depends/_all").raise_for_status()
                            rounds[0] += 1

                thread = threading.Thread(target=follow)
                thread.start()
                time.sleep(1)
                beside = answered(client, paths, asked.seconds)
                over.set()
                thread.join()
            server.should_exit = True
            time.sleep(0.5)
            engine.dispose()
        finally:
            DEPENDING.close()
            HELPERS.close()
            database.stop()
    print(f"{len(alone):,} requests alone, {len(beside):,} beside {rounds[0]} rounds of the whole plan")
    row("  the middle request, beside / alone", statistics.median(beside) / statistics.median(alone), "1.2")
    slow = [sorted(of)[int(0.95 * len(of))] for of in (beside, alone)]
    row("  the slowest twentieth begins at, beside / alone", slow[0] / slow[1], "1.2")


if __name__ == "__main__":
    main()
