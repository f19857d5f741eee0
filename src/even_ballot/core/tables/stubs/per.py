"""A number per another, by column."""

from collections.abc import Sequence
from dataclasses import replace
from operator import or_
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.estimation.estimates import Estimates
from even_ballot.core.estimation.totals import ratios, whole
from even_ballot.core.numerics.arrays import Bools, Floats, Ints
from even_ballot.core.sampling.finishing import Moments
from even_ballot.core.sampling.sample import Sample
from even_ballot.core.sampling.units import Units
from even_ballot.core.tables.banner import BannerColumns, everybody
from even_ballot.core.tables.stubs.domain import Domain
from even_ballot.core.tables.stubs.moments import laid_moments


class NumberAcross(Protocol):
    """A number's cases across a banner entry: for every part its values, (n,)."""

    domain: Domain
    sample: Sample
    over: BannerColumns
    units: Units
    y: Sequence[Floats]

    def within(self, column: int) -> Sequence[Bools]:
        """For every part which cases are in a column, (n,), the total being column 0."""


class _PerColumn:
    """Moments of what depends on each column's own ratio, column by column."""

    def __init__(self, of: NumberAcross, x: Sequence[Floats], both: Sequence[Bools]) -> None:
        self.of, self.x, self.both = of, x, both
        self.everybody = everybody(of.sample)

    def laid(self, values: Sequence[Floats]) -> Moments:
        """Moments by column, the total first, of a number of the cases that answered both."""
        return laid_moments(self.of.domain.tally_number(values, self.both, self.of.over), self.of.over)

    def _of(self, ratio: Floats, index: NDArray[Any], number: int) -> tuple[Floats, Floats]:
        """y − R x and |y| + |R x| of a part's cases, R by category of the banner."""
        y, expected = self.of.y[number], ratio[index] * self.x[number]
        known = self.both[number]
        return np.where(known, y - expected, 0.0), np.where(known, np.abs(y) + np.abs(expected), 0.0)

    def moments(self, est: Floats) -> tuple[Moments, Moments]:
        """Of y − R x, and of |y| + |R x|, each column with its own R, (1 + C,)."""
        over, finite = self.of.over, np.where(np.isfinite(est), est, 0.0)
        columns: dict[int, tuple[Moments, Moments]] = {}
        members = (
            [[c] for c in range(over.columns)] if over.members is None else [list(m) for m in over.members]
        )
        alone = {m[0]: k for k, m in enumerate(members, start=1) if len(m) == 1}
        if alone:
            by_category = np.zeros(over.columns + 1)
            for category, k in alone.items():
                by_category[category] = finite[k]
            both = self._tallied(by_category, over.index, self.both, over)
            for category, k in alone.items():
                columns[k] = both[0].at(category), both[1].at(category)
        for k in range(len(est)):
            if k not in columns:
                who = [a & b for a, b in zip(self.of.within(k), self.both, strict=True)]
                found = self._tallied(finite[k : k + 1], self.everybody.index, who, self.everybody)
                columns[k] = found[0].at(0), found[1].at(0)
        each = [columns[k] for k in range(len(est))]
        return Moments.beside([a for a, _ in each]), Moments.beside([b for _, b in each])

    def _tallied(
        self, ratio: Floats, index: Sequence[NDArray[Any]], who: Sequence[Bools], over: Any
    ) -> tuple[Moments, Moments]:
        if len(ratio) == 1:
            index = [np.zeros(len(of), np.int8) for of in index]
        pairs = [self._of(ratio, of, number) for number, of in enumerate(index)]
        domain = self.of.domain
        return (
            domain.tally_number([a for a, _ in pairs], who, over),
            domain.tally_number([b for _, b in pairs], who, over),
        )


def ratios_of(of: NumberAcross, x: Sequence[Floats], both: Sequence[Bools]) -> tuple[Estimates, Ints]:
    """Ratios of a number to x in every column, the total first, and PSUs less strata of each. x, and who
    answered both: for every part, (n,).

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> from even_ballot.core.tables.table_request import TableRequest
    >>> from even_ballot.core.tables.tabulate import tabulate
    >>> request = TableRequest(id="t", stub=("age",), show=("ratio",), per="w")
    >>> [round(cell.est, 3) for cell in tabulate(sampled(ferry(), Design(), "w"), request).cells]
    [29.0]
    """
    made = _PerColumn(of, x, both)
    base = made.laid(x)
    y = [np.where(who, values, 0.0) for values, who in zip(of.y, both, strict=True)]
    top = made.laid(y)
    with np.errstate(all="ignore"):
        est = whole(top).sum(0) / whole(base).sum(0)
    apart, size = made.moments(est)
    absolute = None
    below = of.sample.merge(or_, [bool((values < 0).any()) for values in x])
    if of.units.replicates is not None and below:
        absolute = whole(made.laid([np.abs(values) for values in x])).sum(0)
    found = ratios(est, replace(apart, counts=base.counts), size, base, of.units, absolute)
    assert base.df is not None
    return found, base.df
