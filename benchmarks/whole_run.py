"""The whole command, from a CSV to released files, against `same_work.py` on the same file, as ratios of
processor and wall time; and the most memory that all its processes hold together.

    .venv/bin/python benchmarks/whole_run.py [--records 1000000] [--repeat 3]
"""

import argparse
import json
import os
import subprocess
import sys
import tempfile
import time
from dataclasses import dataclass
from itertools import pairwise
from pathlib import Path

import numpy as np
import polars as pl
from idle import tree
from measuring import row
from same_work import BANNER, EDGES, QUESTIONS, SHARES, WORDS


def answers(n: int, rng: np.random.Generator) -> pl.DataFrame:
    """21 columns: an identifier, a design, two margins, three numbers, eight questions in codes, four in
    words."""
    stratum = rng.integers(1, 21, n)
    columns: dict[str, object] = {"id": np.arange(1, n + 1), "stratum": stratum}
    columns |= {"psu": 100 * stratum + rng.integers(0, 20, n), "base": np.round(rng.lognormal(0, 0.3, n), 4)}
    columns |= {"isle": rng.integers(1, 5, n), "sex": rng.integers(1, 3, n), "age": rng.integers(18, 95, n)}
    columns |= {"spend": np.round(rng.exponential(40, n), 2), "trips": rng.integers(0, 30, n)}
    columns |= {q: rng.integers(1, 6, n) for q in QUESTIONS if q[0] == "q"}
    columns |= {q: np.array(WORDS)[rng.integers(0, 4, n)] for q in QUESTIONS if q[0] == "w"}
    return pl.DataFrame(columns)


def study() -> dict[str, object]:
    """Three margins, a design of two stages, thirteen tables."""

    def scale(labels: list[str]) -> dict[str, object]:
        return {"codes": [{"code": i, "label": label} for i, label in enumerate(labels, start=1)]}

    scales = {name: scale([f"{name} {i}" for i in range(1, BANNER[name] + 1)]) for name in ("isle", "sex")}
    scales |= {"agree": scale([f"A{i}" for i in range(1, 6)]), "often": scale(WORDS)}
    coded = {"isle": "isle", "sex": "sex"} | {q: "agree" if q[0] == "q" else "often" for q in QUESTIONS}
    edges = [18, *EDGES, 95]
    bands = [
        {"code": k, "label": f"{a} to {b - 1}", "from": a, "below": b}
        for k, (a, b) in enumerate(pairwise(edges), start=1)
    ]
    margins = [
        {"by": [name], "targets": [{"at": {name: i}, "value": of} for i, of in enumerate(shares, start=1)]}
        for name, shares in SHARES.items()
    ]
    tables: list[dict[str, object]] = [
        {"id": f"t_{q}", "stub": [q], "banner": list(BANNER), "show": ["n", "col_pct"]} for q in QUESTIONS
    ]
    tables.append({"id": "numbers", "stub": ["age", "spend"], "banner": ["isle"], "show": ["mean", "median"]})
    return {
        "source": {"path": "answers.csv"},
        "codebook": {
            "scales": scales,
            "variables": [{"name": name, "kind": "coded", "scale": of} for name, of in coded.items()],
        },
        "ledger": [{"do": "band", "variable": "age", "into": "age_band", "bands": bands}],
        "weightings": [{"base": "base", "margins": margins}],
        "design": {"strata": ["stratum"], "clusters": ["psu"]},
        "tables": tables,
    }


@dataclass(frozen=True)
class Cost:
    """Seconds of processor time of a command and all it starts, and on the clock."""

    processor: float
    wall: float


def cost(command: list[str]) -> Cost:
    start = time.perf_counter()
    process = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    _, status, used = os.wait4(process.pid, 0)
    if status:
        raise SystemExit(f"{command[1:4]} failed")
    return Cost(used.ru_utime + used.ru_stime, time.perf_counter() - start)


def most_memory(command: list[str]) -> float:
    """The most that a command and all it starts held together, proportionally, MiB."""
    process, most = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL), 0.0
    while process.poll() is None:
        most = max(most, sum(proportional(one) for one in tree(process.pid)))
        time.sleep(0.02)
    return most


def proportional(pid: int) -> float:
    """Proportional set size, MiB; 0 where the process has ended."""
    try:
        lines = Path(f"/proc/{pid}/smaps_rollup").read_text().splitlines()
    except OSError:
        return 0.0
    return next((int(line.split()[1]) / 1024 for line in lines if line.startswith("Pss:")), 0.0)


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--records", type=int, default=1_000_000)
    parser.add_argument("--repeat", type=int, default=3)
    asked = parser.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "answers.csv"
        answers(asked.records, np.random.default_rng(7)).write_csv(path)
        (Path(folder) / "study.json").write_text(json.dumps(study()))
        size = path.stat().st_size / 2**20
        ours = [
            sys.executable,
            "-m",
            "even_ballot.cli",
            "run",
            f"{folder}/study.json",
            "--out",
            f"{folder}/out",
        ]
        ours += ["--formats", "xlsx", "--replace"]
        same = [sys.executable, str(Path(__file__).with_name("same_work.py")), str(path), f"{folder}/same"]
        commands = {"ours": ours, "same": same, "plain": [*same, "plain"]}
        runs = [{name: cost(command) for name, command in commands.items()} for _ in range(asked.repeat + 1)][
            1:
        ]
        memory = most_memory(ours)
    best = {
        name: Cost(min(run[name].processor for run in runs[1:]), min(run[name].wall for run in runs[1:]))
        for name in commands
    }
    print(f"{asked.records:,} records x 21 columns, {size:.0f} MiB")
    for name, of in best.items():
        print(f"  {name}: {of.processor:.1f} s of processor time, {of.wall:.1f} s")
    for kind in ("processor", "wall"):
        mine = getattr(best["ours"], kind)
        row(f"  {kind} time / the same work by a script", mine / getattr(best["same"], kind), "1.0 or less")
        row(f"  {kind} time / neither raking nor errors", mine / getattr(best["plain"], kind), "2.0 or less")
    row("  most memory of all processes / the file", memory / size, "6 or less")


if __name__ == "__main__":
    main()
