"""Speed, as ratios within one run: the tally of a crosstab, and raking to five margins, 5,000,000 cases.

    .venv/bin/python benchmarks/first_light.py [--cases 5000000] [--repeat 5]

One plain pass is NumPy's sum of each input array in its own type, one after the other. Every time is the best of
`repeat` runs, after one that warms up.
"""

import argparse
import time
from collections.abc import Callable

import duckdb
import numpy as np
import polars as pl

from even_ballot.core.codebook import Code, Scale, Variable
from even_ballot.core.dataset import Column, Dataset, number_column
from even_ballot.core.tallies import tally
from even_ballot.core.weighting.raking import rake
from even_ballot.core.weighting.request import Margin, Target, Weighting


def best(action: Callable[[], object], repeat: int) -> float:
    """Seconds of the fastest of several runs."""
    action()
    times = []
    for _ in range(repeat):
        start = time.perf_counter()
        action()
        times.append(time.perf_counter() - start)
    return min(times)


def plain_pass(arrays: list[np.ndarray]) -> None:
    for array in arrays:
        array.sum()


def row(name: str, ratio: float, goal: str) -> None:
    print(f"{name:<62}{ratio:9.2f}   goal {goal}")


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
    print(f"Crosstab of 5 x 8 cells, {strata} strata, {psus:,} PSUs, {n:,} cases; one plain pass {base * 1e3:.1f} ms")
    row("  tally / one plain pass", ours / base, "under 2")
    row("  the same group-by in DuckDB / tally", duck / ours, "5 or more")
    row("  the same group-by in Polars / tally", polars / ours, "5 or more")


def case_by_case(columns: list[np.ndarray], targets: list[np.ndarray], base: np.ndarray, cycles: int) -> np.ndarray:
    """Raking as a textbook puts it: every cycle visits every case."""
    w = base / base.sum()
    for _ in range(cycles):
        for column, target in zip(columns, targets, strict=True):
            w *= (target / np.bincount(column, w, len(target)))[column]
    return w * len(w)


def raking(n: int, repeat: int, rng: np.random.Generator) -> None:
    sizes = (2, 6, 10, 4, 5)
    # Answers of one person hang together (here by a common trait), as those in real margins do.
    trait = rng.normal(size=n)
    columns = []
    for k in sizes:
        score = 0.6 * trait + 0.8 * rng.normal(size=n)
        columns.append(np.searchsorted(np.quantile(score, np.arange(1, k) / k), score).astype(np.int8))
    base = rng.gamma(4, 0.25, n)
    targets = [rng.dirichlet(np.full(k, 20.0)) for k in sizes]
    state = np.zeros(n, np.uint8)
    data_columns, variables, scales = {}, {}, {}
    for i, (column, k) in enumerate(zip(columns, sizes, strict=True)):
        name = f"m{i}"
        data_columns[name] = Column(column.astype(np.int32), state)
        variables[name] = Variable(name=name, kind="coded", scale=name)
        scales[name] = Scale(codes=tuple(Code(code=c, label=f"Category {c}") for c in range(k)))
    data_columns["base"] = number_column(base)
    variables["base"] = Variable(name="base", kind="number")
    data = Dataset(np.arange(n), data_columns, variables, scales)
    for name in scales:
        data.positions(name)
    margins = tuple(
        Margin(by=(f"m{i}",), targets=tuple(Target(at={f"m{i}": c}, value=float(v)) for c, v in enumerate(t)))
        for i, t in enumerate(targets)
    )
    weighting = Weighting(base="base", margins=margins, tolerance=1e-10)
    raked = rake(data, weighting)
    plain = best(lambda: plain_pass([*columns, base]), repeat)
    ours = best(lambda: rake(data, weighting), repeat)
    slow = best(lambda: case_by_case(columns, targets, base, raked.cycles), max(1, repeat // 3))
    expected = case_by_case(columns, targets, base, raked.cycles)
    np.testing.assert_allclose(raked.weights, expected, rtol=1e-8)
    print(f"Raking to five margins of {sizes}, {n:,} cases, {raked.cycles} cycles; one plain pass {plain * 1e3:.1f} ms")
    row("  raking / one plain pass", ours / plain, "under 15")
    row("  raking case by case in NumPy / raking", slow / ours, "20 or more")


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--cases", type=int, default=5_000_000)
    parser.add_argument("--repeat", type=int, default=5)
    args = parser.parse_args()
    rng = np.random.default_rng(7)
    crosstab(args.cases, args.repeat, rng)
    raking(args.cases, args.repeat, rng)


if __name__ == "__main__":
    main()
