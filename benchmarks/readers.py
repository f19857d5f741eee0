"""Many readers of the demo at once: how long they wait, beside one alone, in one run. With writers, who
change its title and a limit in turn, for so many seconds: how long both wait while every page is made anew.

python benchmarks/readers.py [--readers 100] [--rounds 5]
python benchmarks/readers.py --readers 50 --writers 5 --seconds 60
"""

import argparse
import json
import subprocess
import sys
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np
import requests

sys.path.insert(0, str(Path(__file__).parents[1] / "tests" / "support"))

from served import served

from even_ballot.api.app import make_app
from even_ballot.store.database import connect, migrate
from even_ballot.store.server import MariaServer

PAGES = ("", "/codebook", "/ledger", "/findings", "/weightings", "/design", "/tables/need", "/flow")


def read(
    address: str, study: str, first: int, rounds: int, until: float | None = None
) -> list[tuple[int, float]]:
    """Statuses and seconds of some requests in a row; until: a time to end at."""
    found = []
    with requests.Session() as session:
        for k in range(rounds):
            if until is not None and time.perf_counter() > until:
                break
            began = time.perf_counter()
            status = session.get(
                f"{address}/studies/{study}{PAGES[(first + k) % len(PAGES)]}", timeout=120
            ).status_code
            found.append((status, time.perf_counter() - began))
    return found


def write(address: str, study: str, number: int, until: float) -> list[tuple[int, float]]:
    """Changes to the study one after the other, until a time; who comes second takes the newer state."""
    found = []
    with requests.Session() as session:
        k = 0
        while time.perf_counter() < until:
            seen = session.get(f"{address}/studies/{study}", timeout=120).json()
            k += 1
            parts: dict[str, object] = {"title": f"Ferries {number}.{k}"}
            if number % 2:
                weightings = seen["document"]["weightings"]
                weightings[0]["limits"] = {"high": 4 + 0.01 * (k % 50)}
                parts = {"weightings": weightings}
            began = time.perf_counter()
            answer = session.patch(
                f"{address}/studies/{study}", json={"edition": seen["edition"], "parts": parts}, timeout=120
            )
            found.append((answer.status_code, time.perf_counter() - began))
            time.sleep(1)
    return found


def together(address: str, study: str, readers: int, writers: int, seconds: float) -> None:
    """Readers and writers at once; prints how long each waited."""
    read(address, study, 0, len(PAGES))
    until = time.perf_counter() + seconds
    with ThreadPoolExecutor(readers + writers) as pool:
        writing = [pool.submit(write, address, study, k, until) for k in range(writers)]
        reading = [pool.submit(read, address, study, k, 1_000_000, until) for k in range(readers)]
        wrote = [one for of in writing for one in of.result()]
        found = [one for of in reading for one in of.result()]
    failed = sum(status != 200 for status, _ in found)
    print(json.dumps({"reads": [s for _, s in found], "writes": [s for code, s in wrote if code == 200],
                      "late": sum(code == 409 for code, _ in wrote), "failed": failed
                      + sum(code not in (200, 409) for code, _ in wrote)}))  # fmt: skip


def clients(address: str, study: str, readers: int, rounds: int) -> None:
    """Asks alone, then all at once, and prints how long each waited."""
    read(address, study, 0, len(PAGES))
    alone = [seconds for _, seconds in read(address, study, 0, 5 * len(PAGES))]
    began = time.perf_counter()
    with ThreadPoolExecutor(readers) as pool:
        found = [
            one for of in pool.map(lambda k: read(address, study, k, rounds), range(readers)) for one in of
        ]
    whole = time.perf_counter() - began
    failed = sum(status != 200 for status, _ in found)
    print(
        json.dumps(
            {"waits": [seconds for _, seconds in found], "alone": alone, "whole": whole, "failed": failed}
        )
    )


def tell_of(said: dict[str, list[float]]) -> None:
    """Prints how long readers and writers waited."""
    print(f"{len(said['reads'])} readings and {len(said['writes'])} changes: {said['failed']} failed")
    print(f"  {said['late']} changes came second and were told so")
    for name, goal in (("reads", " (goal 1)"), ("writes", "")):
        half, most = np.quantile(said[name], (0.5, 0.95))
        longest = max(said[name])
        print(f"  {name}: half within {half:.2f} s, 95 % within {most:.2f} s{goal}, longest {longest:.2f}")


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--client", nargs=2)
    parser.add_argument("--readers", type=int, default=100)
    parser.add_argument("--rounds", type=int, default=5)
    parser.add_argument("--writers", type=int, default=0)
    parser.add_argument("--seconds", type=float, default=60)
    args = parser.parse_args()
    if args.client:
        address, study = args.client
        if args.writers:
            together(address, study, args.readers, args.writers, args.seconds)
        else:
            clients(address, study, args.readers, args.rounds)
        return
    with tempfile.TemporaryDirectory() as folder:
        database = MariaServer(Path(folder) / "mariadb")
        database.start()
        engine = connect(database.url, 32)
        migrate(engine)
        with served(make_app(engine)) as url:
            address = f"{url}/api/v1"
            study = requests.post(f"{address}/studies/demo", timeout=60).json()["id"]
            asked = [
                sys.executable,
                __file__,
                "--client",
                address,
                study,
                "--readers",
                str(args.readers),
                "--rounds",
                str(args.rounds),
                "--writers",
                str(args.writers),
                "--seconds",
                str(args.seconds),
            ]
            # In a process of their own, so that the server has its own to itself.
            said = json.loads(subprocess.run(asked, check=True, capture_output=True, text=True).stdout)
        database.stop()
    if args.writers:
        tell_of(said)
        return
    waits, alone, whole = np.array(said["waits"]), said["alone"], said["whole"]
    print(f"{args.readers} readers at once, {len(waits)} requests in {whole:.1f} s: {said['failed']} failed")
    half, most = np.quantile(waits, (0.5, 0.95))
    print(f"  half within {half:.2f} s, 95 % within {most:.2f} s (goal 3), the longest {waits.max():.2f} s")
    each = whole / len(waits) / np.mean(alone)
    print(f"  one alone: half within {np.median(alone):.3f} s; each request takes {each:.2f} of one alone")


if __name__ == "__main__":
    main()
