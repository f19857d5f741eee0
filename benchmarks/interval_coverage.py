"""Do 95 % intervals hold what they promise? Samples from a made-up population, and how often the truth lies
between the limits.

    .venv/bin/python benchmarks/interval_coverage.py [--samples 2000]

The population: 12 strata of 100 first-stage units of 30 people, with answers alike within a unit and
related to a known margin of four categories. Each sample: 4 units of a stratum, 12 people of a unit, 576
in all, 36 degrees of freedom. Weights: raked to the margin. With calibration the standard errors know
that; without, they do not.
"""

import argparse
from itertools import product

import numpy as np

from even_ballot.core.calibration.weighted_sample import sampled
from even_ballot.core.data.cases import Cases
from even_ballot.core.data.codebook import Code, Scale, Variable
from even_ballot.core.data.dataset import Column, Dataset, number_column
from even_ballot.core.estimation.intervals import Interval
from even_ballot.core.sampling.design import Design
from even_ballot.core.tables.table_request import TableRequest
from even_ballot.core.tables.tabulate import tabulate
from even_ballot.core.weighting.raking import rake, with_weight
from even_ballot.core.weighting.weighting import Margin, Target, Weighting

STRATA, UNITS, PEOPLE = 12, 100, 30
DRAWN, ASKED = 4, 12
METHODS = ("wald", "logit", "wilson", "beta")
REQUEST = TableRequest(id="t", stub=("half", "rare", "y"), show=("col_pct", "mean"))
YES = Scale(codes=(Code(code=0, label="No"), Code(code=1, label="Yes")))
FOUR = Scale(codes=tuple(Code(code=c, label=f"Part {c}") for c in range(1, 5)))


class Population:
    """Everybody: arrays of (strata, units, people)."""

    def __init__(self, rng: np.random.Generator) -> None:
        shape = (STRATA, UNITS, PEOPLE)
        unit = rng.normal(size=(STRATA, UNITS, 1))
        part = np.clip(np.floor(rng.random(shape) * 4 + 0.6 * unit * rng.random(shape)), 0, 3)
        trait = (
            0.4 * rng.normal(size=(STRATA, 1, 1)) + 0.35 * unit + 0.6 * (part - 1.5) + rng.normal(size=shape)
        )
        self.part = part.astype(int) + 1
        self.y = 20 + 6 * trait
        self.half = trait + 0.7 * rng.normal(size=shape)
        self.half = (self.half > np.median(self.half)).astype(int)
        rare = 0.8 * trait + rng.normal(size=shape)
        self.rare = (rare > np.quantile(rare, 0.97)).astype(int)
        self.truth = {"y": self.y.mean(), "half": self.half.mean(), "rare": self.rare.mean()}
        shares = np.bincount(self.part.ravel(), minlength=5)[1:] / self.part.size
        targets = tuple(Target(at={"part": c + 1}, value=float(s)) for c, s in enumerate(shares))
        self.weighting = Weighting(margins=(Margin(by=("part",), targets=targets),))

    def sample(self, rng: np.random.Generator) -> Dataset:
        """Four units of each stratum, twelve people of each."""
        units = np.stack([rng.permutation(UNITS)[:DRAWN] for _ in range(STRATA)])
        people = np.argsort(rng.random((STRATA, DRAWN, PEOPLE)), axis=2)[:, :, :ASKED]
        at = np.arange(STRATA)[:, None, None], units[:, :, None], people
        h, i, _ = np.broadcast_arrays(*at)
        n = h.size
        state = np.zeros(n, np.uint8)

        def coded(values: np.ndarray) -> Column:
            return Column(values.ravel().astype(np.int32), state)

        columns = {"h": number_column(h.ravel().astype(float)), "i": number_column(i.ravel().astype(float)),
                   "part": coded(self.part[at]), "half": coded(self.half[at]), "rare": coded(self.rare[at]),
                   "y": number_column(self.y[at].ravel())}  # fmt: skip
        coded_by = {"part": "four", "half": "yes", "rare": "yes"}
        variables = {name: Variable(name=name, kind="number") for name in columns}
        variables |= {
            name: Variable(name=name, kind="coded", scale=scale) for name, scale in coded_by.items()
        }
        return Dataset(np.arange(n), columns, variables, {"four": FOUR, "yes": YES})


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--samples", type=int, default=2000)
    args = parser.parse_args()
    rng = np.random.default_rng(11)
    population = Population(rng)
    covered: dict[tuple[str, str, bool], int] = {}
    width: dict[tuple[str, str, bool], float] = {}
    for _ in range(args.samples):
        data = population.sample(rng)
        raked = rake(data, population.weighting)
        cases = with_weight(Cases.of(data), raked, "")
        for calibrated in (False, True):
            design = Design(strata=("h",), clusters=("i",), calibrated=calibrated)
            sample = sampled(cases, design, "weight", [raked])
            for method in METHODS:
                request = REQUEST.model_copy(update={"interval": Interval(method=method)})
                for cell in tabulate(sample, request).cells:
                    name = cell.stub.variable
                    if cell.stub.code == 1 or (cell.stub.code is None and name == "y"):
                        assert cell.low is not None
                        assert cell.high is not None
                        key = (name, method if name != "y" else "t", calibrated)
                        truth = population.truth[name]
                        covered[key] = covered.get(key, 0) + (cell.low <= truth <= cell.high)
                        width[key] = width.get(key, 0.0) + cell.high - cell.low
    of = {"t": args.samples * len(METHODS)}
    print(
        f"{args.samples:,} samples of {STRATA * DRAWN * ASKED}; coverage of 95 % intervals in per cent, "
        "and their mean width"
    )
    print(f"{'':28}{'not calibrated':>24}{'calibrated':>24}")
    for name, method in [("y", "t"), *product(("half", "rare"), METHODS)]:
        cells = []
        for calibrated in (False, True):
            key, n = (name, method, calibrated), of.get(method, args.samples)
            cells.append(f"{100 * covered[key] / n:14.1f}{width[key] / n:10.4f}")
        truth = population.truth[name]
        print(f"{'mean' if name == 'y' else 'share'} {truth:8.3f}  {method:12}" + "".join(cells))


if __name__ == "__main__":
    main()
