"""Do 95 % intervals of models, scales of items, correlations, ratios and totals hold what they promise?
Samples from a made-up population, and how often the truth, worked out on everybody, lies between the limits.

    .venv/bin/python benchmarks/analysis_coverage.py [--samples 1000]

The population: 12 strata of 100 first-stage units of 30 people, alike within a unit. Each sample: 4 units of
a stratum, 12 people of a unit, 576 in all, 36 degrees of freedom; every person's weight is 62.5.
"""

import argparse
from collections.abc import Iterator

import numpy as np

from even_ballot.core.calibration.weighted_sample import sampled
from even_ballot.core.data.codebook import Code, Scale, Variable
from even_ballot.core.data.dataset import Column, Dataset, number_column
from even_ballot.core.models.correlations import correlations
from even_ballot.core.models.model import fitted_model
from even_ballot.core.models.model_request import CorrelationsRequest, ModelRequest, ReliabilityRequest
from even_ballot.core.models.reliability import reliability
from even_ballot.core.sampling.design import Bootstrapped, Design, Jackknifed
from even_ballot.core.sampling.sample import Sample
from even_ballot.core.tables.table_request import TableRequest
from even_ballot.core.tables.tabulate import tabulate

STRATA, UNITS, PEOPLE = 12, 100, 30
DRAWN, ASKED = 4, 12
WEIGHT = UNITS / DRAWN * PEOPLE / ASKED
YES = Scale(codes=(Code(code=0, label="No"), Code(code=1, label="Yes")))
ITEMS = ("q1", "q2", "q3", "q4")
LINEAR = ModelRequest(id="m", kind="linear", outcome="y", terms=(("x",), ("g",)))
LOGISTIC = ModelRequest(id="l", kind="logistic", outcome="event", event=(1,), terms=(("x",), ("g",)))
SCALE = ReliabilityRequest(id="r", items=ITEMS)
PEARSON = CorrelationsRequest(id="p", variables=("x", "y"))
SPEARMAN = CorrelationsRequest(id="s", variables=("x", "y"), method="spearman")
SKEWED = CorrelationsRequest(id="k", variables=("z", "y"))
PREDICTED = tuple(
    ModelRequest(id="a", kind=kind, outcome=outcome, event=event, terms=(("z",), ("g",)), predictions=("g",))  # type: ignore[arg-type]
    for kind, outcome, event in (("linear", "y", ()), ("logistic", "event", (1,)))
)
TABLE = TableRequest(id="t", stub=("y",), show=("total", "ratio"), per="x")


def regressed(x: np.ndarray, y: np.ndarray, logistic: bool) -> np.ndarray:
    """Coefficients of everybody, by plain Newton steps."""
    beta = np.zeros(x.shape[1])
    for _ in range(30 if logistic else 1):
        p = 1 / (1 + np.exp(-x @ beta)) if logistic else x @ beta
        curve = x * (p * (1 - p))[:, None] if logistic else x
        beta = beta + np.linalg.solve(curve.T @ x, x.T @ (y - p))
    return beta


