"""Speed of tables, as ratios within one run: a large crosstab, how it grows with cases and replicates, 200
tables of the demo.

    .venv/bin/python benchmarks/tables.py [--cases 5000000] [--repeat 5]

One plain pass is NumPy's sum of each column used in its own type, one after the other. Every time is the
best of `repeat` runs, after one that warms up.
"""

import argparse
import time

import numpy as np
from measuring import best, plain_pass, row

from even_ballot.core.calibration.weighted_sample import sampled
from even_ballot.core.data.cases import Cases
from even_ballot.core.data.codebook import Code, Scale, Variable
from even_ballot.core.data.dataset import Column, Dataset, number_column
from even_ballot.core.disclosure.suppression import Suppression
from even_ballot.core.disclosure.tables import pattern_of, without_hidden
from even_ballot.core.sampling.design import Design
from even_ballot.core.tables.results import TableResult
from even_ballot.core.tables.shared import SharedCounts
from even_ballot.core.tables.table_request import TableRequest
from even_ballot.core.tables.tabulate import counted_table, tabulate
from even_ballot.demo import FILES
from even_ballot.services.running import run_file

PSUS, STRATA = 1_000, 50
NESTED = TableRequest(
    id="t", stub=("s",), banner=(("a", "b"),), show=("n", "count", "col_pct", "row_pct", "total_pct")
)


def sample(n: int, rng: np.random.Generator) -> Dataset:
    """A stub of 5 answers, a banner of 8 × 5, 1,000 PSUs in 50 strata."""
    state = np.zeros(n, np.uint8)
    sizes = {"s": 5, "a": 8, "b": 5}
    psu = rng.integers(0, PSUS, n)
    columns = {name: Column(rng.integers(1, k + 1, n).astype(np.int32), state) for name, k in sizes.items()}
    columns |= {"w": number_column(rng.gamma(4, 0.25, n)), "p": number_column(psu.astype(float))}
    columns["h"] = number_column((psu * STRATA // PSUS).astype(float))
    scales = {
        name: Scale(codes=tuple(Code(code=c, label=f"Answer {c}") for c in range(1, k + 1)))
        for name, k in sizes.items()
    }
    variables = {name: Variable(name=name, kind="number") for name in columns}
    variables |= {name: Variable(name=name, kind="coded", scale=name) for name in sizes}
    data = Dataset(np.arange(n), columns, variables, scales)
    for name in sizes:
        data.positions(name)
    return data


def crosstab(n: int, repeat: int, rng: np.random.Generator) -> None:
    times = {}
    design = {"strata": ("h",), "clusters": ("p",)}
    for cases in (n // 4, n // 2, n):
        data = sample(cases, rng)
        whole = sampled(data, Design(**design), "w")
        times[cases] = best(lambda whole=whole: tabulate(whole, NESTED), repeat)
    (part,) = whole.parts
    columns = [*(data.positions(name) for name in "sab"), part.unit, part.weight]
    plain = best(lambda: plain_pass(columns), repeat)
    print(
        f"Stub of 5, nested banner of 40, {PSUS:,} PSUs, per cents with errors, {n:,} cases; one plain "
        f"pass {plain * 1e3:.1f} ms"
    )
    row("  table / one plain pass over its columns", times[n] / plain, "under 4")
    row("  twice the cases: time by twice the time", times[n] / (2 * times[n // 2]), "about 1")
    row("  four times the cases: time by four times the time", times[n] / (4 * times[n // 4]), "about 1")
    eighths = Cases([data.where(np.arange(n) % 8 == k) for k in range(8)])
    parted = sampled(eighths, Design(**design), "w")
    seconds = best(lambda: tabulate(parted, NESTED), repeat)
    row("  in eight parts, merged / in one", seconds / times[n], "-")
    for count in (100, 500):
        again = sampled(data, Design(**design, variance={"method": "bootstrap", "count": count}), "w")
        seconds = best(lambda again=again: tabulate(again, NESTED), repeat)
        row(f"  with {count} bootstrap replicates / without", seconds / times[n], "under 2")


def demo(repeat: int) -> None:
    """Every question that has answers by the usual banner, and again by others, until there are 200."""
    study, results = run_file(FILES / "study.json")
    data = results.data
    coded = [
        name for name, v in data.variables.items() if v.kind == "coded" and name not in ("entry_status",)
    ]
    banners = [("sex", "age_band"), ("isle",), (("isle", "sex"),), ("tenure", "schooling"), ()]
    requests = [
        TableRequest(
            id=f"{name} {k}",
            stub=(name,),
            banner=banner,
            show=("n", "count", "col_pct", "row_pct"),
            tests=("columns",),
        )
        for k, banner in enumerate(banners * 4)
        for name in coded
    ][:200]
    sample = sampled(data, study.design, results.weight)

    def together() -> list[TableResult]:
        shared = SharedCounts(sample)
        return [counted_table(shared, request) for request in requests]

    repeat = max(1, repeat // 2)
    alone = best(lambda: [tabulate(sample, r) for r in requests], repeat)
    shared = best(together, repeat)
    tables = together()
    cells = sum(len(table.cells) for table in tables)
    print(
        f"{len(requests)} tables of the demo ({cells:,} figures with errors and intervals): {shared:.2f} "
        "s, goal 3 s"
    )
    row("  sharing their passes / each alone", shared / alone, "about 1 on so few cases")
    counts = SharedCounts(sample)
    began = time.perf_counter()
    pattern = pattern_of(counts, requests, Suppression(below=5))
    hidden = sum(
        len(without_hidden(counts, t, r, pattern).hidden or ()) for t, r in zip(tables, requests, strict=True)
    )
    seconds = time.perf_counter() - began
    groups = len(pattern.hidden.small), len(pattern.hidden.protecting)
    print(
        f"  cells of fewer than 5 cases hidden in all together: {seconds:.1f} s; {groups[0]:,} groups, and "
        f"{groups[1]:,} that"
    )
    print(f"  protect them, {hidden:,} figures")


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--cases", type=int, default=5_000_000)
    parser.add_argument("--repeat", type=int, default=5)
    args = parser.parse_args()
    crosstab(args.cases, args.repeat, np.random.default_rng(5))
    demo(args.repeat)


if __name__ == "__main__":
    main()
