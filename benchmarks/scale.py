"""A study of many records in Parquet parts, run by workers: raked to five margins, twenty tables with
errors. Beside it, on the same files: PyArrow alone reading them, and DuckDB and Polars counting the same
twenty groups without raking and without errors. Ratios of wall time within this run, and the largest memory
of a worker.

    .venv/bin/python benchmarks/scale.py [--parts 16] [--records 781250]
"""

import argparse
import json
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import duckdb
import numpy as np
import polars as pl
import pyarrow as pa
import pyarrow.parquet as pq
from measuring import row

from even_ballot.core.study.graph import untold
from even_ballot.services.by_workers import job_of
from even_ballot.services.running import load_study
from even_ballot.services.scale.cluster import run_on, workers_of

CODED = {"sex": 2, "age_group": 6, "isle": 7, "tenure": 3, "education": 4, "party": 5, "trust": 5, "uses": 4}
MARGINS = ("sex", "age_group", "isle", "tenure", "education")
STUBS, BANNERS = ("party", "trust", "uses", "spend", "trips"), ("sex", "age_group", "isle", "tenure")


def write_parts(folder: Path, parts: int, records: int) -> None:
    """12 columns: a stratum and a first-stage unit, eight coded questions, two numbers."""
    folder.mkdir()
    for part in range(parts):
        rng = np.random.default_rng(part)
        psu = rng.integers(1, 401, records).astype(np.int32)
        columns: dict[str, Any] = {"psu": psu, "stratum": psu % 20 + 1}
        columns |= {name: rng.integers(1, k + 1, records).astype(np.int8) for name, k in CODED.items()}
        columns["spend"] = np.round(rng.gamma(2, 30, records)).astype(np.int32)
        columns["trips"] = rng.poisson(4, records).astype(np.int32)
        pq.write_table(pa.table(columns), folder / f"part-{part + 1:05}.parquet")


def margin(name: str) -> dict[str, Any]:
    """A margin whose first category is a fifth larger than the others."""
    whole = CODED[name] + 0.2
    codes = range(1, CODED[name] + 1)
    return {
        "by": [name],
        "targets": [{"at": {name: c}, "value": (1 + 0.2 * (c == 1)) / whole} for c in codes],
    }


def table(stub: str, banner: str) -> dict[str, Any]:
    """Column per cents of a coded question, or means of a number."""
    show = ["n", "col_pct" if stub in CODED else "mean"]
    return {"id": f"{stub}_{banner}", "stub": [stub], "banner": [banner], "show": show}


def study() -> dict[str, Any]:
    """Five margins, twenty tables."""
    scales = {
        name: {"codes": [{"code": c, "label": f"{name} {c}"} for c in range(1, k + 1)]}
        for name, k in CODED.items()
    }
    variables = [{"name": name, "kind": "coded", "scale": name} for name in CODED]
    return {
        "source": {"path": "parts"},
        "codebook": {"scales": scales, "variables": variables},
        "weightings": [{"margins": [margin(name) for name in MARGINS], "save_as": "weight"}],
        "design": {"strata": ["stratum"], "clusters": ["psu"], "weight": "weight", "calibrated": True},
        "tables": [table(stub, banner) for stub in STUBS for banner in BANNERS],
    }


def timed(work: Callable[[], Any]) -> float:
    """Seconds that work takes."""
    start = time.perf_counter()
    work()
    return time.perf_counter() - start


def peak() -> int:
    """The most memory that this process held, in bytes."""
    with open("/proc/self/status") as status:
        return next(int(line.split()[1]) * 1024 for line in status if line.startswith("VmHWM"))


def by_workers(path: Path, count: int) -> tuple[float, int]:
    """Seconds of a run by so many workers that are there already, and the most that one of them held."""
    job = job_of(path, load_study(path))
    with workers_of(count, None) as client:
        took = timed(lambda: run_on(client, job, count, untold))
        return took, max(client.run(peak).values())


def read_alone(folder: Path) -> None:
    """PyArrow reads every column of every part."""
    for path in sorted(folder.iterdir()):
        pq.read_table(path)


def by_duckdb(folder: Path) -> None:
    """The same twenty groups."""
    with duckdb.connect() as base:
        base.execute("set threads to 2")
        for stub in STUBS:
            what = f"{stub}, count(*)" if stub in CODED else f"avg({stub}), count(*)"
            of = f", {stub}" if stub in CODED else ""
            for banner in BANNERS:
                base.execute(
                    f"select {banner}, {what} from '{folder}/*.parquet' group by {banner}{of}"
                ).fetchall()


def by_polars(folder: Path) -> None:
    """The same twenty groups, as a stream."""
    frame = pl.scan_parquet(f"{folder}/*.parquet")
    for stub in STUBS:
        for banner in BANNERS:
            keys = [banner, stub] if stub in CODED else [banner]
            what = [pl.len()] if stub in CODED else [pl.len(), pl.col(stub).mean().alias("mean")]
            frame.group_by(keys).agg(what).collect(engine="streaming")


def main() -> None:
    """Writes the parts, and runs each on them."""
    asked = argparse.ArgumentParser()
    asked.add_argument("--parts", type=int, default=16)
    asked.add_argument("--records", type=int, default=781_250)
    told = asked.parse_args()
    with tempfile.TemporaryDirectory() as held:
        folder = Path(held) / "parts"
        write_parts(folder, told.parts, told.records)
        path = Path(held) / "study.json"
        path.write_text(json.dumps(study()))
        read_alone(folder)
        read = timed(lambda: read_alone(folder))
        count = told.parts * told.records
        print(f"{count:,} records in {told.parts} parts; PyArrow alone reads them in {read:.2f} s")
        one, _ = by_workers(path, 1)
        two, most = by_workers(path, 2)
        row("two workers, all errors, to PyArrow alone reading", two / read, "at most 6")
        row("one worker to two", one / two, "at least 1.6")
        duck, polars = timed(lambda: by_duckdb(folder)), timed(lambda: by_polars(folder))
        row("two workers, all errors, to DuckDB's counts without", two / duck, "at most 1")
        row("two workers, all errors, to Polars' counts without", two / polars, "at most 1")
        print(f"a worker held {most / 2**20:,.0f} MB at most; {two / count * 1e9:.0f} ns a record")


if __name__ == "__main__":
    main()
