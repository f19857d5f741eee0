"""Speed of weighting, as ratios within one run: raking to five margins, within limits, and replicates raked
again.

    .venv/bin/python benchmarks/weighting.py [--cases 5000000] [--repeat 5]

One plain pass is NumPy's sum of each input array in its own type, one after the other. Every time is the
best of `repeat` runs, after one that warms up.
"""

import argparse
import time

import numpy as np
from measuring import best, plain_pass, row

from even_ballot.core.calibration.reweighting import made_again
from even_ballot.core.data.codebook import Code, Scale, Variable
from even_ballot.core.data.dataset import Column, Dataset, number_column
from even_ballot.core.sampling.replicates import bootstrap
from even_ballot.core.weighting.raking import rake
from even_ballot.core.weighting.report import at_limits
from even_ballot.core.weighting.weighting import Limits, Margin, Target, Weighting

SIZES = (2, 6, 10, 4, 5)


def case_by_case(
    columns: list[np.ndarray], targets: list[np.ndarray], base: np.ndarray, cycles: int
) -> np.ndarray:
    """Raking as a textbook puts it: every cycle visits every case."""
    w = base / base.sum()
    for _ in range(cycles):
        for column, target in zip(columns, targets, strict=True):
            w *= (target / np.bincount(column, w, len(target)))[column]
    return w * len(w)


def sample(
    n: int, rng: np.random.Generator, base: np.ndarray
) -> tuple[Dataset, Weighting, list[np.ndarray], list[np.ndarray]]:
    """Cases with five margins; answers of one person hang together (here by a common trait), as those in
    real margins do."""
    trait = rng.normal(size=n)
    columns = []
    for k in SIZES:
        score = 0.6 * trait + 0.8 * rng.normal(size=n)
        columns.append(np.searchsorted(np.quantile(score, np.arange(1, k) / k), score).astype(np.int8))
    targets = [rng.dirichlet(np.full(k, 20.0)) for k in SIZES]
    state = np.zeros(n, np.uint8)
    data_columns, variables, scales = {}, {}, {}
    for i, (column, k) in enumerate(zip(columns, SIZES, strict=True)):
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
    return data, Weighting(base="base", margins=margins, tolerance=1e-10), columns, targets


def raking(n: int, repeat: int, rng: np.random.Generator) -> None:
    base = rng.gamma(4, 0.25, n)
    data, weighting, columns, targets = sample(n, rng, base)
    raked = rake(data, weighting)
    plain = best(lambda: plain_pass([*columns, base]), repeat)
    ours = best(lambda: rake(data, weighting), repeat)
    slow = best(lambda: case_by_case(columns, targets, base, raked.cycles), max(1, repeat // 3))
    expected = case_by_case(columns, targets, base, raked.cycles)
    np.testing.assert_allclose(raked.weights, expected, rtol=1e-8)
    print(
        f"Raking to five margins of {SIZES}, {n:,} cases, {raked.cycles} cycles; one plain pass "
        f"{plain * 1e3:.1f} ms"
    )
    row("  raking / one plain pass", ours / plain, "under 15")
    row("  raking case by case in NumPy / raking", slow / ours, "20 or more")
    limited = weighting.model_copy(update={"limits": Limits(low=0.3, high=2.5)})
    held = rake(data, limited)
    assert held.converged
    assert held.weights.max() < 2.5 + 1e-9
    print(f"The same within limits of 0.3 and 2.5: {at_limits(held):,} cases on a limit, {held.cycles} steps")
    row(
        "  within limits, every base weight another / one plain pass",
        best(lambda: rake(data, limited), repeat) / plain,
        "under 60",
    )
    few = sample(n, rng, rng.choice(rng.gamma(4, 0.25, 400), n))
    assert rake(few[0], limited).converged
    row(
        "  within limits, 400 distinct base weights / one plain pass",
        best(lambda: rake(few[0], limited), repeat) / plain,
        "under 60",
    )


def again(n: int, psus: int, replicates: int, repeat: int, rng: np.random.Generator) -> None:
    data, weighting, _, _ = sample(n, rng, rng.gamma(4, 0.25, n))
    unit = np.sort(rng.integers(0, psus, n)).astype(np.int32)
    stratum = (np.arange(psus) * 50 // psus).astype(np.int32)
    counts = np.bincount(stratum).astype(np.int64)
    factors = bootstrap(stratum, counts, np.zeros(50), replicates, 1)
    for name, spec in (
        ("", weighting),
        (", within limits", weighting.model_copy(update={"limits": Limits(low=0.2, high=4)})),
    ):
        raked = rake(data, spec)
        found, (again,) = made_again((raked,), factors, (unit,))
        assert not found.failed.any()
        seconds = best(lambda spec=spec, raked=raked: made_again((raked,), factors, (unit,)), repeat)
        one = best(lambda spec=spec: rake(data, spec), repeat)
        print(
            f"{replicates} replicates raked again{name}, {n:,} cases in {psus:,} PSUs: {seconds:.2f} s, "
            "goal 3 s without limits"
        )
        row("  raked again / as many rakings of the whole sample", seconds / (replicates * one), "-")
        start = time.perf_counter()
        sums = again.sums(data.positions("m1").astype(np.int64), None, 6)
        found.rows(sums, np.bincount(data.positions("m1"), raked.weights, 6))
        row(
            "  then all replicates of a table of 6 cells / raking them",
            (time.perf_counter() - start) / seconds,
            "-",
        )


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--cases", type=int, default=5_000_000)
    parser.add_argument("--repeat", type=int, default=5)
    args = parser.parse_args()
    rng = np.random.default_rng(7)
    raking(args.cases, args.repeat, rng)
    again(100_000, 1_000, 200, 1, rng)


if __name__ == "__main__":
    main()
