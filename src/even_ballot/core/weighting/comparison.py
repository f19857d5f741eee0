"""Several weightings of one study side by side: their health, how near they come to every margin, what
they make of answers."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from even_ballot.core.data.cases import Cases
from even_ballot.core.data.dataset import Dataset
from even_ballot.core.faults import fault
from even_ballot.core.numerics.arrays import Floats, Ints
from even_ballot.core.sampling.effective_size import WeightSums, weight_sums
from even_ballot.core.weighting.laying.margins import LaidMargin
from even_ballot.core.weighting.raking import Raked

PartWeights = Sequence[Floats]
"""For every part the weight of each case, (n,)."""
_ROUNDING = 1e-9


@dataclass(frozen=True)
class WeightSummary:
    """A weight at a glance. name: None where every case counts the same. n: cases of positive weight; min,
    max: over the mean weight."""

    name: str | None
    n: int
    n_effective: float
    efficiency: float
    min: float
    max: float
    sum: float


@dataclass(frozen=True)
class MarginGap:
    """A margin of one or several weightings, and how far each weight is from its targets at most, as
    shares: `gaps` in the order of weights, `labels` the category where."""

    weightings: tuple[str, ...]
    by: tuple[str, ...]
    gaps: tuple[float, ...]
    labels: tuple[str, ...]


@dataclass(frozen=True)
class ComparedRow:
    """A share (with a code) or a mean under each weight; None where nobody counts."""

    variable: str
    title: str
    code: int | None
    label: str
    estimates: tuple[float | None, ...]


@dataclass(frozen=True)
class Comparison:
    """Weights: none at all, then each weighting's."""

    weights: tuple[WeightSummary, ...]
    margins: tuple[MarginGap, ...]
    rows: tuple[ComparedRow, ...]


def _summary(name: str | None, w: WeightSums) -> WeightSummary:
    return WeightSummary(name, w.n, w.effective, w.effective / w.n, w.min / w.mean, w.max / w.mean, w.sum)


def category_sums(cases: Cases, name: str, weights: Sequence[Floats]) -> Floats:
    """Σ w by category of a coded variable, of those who answered; weights: for every part, (n,).

    >>> from even_ballot.core.data.example import ferry
    >>> category_sums(Cases.of(ferry()), "isle", [np.ones(8)]).tolist()
    [3.0, 5.0]
    """
    size = len(cases.head.categories(name)[0])

    def sums(part: Dataset, w: Floats) -> Floats:
        positions = part.positions(name)
        there = positions >= 0
        return np.bincount(positions[there], weights=w[there], minlength=size).astype(np.float64)

    return cases.merged(sums, weights)


def _margins(raked: Sequence[Raked]) -> list[tuple[Raked, LaidMargin, list[str]]]:
    """Every margin there is, with the weightings that have it with the same targets."""
    found: list[tuple[Raked, LaidMargin, list[str]]] = []
    for each in raked:
        name = each.frame.weighting.save_as
        for laid in each.margins:
            same = (
                names
                for _, other, names in found
                if other.at == laid.at and np.allclose(other.target, laid.target, atol=1e-9)
            )
            names = next(same, None)
            if names is None:
                found.append((each, laid, [name]))
            else:
                names.append(name)
    return found


def _gaps(cases: Cases, raked: Sequence[Raked], weights: Sequence[PartWeights]) -> list[MarginGap]:
    found = []
    for source, laid, names in _margins(raked):

        def sums(part: Dataset, combo: Ints, w: Floats, of: LaidMargin = laid) -> Floats:
            category = of.category[combo]
            there = category >= 0
            return np.bincount(category[there], weights=w[there], minlength=len(of.target)).astype(np.float64)

        gaps, labels = [], []
        for each in weights:
            whole = cases.merged(sums, source.combos.index, each)
            apart = np.abs(whole / whole.sum() - laid.target)
            # Of gaps that only rounding tells apart, as the two of a margin of two, the first category's.
            worst = int(np.argmax(apart >= apart.max() - _ROUNDING))
            gaps.append(float(apart[worst]))
            labels.append(laid.label(cases.head, worst))
        found.append(MarginGap(tuple(names), laid.margin.by, tuple(gaps), tuple(labels)))
    return found


def _mean(cases: Cases, name: str, weights: PartWeights) -> float | None:
    """The weighted mean of a number, of those who answered."""

    def sums(part: Dataset, w: Floats) -> tuple[float, float]:
        column = part.column(name)
        of = w * column.answered
        return float((of * np.where(column.answered, column.values, 0.0)).sum()), float(of.sum())

    total, base = cases.merged(sums, weights)
    return total / base if base > 0 else None


def _rows(cases: Cases, name: str, weights: Sequence[PartWeights]) -> list[ComparedRow]:
    head = cases.head
    variable = head.variable(name, "variables")
    head.column(name, "variables")
    if variable.kind == "number":
        means = tuple(_mean(cases, name, each) for each in weights)
        return [ComparedRow(name, variable.title, None, "mean", means)]
    if variable.kind != "coded":
        raise fault(
            f"{name} is a {variable.kind}; shares and means are compared.",
            "variables",
            "Choose coded variables or numbers.",
        )
    sums = [category_sums(cases, name, each) for each in weights]
    found = []
    for i, item in enumerate(head.categories(name)[0]):
        shares = tuple(float(s[i] / s.sum()) if s.sum() > 0 else None for s in sums)
        found.append(ComparedRow(name, variable.title, item.code, item.label, shares))
    return found


def compare(data: Dataset | Cases, raked: Sequence[Raked], variables: Sequence[str]) -> Comparison:
    """Compares weightings over the same cases. variables: coded ones (shares of those who answered) and
    numbers (means).

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.weighting.raking import rake
    >>> from even_ballot.core.weighting.weighting import Margin, Target, Weighting
    >>> targets = tuple(Target(at={"isle": code}, value=0.5) for code in (1, 2))
    >>> weighting = Weighting(margins=(Margin(by=("isle",), targets=targets),))
    >>> rows = compare(ferry(), [rake(ferry(), weighting)], ["isle"]).rows
    >>> [(row.label, [round(share, 3) for share in row.estimates]) for row in rows]
    [('Hask', [0.375, 0.5]), ('Orran', [0.625, 0.5])]
    """
    cases = Cases.of(data)
    weights = [
        cases.each(lambda part: np.ones(part.n)),
        *(tuple(of.weights for of in r.parts) for r in raked),
    ]
    names = [None, *(r.frame.weighting.save_as for r in raked)]
    return Comparison(
        tuple(_summary(name, weight_sums(w, cases.merge)) for name, w in zip(names, weights, strict=True)),
        tuple(_gaps(cases, raked, weights)),
        tuple(row for name in variables for row in _rows(cases, name, weights)),
    )
