"""The whole command, from a CSV to released files, against a dataframe library that reads the same file,
counts the same groups without errors and without raking, and writes the records: as ratios of processor time.

    .venv/bin/python benchmarks/whole_run.py [--records 1000000] [--repeat 2]
"""

import argparse
import json
import os
import subprocess
import sys
import tempfile
from pathlib import Path

import numpy as np
import polars as pl
from measuring import row

OFTEN = np.array(["Never", "Sometimes", "Often", "Always"])
MARGINS = {"isle": 4, "sex": 2, "age_band": 5}


def answers(n: int, rng: np.random.Generator) -> pl.DataFrame:
    """24 columns: an identifier, three margins, twelve questions in codes, four in words, four numbers."""
    columns: dict[str, object] = {"id": np.arange(1, n + 1)}
    columns |= {name: rng.integers(1, k + 1, n) for name, k in MARGINS.items()}
    columns |= {f"q{k}": rng.integers(1, 6, n) for k in range(1, 13)}
    columns |= {f"w{k}": OFTEN[rng.integers(0, 4, n)] for k in range(1, 5)}
    columns |= {"age": rng.integers(18, 95, n), "spend": np.round(rng.exponential(40, n), 2)}
    columns |= {"trips": rng.integers(0, 30, n), "base": np.round(rng.lognormal(0, 0.3, n), 4)}
    return pl.DataFrame(columns)


def study() -> dict[str, object]:
    """Three margins, thirteen tables."""

    def scale(labels: list[str]) -> dict[str, object]:
        return {"codes": [{"code": i, "label": label} for i, label in enumerate(labels, start=1)]}

    scales = {name: scale([f"{name} {i}" for i in range(1, k + 1)]) for name, k in MARGINS.items()}
    scales |= {"agree": scale([f"A{i}" for i in range(1, 6)]), "often": scale(OFTEN.tolist())}
    coded = {name: name for name in MARGINS} | {f"q{k}": "agree" for k in range(1, 13)}
    coded |= {f"w{k}": "often" for k in range(1, 5)}
    variables = [{"name": name, "kind": "coded", "scale": scale} for name, scale in coded.items()]
    margins = [
        {"by": [name], "targets": [{"at": {name: i}, "value": 1 / k} for i in range(1, k + 1)]}
        for name, k in MARGINS.items()
    ]
    tables: list[dict[str, object]] = [
        {"id": f"t{k}", "stub": [f"q{k}"], "banner": list(MARGINS), "show": ["n", "col_pct"]}
        for k in range(1, 13)
    ]
    tables.append({"id": "t13", "stub": ["age", "spend"], "banner": ["isle"], "show": ["n", "mean"]})
    return {
        "source": {"path": "answers.csv"},
        "codebook": {"scales": scales, "variables": variables},
        "weightings": [{"base": "base", "margins": margins}],
        "tables": tables,
    }


PLAIN = """
import sys
import polars as pl
frame = pl.read_csv(sys.argv[1])
for k in range(1, 13):
    for by in ("isle", "sex", "age_band"):
        frame.group_by([by, f"q{k}"]).agg(pl.len(), pl.col("base").sum())
frame.group_by("isle").agg(pl.col("age").mean(), pl.col("spend").mean())
frame.with_columns(weight=pl.col("base")).write_csv(sys.argv[2])
"""


def cost(command: list[str]) -> tuple[float, float]:
    """Seconds of processor time of a command and all it starts, and the most memory one of them held, MiB."""
    process = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    _, status, used = os.wait4(process.pid, 0)
    if status:
        raise SystemExit(f"{command[0]} failed")
    return used.ru_utime + used.ru_stime, used.ru_maxrss / 1024


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--records", type=int, default=1_000_000)
    parser.add_argument("--repeat", type=int, default=2)
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
            "--replace",
        ]
        plain = [sys.executable, "-c", PLAIN, str(path), f"{folder}/plain.csv"]
        runs = [(cost(ours), cost(plain)) for _ in range(asked.repeat + 1)][1:]
        seconds, memory = min(r[0][0] for r in runs), max(r[0][1] for r in runs)
        base = min(r[1][0] for r in runs)
    print(f"{asked.records:,} records x 24 columns, {size:.0f} MiB; a dataframe library alone {base:.1f} s")
    row("  the whole command / read, group and write alone", seconds / base, "1.0 or less")
    row("  most memory of one process / the file", memory / size, "6 or less")


if __name__ == "__main__":
    main()
