"""A small study at the command line (480 cases, raked, calibrated errors, workbook), in processor time. By
its side the loading of the libraries alone that it works with. Medians of runs that take turns.

    .venv/bin/python benchmarks/small_study.py [--runs 9]
"""

import argparse
import json
import os
import statistics
import subprocess
import sys
import tempfile
from pathlib import Path

import numpy as np
from measuring import row

LIBRARIES = "import numpy, pyarrow, pydantic, typer, xlsxwriter, scipy.special, scipy.linalg"


def written(folder: Path) -> Path:
    """A study of 480 made-up cases in a folder."""
    rng = np.random.default_rng(1)
    lines = ["id,isle,sex,view,stratum,boat,w"]
    lines += [
        f"{k},{rng.integers(1, 5)},{rng.integers(1, 3)},{rng.integers(1, 6)},{k % 6},{k % 48},{1 + k % 3}"
        for k in range(480)
    ]
    (folder / "data.csv").write_text("\n".join(lines) + "\n")
    codes = {
        name: {"codes": [{"code": c, "label": f"{name} {c}"} for c in range(1, n)]} for name, n in COUNTS
    }
    targets = [{"at": {"isle": c}, "value": 0.25} for c in range(1, 5)]
    document = {
        "source": {"path": "data.csv"},
        "codebook": {
            "scales": codes,
            "variables": [{"name": name, "kind": "coded", "scale": name} for name, _ in COUNTS],
        },
        "weightings": [{"base": "w", "margins": [{"by": ["isle"], "targets": targets}], "save_as": "weight"}],
        "design": {"strata": ["stratum"], "clusters": ["boat"], "weight": "weight", "calibrated": True},
        "tables": [{"id": "t", "stub": ["view"], "banner": ["isle", "sex"], "show": ["col_pct", "mean"]}],
    }
    (folder / "study.json").write_text(json.dumps(document))
    return folder / "study.json"


COUNTS = (("isle", 5), ("sex", 3), ("view", 6))


def processor(command: list[str]) -> float:
    """Seconds of processor time that a command takes."""
    before = os.times()
    subprocess.run(command, check=True, capture_output=True)
    after = os.times()
    return after.children_user + after.children_system - before.children_user - before.children_system


def main() -> None:
    """Runs both in turns."""
    asked = argparse.ArgumentParser()
    asked.add_argument("--runs", type=int, default=9)
    with tempfile.TemporaryDirectory() as held:
        path, program = written(Path(held)), str(Path(sys.executable).with_name("even-ballot"))
        run, load = list[float](), list[float]()
        for k in range(asked.parse_args().runs):
            run.append(processor([program, "run", str(path), "--out", f"{held}/{k}"]))
            load.append(processor([sys.executable, "-c", LIBRARIES]))
        ours, floor = statistics.median(run), statistics.median(load)
        print(f"a run {ours:.2f} s, the libraries alone {floor:.2f} s of processor time")
        row("a small study / loading its libraries", ours / floor, "under 2")


main()
