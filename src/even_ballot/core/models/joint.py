"""Two variables held against each other as they were answered: weighted shares by place of the one and the
other, numbers in steps."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from even_ballot.core.models.terms import complete, measured
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

    def __init__(self, sample: Sample, name: str, where: str, seen: Ints | Floats) -> None:
        variable = sample.head.variable(name, where)
        self.edges: Floats | None = None
        self.values = np.unique(seen).astype(np.float64)
        if variable.kind == "coded" and len(self.values) <= _CODES:
            known = {item.code: item.label for item in sample.head.categories(name)[0]}
            labels = [known.get(int(value), f"{value:g}") for value in self.values]
        elif len(self.values) <= _MOST:
            labels = [f"{value:,g}" for value in self.values]
        else:
            # Steps by what most have; the few beyond stand in the outer ones.
            low, high = np.quantile(seen, [0.02, 0.98])
            if not high > low:
                low, high = self.values[0], self.values[-1]
            self.edges = nice_edges(float(low), float(high))
            labels = [f"{a:,g} to {b:,g}" for a, b in zip(self.edges[:-1], self.edges[1:], strict=True)]
            if self.values[0] < self.edges[0]:
                labels[0] = f"under {self.edges[1]:,g}"
            if self.values[-1] >= self.edges[-1]:
                labels[-1] = f"{self.edges[-2]:,g} or more"
        self.axis = JointAxis(name, variable.title, tuple(labels))

    def of(self, values: Ints | Floats) -> Ints:
        """The place of each value."""
        if self.edges is None:
            return np.searchsorted(self.values, values)
        found = np.searchsorted(self.edges, values, side="right") - 1
        return np.clip(found, 0, len(self.axis.labels) - 1)


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
    places = [
        _Places(
            sample,
            one.name,
            where,
            np.concatenate([v[at] for v, at in zip(one.values, who, strict=True)]),
        )
        for one in of
    ]
    columns, rows = (max(len(place.axis.labels), 1) for place in places)

    def weigh(number: int, at: Ints) -> Floats:
        x, y = (place.of(one.values[number][at]) for place, one in zip(places, of, strict=True))
        w = sample.parts[number].weight[at]
        return np.bincount(y * columns + x, weights=w, minlength=rows * columns).astype(np.float64)

    sums = summed(sample, who, weigh, (rows * columns,)).reshape(rows, columns)
    whole = sums.sum()
    shares = sums / whole if whole > 0 else sums
    n = sum(int((at & (part.weight > 0)).sum()) for at, part in zip(who, sample.parts, strict=True))
    return Joint(places[0].axis, places[1].axis, tuple(tuple(row) for row in shares.tolist()), n)
