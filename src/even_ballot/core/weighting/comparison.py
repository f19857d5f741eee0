"""Several weightings of one study side by side: their health, how near they come to every margin, what
they make of answers."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from even_ballot.core.data.dataset import Dataset
from even_ballot.core.faults import fault
from even_ballot.core.numerics.arrays import Floats
from even_ballot.core.weighting.margins import LaidMargin
from even_ballot.core.weighting.raking import Raked


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


def _summary(name: str | None, w: Floats) -> WeightSummary:
    live = w[w > 0]
    effective = float(live.sum() ** 2 / (live @ live))
    mean = live.mean()
    return WeightSummary(
        name,
        len(live),
        effective,
        effective / len(live),
        float(live.min() / mean),
        float(live.max() / mean),
        float(live.sum()),
    )


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


def _gaps(data: Dataset, raked: Sequence[Raked], weights: Sequence[Floats]) -> list[MarginGap]:
    found = []
    for source, laid, names in _margins(raked):
        category = laid.category[source.combos.index]
        there = category >= 0
        gaps, labels = [], []
        for w in weights:
            sums = np.bincount(category[there], weights=w[there], minlength=len(laid.target))
            apart = np.abs(sums / sums.sum() - laid.target)
            worst = int(apart.argmax())
            gaps.append(float(apart[worst]))
            labels.append(laid.label(data, worst))
        found.append(MarginGap(tuple(names), laid.margin.by, tuple(gaps), tuple(labels)))
    return found


def _rows(data: Dataset, name: str, weights: Sequence[Floats]) -> list[ComparedRow]:
    variable = data.variable(name, "variables")
    column = data.column(name, "variables")
    if variable.kind == "number":
        y, there = np.where(column.answered, column.values, 0.0), column.answered
        means = [
            float((w * there * y).sum() / (w * there).sum()) if (w * there).sum() > 0 else None
            for w in weights
        ]
        return [ComparedRow(name, variable.title, None, "mean", tuple(means))]
    if variable.kind != "coded":
        raise fault(
            f"{name} is a {variable.kind}; shares and means are compared.",
            "variables",
            "Choose coded variables or numbers.",
        )
    positions = data.positions(name)
    there = positions >= 0
    codes = data.categories(name)[0]
    sums = [np.bincount(positions[there], weights=w[there], minlength=len(codes)) for w in weights]
    found = []
    for i, item in enumerate(codes):
        shares = tuple(float(s[i] / s.sum()) if s.sum() > 0 else None for s in sums)
        found.append(ComparedRow(name, variable.title, item.code, item.label, shares))
    return found


def compare(data: Dataset, raked: Sequence[Raked], variables: Sequence[str]) -> Comparison:
    """Compares weightings over the same cases. variables: coded ones (shares of those who answered) and
    numbers (means)."""
    weights = [np.ones(data.n), *(r.weights for r in raked)]
    names = [None, *(r.frame.weighting.save_as for r in raked)]
    return Comparison(
        tuple(_summary(name, w) for name, w in zip(names, weights, strict=True)),
        tuple(_gaps(data, raked, weights)),
        tuple(row for name in variables for row in _rows(data, name, weights)),
    )