class Population:
    """Everybody: arrays of (strata, units, people)."""

    def __init__(self, rng: np.random.Generator) -> None:
        shape = (STRATA, UNITS, PEOPLE)
        unit = rng.normal(size=(STRATA, UNITS, 1)) * 0.5 + 0.3 * rng.normal(size=(STRATA, 1, 1))
        trait = unit + rng.normal(size=shape)
        self.of = {
            "x": np.exp(0.4 * (trait + rng.normal(size=shape))),
            "g": (rng.random(shape) < 0.4).astype(float),
        }
        self.of["z"] = np.exp(trait + 0.5 * rng.normal(size=shape))
        noise = rng.normal(size=shape) * (1 + 0.5 * (self.of["x"] > 1)) + 0.5 * unit
        self.of["y"] = 10 + 2 * self.of["x"] + self.of["g"] + 2 * noise
        chance = 1 / (1 + np.exp(1 - 0.6 * self.of["x"] - 0.5 * self.of["g"] - 0.5 * unit))
        self.of["event"] = (rng.random(shape) < chance).astype(float)
        for name in ITEMS:
            self.of[name] = np.clip(np.round(3 + 0.8 * trait + 0.9 * rng.normal(size=shape)), 1, 5)
        flat = {name: values.ravel() for name, values in self.of.items()}
        x = np.stack([np.ones(flat["x"].size), flat["x"], flat["g"]], 1)
        linear, logit = (regressed(x, flat[name], name == "event") for name in ("y", "event"))
        s = np.cov(np.stack([flat[name] for name in ITEMS]))
        ranks = [np.argsort(np.argsort(flat[name])) for name in ("x", "y")]
        self.truth = {
            "slope of a linear model": linear[1], "category of a linear model": linear[2],
            "slope of a logistic model": logit[1], "category of a logistic model": logit[2],
            **self._predicted(flat),
            "Pearson's r, a very skewed variable": np.corrcoef(flat["z"], flat["y"])[0, 1],
            "Cronbach's α": 4 / 3 * (1 - np.trace(s) / s.sum()),
            "Pearson's r": np.corrcoef(flat["x"], flat["y"])[0, 1], "Spearman's r": np.corrcoef(*ranks)[0, 1],
            "ratio": flat["y"].sum() / flat["x"].sum(), "total": flat["y"].sum(),
        }  # fmt: skip

    def _predicted(self, flat: dict[str, np.ndarray]) -> dict[str, float]:
        """Average predictions of everybody with g = 1, from models with the very skewed variable."""
        x = np.stack([np.ones(flat["z"].size), flat["z"], flat["g"]], 1)
        told = x.copy()
        told[:, 2] = 1
        found = {}
        for kind, outcome in (("linear", "y"), ("logistic", "event")):
            eta = told @ regressed(x, flat[outcome], kind == "logistic")
            found[f"average prediction, {kind}"] = float(
                np.mean(1 / (1 + np.exp(-eta)) if kind == "logistic" else eta)
            )
        return found

    def sample(self, rng: np.random.Generator) -> Dataset:
        """Four units of each stratum, twelve people of each."""
        units = np.stack([rng.permutation(UNITS)[:DRAWN] for _ in range(STRATA)])
        people = np.argsort(rng.random((STRATA, DRAWN, PEOPLE)), axis=2)[:, :, :ASKED]
        at = np.arange(STRATA)[:, None, None], units[:, :, None], people
        h, i, _ = np.broadcast_arrays(*at)
        coded = {"g", "event"}
        state = np.zeros(h.size, np.uint8)
        columns = {
            name: Column(v[at].ravel().astype(np.int32), state)
            if name in coded
            else number_column(v[at].ravel())
            for name, v in self.of.items()
        }
        more = {"h": h.ravel(), "i": i.ravel(), "w": np.full(h.size, WEIGHT)}
        columns |= {name: number_column(np.asarray(v, float)) for name, v in more.items()}
        variables = {
            name: Variable(name=name, kind="coded", scale="yes")
            if name in coded
            else Variable(name=name, kind="number")
            for name in columns
        }
        return Dataset(np.arange(h.size), columns, variables, {"yes": YES})


def limits(sample: Sample) -> Iterator[tuple[str, float | None, float | None]]:
    """Both limits of everything."""
    for kind, request in (("linear", LINEAR), ("logistic", LOGISTIC)):
        _, slope, category = fitted_model(sample, request).coefficients
        yield f"slope of a {kind} model", slope.low, slope.high
        yield f"category of a {kind} model", category.low, category.high
    for request in PREDICTED:
        of_one = next(of for of in fitted_model(sample, request).predictions if of.code == 1)
        yield f"average prediction, {request.kind}", of_one.low, of_one.high
    (pair,) = correlations(sample, SKEWED).pairs
    yield "Pearson's r, a very skewed variable", pair.low, pair.high
    scale = reliability(sample, SCALE)
    yield "Cronbach's α", scale.low, scale.high
    for name, of in (("Pearson's r", PEARSON), ("Spearman's r", SPEARMAN)):
        (pair,) = correlations(sample, of).pairs
        yield name, pair.low, pair.high
    for cell in tabulate(sample, TABLE).cells:
        yield cell.stat, cell.low, cell.high


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--samples", type=int, default=1000)
    args = parser.parse_args()
    rng = np.random.default_rng(12)
    population = Population(rng)
    methods = {"linearisation": None, "jackknife": Jackknifed(method="jackknife"),
               "bootstrap of 100": Bootstrapped(method="bootstrap", count=100, seed=3)}  # fmt: skip
    covered = {(name, method): 0 for name in population.truth for method in methods}
    without = dict.fromkeys(covered, 0)
    for _ in range(args.samples):
        data = population.sample(rng)
        for method, variance in methods.items():
            more = {} if variance is None else {"variance": variance}
            design = Design(weight="w", strata=("h",), clusters=("i",), **more)
            for name, low, high in limits(sampled(data, design, "w")):
                if low is None or high is None:
                    # A replicate without an estimate leaves no interval.
                    without[name, method] += 1
                else:
                    covered[name, method] += low <= population.truth[name] <= high
    error = 100 * (0.95 * 0.05 / args.samples) ** 0.5
    print(f"{args.samples:,} samples of 576; coverage of 95 % intervals, % (± {error:.1f} by simulation)")
    print(f"{'':32}" + "".join(f"{method:>20}" for method in methods))
    for name in population.truth:
        print(
            f"{name:32}"
            + "".join(
                f"{100 * covered[name, method] / max(args.samples - without[name, method], 1):20.1f}"
                for method in methods
            )
        )
    print(f"without an interval: {sum(without.values()):,}")


if __name__ == "__main__":
    main()
