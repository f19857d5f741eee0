"""Models and calibration to numbers on many cases, as ratios in one run: to what a plain NumPy Newton on the
whole matrix takes for the estimates alone; replicates to one fit; calibration to plain passes.

    .venv/bin/python benchmarks/models.py [--cases 1000000] [--columns 20] [--calibrated 5000000]
"""

import argparse
import time
import tracemalloc
from collections.abc import Callable
from typing import Any

import numpy as np
from measuring import row

from even_ballot.core.calibration.weighted_sample import sampled
from even_ballot.core.data.codebook import Code, Scale, Variable
from even_ballot.core.data.dataset import ANSWERED, Column, Dataset
from even_ballot.core.models.model import fitted_model
from even_ballot.core.models.model_request import ModelRequest
from even_ballot.core.numerics.compiled import prepare
from even_ballot.core.sampling.design import Design
from even_ballot.core.weighting.raking import rake
from even_ballot.core.weighting.weighting import Margin, Target, Weighting


def dataset(columns: dict[str, np.ndarray]) -> Dataset:
    """Cases of numbers and codes."""
    n = len(next(iter(columns.values())))
    state = np.full(n, ANSWERED, np.uint8)
    made, variables, scales = {}, {}, {}
    for name, values in columns.items():
        made[name] = Column(values, state)
        if values.dtype.kind == "i":
            found = np.unique(values).tolist()
            scales[name] = Scale(codes=tuple(Code(code=c, label=f"{name} {c}") for c in found))
            variables[name] = Variable(name=name, kind="coded", scale=name)
        else:
            variables[name] = Variable(name=name, kind="number")
    return Dataset(np.arange(1, n + 1), made, variables, scales)


def timed(work: Callable[[], Any]) -> float:
    """Seconds of the best of two."""
    seconds = []
    for _ in range(2):
        start = time.perf_counter()
        work()
        seconds.append(time.perf_counter() - start)
    return min(seconds)


def plain(x: np.ndarray, y: np.ndarray, w: np.ndarray) -> np.ndarray:
    """A logistic model by Newton's method on the whole matrix: estimates alone."""
    beta = np.zeros(x.shape[1])
    for _ in range(50):
        p = 1 / (1 + np.exp(-x @ beta))
        step = np.linalg.solve((x * (w * p * (1 - p))[:, None]).T @ x, x.T @ (w * (y - p)))
        beta += step
        if np.abs(step).max() <= 1e-10:
            break
    return beta


def models(n: int, columns: int) -> None:
    rng = np.random.default_rng(3)
    numbers = columns - 10
    data = {f"x{j}": rng.normal(0, 1, n) for j in range(numbers)}
    codes = {"a": rng.integers(1, 6, n).astype(np.int32), "b": rng.integers(1, 7, n).astype(np.int32)}
    chance = 1 / (1 + np.exp(-(0.3 * data["x0"] - 0.2 * data["x1"] + 0.2 * (codes["a"] == 3) - 1)))
    event = (rng.random(n) < chance).astype(np.int32)
    more = {
        "h": (np.arange(n) * 50 // n + 1).astype(np.int32),
        "i": (np.arange(n) * 1000 // n + 1).astype(np.float64),
    }
    w = rng.lognormal(0, 0.3, n)
    cases = dataset({**data, **codes, **more, "event": event, "w": w})
    terms = tuple((name,) for name in (*data, *codes))
    request = ModelRequest(id="m", kind="logistic", outcome="event", event=(1,), terms=terms)
    design = Design(strata=("h",), clusters=("i",))
    sample = sampled(cases, design, "w")
    x = np.column_stack(
        [np.ones(n), *data.values(), *(codes[v] == c for v in codes for c in range(2, codes[v].max() + 1))]
    ).astype(np.float64)
    base = timed(lambda: plain(x, event.astype(float), w))
    ours = timed(lambda: fitted_model(sample, request))
    print(f"{n:,} cases x {x.shape[1]} columns, logistic, 1,000 clusters: plain {base:.2f} s")
    row("  with errors and joint tests / plain Newton, estimates alone", ours / base, "3 or less")
    tracemalloc.start()
    fitted_model(sample, request)
    peak = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    # What the variables themselves take as numbers is held once.
    row("  memory at its peak / the whole matrix", peak / x.nbytes, "0.1 or less")
    boot = Design(strata=("h",), clusters=("i",), variance={"method": "bootstrap", "count": 200, "seed": 1})
    again = sampled(cases, boot, "w")
    start = time.perf_counter()
    fitted_model(again, request)
    row("  200 bootstrap replicates / one fit", (time.perf_counter() - start) / ours, "40 or less")


def calibration(n: int) -> None:
    rng = np.random.default_rng(5)
    sizes = (2, 4, 5, 3, 6)
    codes = {f"m{k}": rng.integers(1, size + 1, n).astype(np.int32) for k, size in enumerate(sizes)}
    numbers = {"age": rng.normal(48, 16, n), "persons": rng.integers(1, 7, n).astype(np.float64)}
    cases = dataset({**codes, **numbers, "d": rng.lognormal(0, 0.3, n)})
    margins = []
    for k, size in enumerate(sizes):
        share = np.arange(1, size + 1) + 2.0
        targets = tuple(
            Target(at={f"m{k}": c + 1}, value=float(s)) for c, s in enumerate(share / share.sum())
        )
        margins.append(Margin(by=(f"m{k}",), targets=targets))
    for name, value in (("age", 47.0), ("persons", 3.4)):
        margins.append(Margin(total_of=name, as_="means", targets=(Target(at={}, value=value),)))
    weighting = Weighting(base="d", margins=tuple(margins))
    inputs = [*codes.values(), *numbers.values(), cases.column("d").values]
    one = timed(lambda: [of.sum() for of in inputs])
    ours = timed(lambda: rake(cases, weighting))
    print(f"{n:,} cases, five margins of categories and two numbers: a plain pass {one:.3f} s")
    row("  calibrated / plain passes", ours / one, "40 or less")


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--cases", type=int, default=1_000_000)
    parser.add_argument("--columns", type=int, default=20)
    parser.add_argument("--calibrated", type=int, default=5_000_000)
    asked = parser.parse_args()
    prepare()
    models(asked.cases, asked.columns)
    calibration(asked.calibrated)


if __name__ == "__main__":
    main()
