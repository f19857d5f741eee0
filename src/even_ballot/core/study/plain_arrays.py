"""The computation on plain arrays, without a study: ratios, quantiles, crosstabs and raking, for an
engineer with NumPy arrays in hand. Each lays its arrays out as a study would, so the figures are the same
to the last digit."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

from even_ballot.core.calibration.weighted_sample import sampled
from even_ballot.core.data.cases import Cases
from even_ballot.core.data.codebook import Code, Scale, Variable
from even_ballot.core.data.dataset import Column, Dataset, number_column
from even_ballot.core.estimation import ratios
from even_ballot.core.estimation.quantiles import ranked
from even_ballot.core.numerics.arrays import Floats
from even_ballot.core.sampling.design import Design
from even_ballot.core.sampling.units import Units, by_case, units_of
from even_ballot.core.sampling.variance import variances
from even_ballot.core.tables.results import TableResult
from even_ballot.core.tables.table_request import TableRequest
from even_ballot.core.tables.tabulate import tabulate
from even_ballot.core.weighting import raking
from even_ballot.core.weighting.weighting import Margin, Target, Weighting


@dataclass(frozen=True)
class Estimate:
    """An estimate with its standard error, and the degrees of freedom of its design."""

    est: float
    se: float
    df: int


def _coded(name: str, values: ArrayLike) -> tuple[Variable, Column, Scale]:
    codes = np.asarray(values, np.int32)
    items = tuple(Code(code=int(c), label=str(c)) for c in np.unique(codes))
    variable = Variable(name=name, kind="coded", scale=name)
    return variable, Column(codes, np.zeros(len(codes), np.uint8)), Scale(codes=items)


def _dataset(n: int, **coded: ArrayLike | None) -> Dataset:
    data = Dataset(np.arange(1, n + 1), {}, {}, {})
    for name, values in coded.items():
        if values is not None:
            data = data.with_column(*_coded(name, values))
    return data


def _design(strata: ArrayLike | None, psu: ArrayLike | None) -> Design:
    return Design(
        single_psu="add_nothing",
        strata=("strata",) if strata is not None else (),
        clusters=("psu",) if psu is not None else (),
    )


def _designed(n: int, strata: ArrayLike | None, psu: ArrayLike | None) -> tuple[Units, NDArray[np.int32]]:
    """The design with each PSU a row of its own, and each case's row, (n,)."""
    cases = Cases.of(_dataset(n, strata=strata, psu=psu))
    units, (unit,) = by_case(*units_of(cases, _design(strata, psu)), cases)
    return units, unit


def ratio(
    a: ArrayLike,
    b: ArrayLike,
    weight: ArrayLike,
    strata: ArrayLike | None = None,
    psu: ArrayLike | None = None,
) -> Estimate:
    """Σ w a/Σ w b with its design-based standard error (Särndal, Swensson and Wretman, ch. 5).

    a, b, weight: (n,); strata, psu: integers (n,), a PSU's number read within its stratum; without them one
    stratum, and each case a PSU.

    >>> found = ratio([1, 0, 1, 1], [1, 1, 1, 1], [10, 10, 20, 20], strata=[1, 1, 2, 2])
    >>> round(found.est, 4), round(found.se, 4), found.df
    (0.8333, 0.1667, 2)
    """
    top, base, w = (np.asarray(x, np.float64) for x in (a, b, weight))
    units, unit = _designed(len(w), strata, psu)
    sums = [
        np.bincount(unit, weights=w * x, minlength=units.rows).astype(np.float64)[:, None]
        for x in (top, base, np.abs(top))
    ]
    r, linear = ratios.ratio(sums[0], sums[1], units, sums[2])
    return Estimate(float(r[0]), float(np.sqrt(variances(linear, units)[0])), units.degrees_of_freedom)


def quantile(y: ArrayLike, weight: ArrayLike, q: float) -> float:
    """The smallest value whose cumulative weight passes q of the whole; where one meets it, the mean with the
    next.

    >>> quantile([1, 2, 3, 4], [1, 1, 1, 1], 0.5)
    2.5
    >>> quantile([1, 2, 3], [1, 5, 1], 0.5)
    2.0
    """
    values, w = np.asarray(y, np.float64), np.asarray(weight, np.float64)
    return ranked(values[w > 0], w[w > 0]).quantile(q)


def crosstab(
    stub: ArrayLike,
    banner: ArrayLike,
    weight: ArrayLike,
    strata: ArrayLike | None = None,
    psu: ArrayLike | None = None,
    **request: Any,
) -> TableResult:
    """A table of codes by codes: every figure, interval and test that a study's table can ask for.

    stub, banner: integers (n,); request: what else a table says (`show`, `tests`, `interval`, …).

    >>> table = crosstab([1, 2, 1, 2, 1, 1], [1, 1, 1, 2, 2, 2], [1, 1, 1, 1, 1, 2], show=["col_pct"])
    >>> [(c.stub.code, c.banner[0].code, round(c.est, 3)) for c in table.cells if c.banner]
    [(1, 1, 0.667), (2, 1, 0.333), (1, 2, 0.75), (2, 2, 0.25)]
    """
    w = np.asarray(weight, np.float64)
    data = _dataset(len(w), stub=stub, banner=banner, strata=strata, psu=psu)
    data = data.with_column(Variable(name="weight", kind="number"), number_column(w))
    asked = TableRequest(id="table", stub=("stub",), banner=("banner",), **request)
    return tabulate(sampled(data, _design(strata, psu), "weight"), asked)


def rake(
    weight: ArrayLike, margins: Sequence[tuple[ArrayLike, Mapping[int, float]]], tolerance: float = 1e-10
) -> Floats:
    """Weights raked to margins, each categories (n,) with the share of each; Σ w stays what it was (Deming
    and Stephan, 1940). Raises StudyError where margins contradict the cases, ValueError where they cannot all
    be met.

    >>> w = rake([1, 1, 1, 1], [([1, 1, 2, 2], {1: 0.75, 2: 0.25}), ([1, 2, 1, 2], {1: 0.5, 2: 0.5})])
    >>> [round(x, 3) for x in w.tolist()]
    [1.5, 1.5, 0.5, 0.5]
    """
    base = np.asarray(weight, np.float64)
    names = [f"margin_{k}" for k in range(len(margins))]
    data = _dataset(len(base), **{name: of for name, (of, _) in zip(names, margins, strict=True)})
    data = data.with_column(Variable(name="base", kind="number"), number_column(base))
    asked = [
        Margin(by=(name,), targets=tuple(Target(at={name: c}, value=v) for c, v in shares.items()))
        for name, (_, shares) in zip(names, margins, strict=True)
    ]
    weighting = Weighting(base="base", margins=tuple(asked), tolerance=tolerance, scale_to=float(base.sum()))
    found = raking.rake(data, weighting)
    if not found.converged:
        raise ValueError(
            f"These margins cannot all be met: the largest gap is {found.max_gap:.2g} of the whole."
        )
    weights: NDArray[np.float64] = found.weights
    return weights
