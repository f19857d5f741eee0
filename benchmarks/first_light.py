"""Speed, as ratios within one run: the tally of a crosstab, 5,000,000 cases.

    .venv/bin/python benchmarks/first_light.py [--cases 5000000] [--repeat 5]

One plain pass is NumPy's sum of each input array in its own type, one after the other. Every time is the
best of `repeat` runs, after one that warms up.
"""

import argparse

import duckdb
import numpy as np
import polars as pl
from measuring import best, plain_pass, row

from even_ballot.core.sampling.tallies import tally


def crosstab(n: int, repeat: int, rng: np.random.Generator) -> None:
    strata, psus, rows, columns = 50, 1000, 5, 8
    unit = rng.integers(0, psus, n).astype(np.int32)
    stub, banner = rng.integers(0, rows, n).astype(np.int8), rng.integers(0, columns, n).astype(np.int8)
    weight = rng.gamma(4, 0.25, n)
    stratum = (np.arange(psus) * strata // psus).astype(np.int32)
    arrays = [stub, banner, unit, weight]
    base = best(lambda: plain_pass(arrays), repeat)
    ours = best(lambda: tally(stub, banner, unit, weight, (psus, rows, columns)), repeat)
    frame = pl.DataFrame({"stub": stub, "banner": banner, "unit": unit, "weight": weight})
    grouped = ["unit", "stub", "banner"]
    polars = best(lambda: frame.group_by(grouped).agg(pl.col("weight").sum(), pl.len().alias("n")), repeat)
    base_duck = duckdb.connect()
    base_duck.register("arrow_cases", frame.to_arrow())
    base_duck.execute("create table cases as select * from arrow_cases")
    query = "select unit, stub, banner, sum(weight), count(*) from cases group by unit, stub, banner"
    duck = best(lambda: base_duck.execute(query).fetchnumpy(), repeat)

    found = tally(stub, banner, unit, weight, (psus, rows, columns))
    key = (unit.astype(np.int64) * rows + stub) * columns + banner
    np.testing.assert_allclose(found.w.ravel(), np.bincount(key, weight, psus * rows * columns), rtol=1e-9)
    assert stratum[-1] == strata - 1
    print(
        f"Crosstab of 5 x 8 cells, {strata} strata, {psus:,} PSUs, {n:,} cases; one plain pass "
        f"{base * 1e3:.1f} ms"
    )
    row("  tally / one plain pass", ours / base, "under 2")
    row("  the same group-by in DuckDB / tally", duck / ours, "5 or more")
    row("  the same group-by in Polars / tally", polars / ours, "5 or more")


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--cases", type=int, default=5_000_000)
    parser.add_argument("--repeat", type=int, default=5)
    args = parser.parse_args()
    rng = np.random.default_rng(7)
    crosstab(args.cases, args.repeat, rng)


if __name__ == "__main__":
    main()
