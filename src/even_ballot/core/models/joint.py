"""Two variables held against each other as they were answered: weighted shares by place of the one and the
other, numbers in steps."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial
from itertools import pairwise

import numpy as np

from even_ballot.core.estimation.quantiles import Ranks, ranks_of, unweighted_quantile
from even_ballot.core.models.terms import Measured, complete, measured
from even_ballot.core.numerics.arrays import Bools, Floats, Ints
from even_ballot.core.sampling.case_values import summed
from even_ballot.core.sampling.sample import Sample

_MOST, _CODES = 12, 40


@dataclass(frozen=True)
class JointAxis:
    """A variable's places in order, each by its label."""

    variable: str
    title: str
    labels: tuple[str, ...]


@dataclass(frozen=True)
class Joint:
    """across, down: the two variables; shares: of everybody who answered both, a row for each place of
    `down`, ascending; n: the cases."""

    across: JointAxis
    down: JointAxis
    shares: tuple[tuple[float, ...], ...]
    n: int


def nice_edges(low: float, high: float, most: int = _MOST) -> Floats:
    """Ends of at most so many steps of 1, 2 or 5 times a power of ten that cover low to high.

    >>> nice_edges(3.0, 58.0).tolist()
    [0.0, 5.0, 10.0, 15.0, 20.0, 25.0, 30.0, 35.0, 40.0, 45.0, 50.0, 55.0, 60.0]
    """
    size = 10.0 ** np.floor(np.log10((high - low) / most))
    for step in (size, 2 * size, 5 * size, 10 * size, 20 * size):
        first, last = np.floor(low / step), np.floor(high / step) + 1
        if last - first <= most:
            break
    return np.asarray(np.arange(first, last + 1) * step)


class _Places:
    """Where each value of a variable stands: among its codes or few values, or among steps."""

    def __init__(self, sample: Sample, name: str, where: str, ranks: Ranks | None, n: int) -> None:
        variable = sample.head.variable(name, where)
        self.edges: Floats | None = None
        values = np.zeros(0) if ranks is None else ranks.distinct()
        if values is not None and variable.kind == "coded" and len(values) <= _CODES:
            known = {item.code: item.label for item in sample.head.categories(name)[0]}
            labels = [known.get(int(value), f"{value:g}") for value in values]
        elif values is not None and len(values) <= _MOST:
            labels = [f"{value:,g}" for value in values]
        else:
            assert ranks is not None
            self.edges, labels = _steps(ranks, n)
        self.values = values
        self.axis = JointAxis(name, variable.title, tuple(labels))

    def of(self, values: Ints | Floats) -> Ints:
        """The place of each value."""
        if self.edges is None:
            assert self.values is not None
            return np.searchsorted(self.values, values)
        found = np.searchsorted(self.edges, values, side="right") - 1
        return np.clip(found, 0, len(self.axis.labels) - 1)


def _steps(ranks: Ranks, n: int) -> tuple[Floats, list[str]]:
    """Steps by what most have; the few beyond stand in the outer ones."""
    least, most = ranks.quantile(0), ranks.quantile(1)
    low, high = (unweighted_quantile(ranks, n, q) for q in (0.02, 0.98))
    edges = nice_edges(low, high) if high > low else nice_edges(least, most)
    labels = [f"{a:,g} to {b:,g}" for a, b in pairwise(edges)]
    if least < edges[0]:
        labels[0] = f"under {edges[1]:,g}"
    if most >= edges[-1]:
        labels[-1] = f"{edges[-2]:,g} or more"
    return edges, labels


def _answers(one: Measured, number: int, who: Bools) -> tuple[Floats, Floats]:
    found = np.asarray(one.values[number][who], np.float64)
    return found, np.ones(len(found))


def joint(
    sample: Sample, across: str, down: str, inside: Sequence[Bools] | None = None, where: str = "variables"
) -> Joint:
    """Two variables by place, over the cases that answered both. inside: for every part the cases of a
    filter, (n,). Raises StudyError where one is neither a number nor coded.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> found = joint(sampled(ferry(), Design(), "w"), "isle", "crosses")
    >>> found.across.labels, found.n, round(sum(map(sum, found.shares)), 12)
    (('Hask', 'Orran'), 6, 1.0)
    """
    of = [measured(sample, name, where) for name in (across, down)]
    who, _, _ = complete(sample, of, inside)
    n = sample.count(who)
    places = []
    for one in of:
        parts = [partial(_answers, one, number, at) for number, at in enumerate(who)]
        places.append(_Places(sample, one.name, where, ranks_of(parts, sample.merge), n))
    columns, rows = (max(len(place.axis.labels), 1) for place in places)

    def weigh(number: int, at: Ints) -> Floats:
        x, y = (place.of(one.values[number][at]) for place, one in zip(places, of, strict=True))
        w = sample.parts[number].weight[at]
        return np.bincount(y * columns + x, weights=w, minlength=rows * columns).astype(np.float64)

    sums = summed(sample, who, weigh, (rows * columns,)).reshape(rows, columns)
    whole = sums.sum()
    shares = sums / whole if whole > 0 else sums
    return Joint(places[0].axis, places[1].axis, tuple(tuple(row) for row in shares.tolist()), n)
