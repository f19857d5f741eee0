"""What the server holds while nobody asks anything: proportional set sizes of all its processes beside
MariaDB, after the demo was opened and a file read, and once its helpers have gone to rest.

python benchmarks/idle.py
"""

import sys
import tempfile
import time
from pathlib import Path

import requests

sys.path.insert(0, str(Path(__file__).parents[1] / "tests" / "support"))

from running import Running

from even_ballot.services.workers.helper_processes import RESTING


def tree(pid: int) -> list[int]:
    """A process and all below it."""
    children = Path(f"/proc/{pid}/task").glob("*/children")
    return [pid, *(of for path in children for child in path.read_text().split() for of in tree(int(child)))]


def held(pid: int) -> dict[str, float]:
    """Proportional set sizes in MB, by what each process is."""
    found: dict[str, float] = {}
    for one in tree(pid):
        command = Path(f"/proc/{one}/cmdline").read_bytes().replace(b"\0", b" ").decode()
        lines = Path(f"/proc/{one}/smaps_rollup").read_text().splitlines()
        size = next(int(line.split()[1]) for line in lines if line.startswith("Pss:")) / 1000
        name = next((n for n in ("mariadbd", "forkserver", "resource_tracker") if n in command), "server")
        name = {"forkserver": "helpers and what they are forked from"}.get(name, name)
        found[name] = found.get(name, 0.0) + size
    return found


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        running = Running(Path(folder))
        address = running.address()
        study = requests.get(f"{address}/studies", timeout=60).json()[0]["id"]
        for page in ("", "/codebook", "/findings", "/weightings", "/tables/need"):
            requests.get(f"{address}/studies/{study}{page}", timeout=60)
        rows = b"id,q\n" + b"".join(b"%d,%d\n" % (k, k % 5) for k in range(1000))
        requests.post(f"{address}/files?name=a.csv", data=rows, timeout=60)
        for wait, says in ((10.0, "after work"), (1.3 * RESTING, "at rest")):
            time.sleep(wait)
            sizes = held(running.process.pid)
            ours = sum(size for name, size in sizes.items() if name != "mariadbd")
            print(f"{says}: {ours:.0f} MB beside MariaDB (goal 500)")
            for name, size in sizes.items():
                print(f"  {name}: {size:.0f}")
        running.end()


if __name__ == "__main__":
    main()
