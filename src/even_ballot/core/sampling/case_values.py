"""Linearised values that are known case by case, and sums over the weights of every replicate, block by
block: nothing of the size of the cases times the estimates is ever held."""

from collections.abc import Callable, Iterator, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.faults import fault
from even_ballot.core.numerics.arrays import Bools, Floats, Ints
from even_ballot.core.numerics.compiled import compiled
from even_ballot.core.numerics.parts import plus
from even_ballot.core.sampling.replicates import ByUnit, Replicates
from even_ballot.core.sampling.sample import Sample, SamplePart
from even_ballot.core.sampling.variance import covariance_of_own, covariance_of_totals

BLOCK = 1 << 13
_AT_ONCE, _LARGEST = 1 << 21, 1 << 33
Values = Callable[[int, Ints], Floats]
"""What some cases of a part have, (n, m): part number, cases."""


def blocks(inside: Bools) -> Iterator[Ints]:
    """The cases of a part that count, some thousands at a time.

    >>> [block.tolist() for block in blocks(np.array([True, False, True]))]
    [[0, 2]]
    """
    for start in range(0, len(inside), BLOCK):
        found = np.flatnonzero(inside[start : start + BLOCK])
        if len(found):
            yield found + start


@compiled
def add_rows(row: Any, times: Any, values: Any, out: Any) -> None:
    """out[row] += times · values, values (n, m).

    >>> out = np.zeros((2, 1))
    >>> add_rows(np.array([1, 1]), np.array([2.0, 3.0]), np.ones((2, 1)), out)
    >>> out.tolist()
    [[0.0], [5.0]]
    """
    for k in range(row.shape[0]):
        for j in range(values.shape[1]):
            out[row[k], j] += times[k] * values[k, j]


def summed(sample: Sample, inside: Sequence[Bools], values: Values, shape: tuple[int, ...]) -> Floats:
    """What a function gives for every block of the cases that count, added up; of this shape.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> everybody = [np.ones(8, bool)]
    >>> float(summed(sampled(ferry(), Design(), "w"), everybody, lambda p, at: np.asarray(len(at) * 1.0), ()))
    8.0
    """

    def of(number: int, which: Bools) -> Floats:
        total = np.zeros(shape)
        for at in blocks(which):
            total += values(number, at)
        return total

    numbers = list(range(len(sample.parts)))
    return sample.merge(plus, [of(number, which) for number, which in zip(numbers, inside, strict=True)])


class _Rows:
    """Σ w z by rows of a sample, of values known case by case."""

    def __init__(self, sample: Sample, inside: Sequence[Bools], values: Values, estimates: int) -> None:
        self.sample, self.inside, self.values, self.m = sample, inside, values, estimates

    def _scattered(
        self, rows: int, where: Callable[[SamplePart, Ints], Iterator[tuple[NDArray[Any], Floats]]]
    ) -> Floats:
        """Σ by row; where: for a block the row of each of its cases, and what its values count."""

        def of(number: int, part: SamplePart, which: Bools) -> Floats:
            total = np.zeros((rows, self.m))
            for at in blocks(which):
                z = np.ascontiguousarray(self.values(number, at))
                for row, times in where(part, at):
                    add_rows(row, times, z, total)
            return total

        numbers = range(len(self.sample.parts))
        return self.sample.merge(
            plus, [of(n, p, w) for n, p, w in zip(numbers, self.sample.parts, self.inside, strict=True)]
        )

    def by_unit(self) -> Floats:
        """Σ w z by unit, (U, m)."""

        def where(part: SamplePart, at: Ints) -> Iterator[tuple[NDArray[Any], Floats]]:
            yield part.unit[at], part.weight[at]

        return self._scattered(self.sample.units.rows, where)

    def by_category(self) -> Floats:
        """Σ w x z of the cases that residuals are made from, by category of the margins, (J_all, m)."""
        residuals = self.sample.units.residuals
        assert residuals is not None
        starts = np.concatenate([[0], np.cumsum(residuals.sizes)]).astype(np.int64)

        def where(part: SamplePart, at: Ints) -> Iterator[tuple[NDArray[Any], Floats]]:
            assert part.margins is not None
            for m in range(len(residuals.sizes)):
                category, column = part.margins.category(m, at), part.margins.column(m)[at]
                there = category >= 0
                yield np.where(there, category + starts[m], 0), np.where(there, column, 0.0)

        return self._scattered(int(starts[-1]), where)

    def slope(self) -> Floats | None:
        """B, (J, m), where residuals are wanted."""
        residuals = self.sample.units.residuals
        return None if residuals is None else residuals.inverse @ (residuals.columns @ self.by_category())

    def of_own(self, fitted: Floats | None) -> tuple[Floats, Floats]:
        """Where every case is its own PSU: Σ factor_h f f′, (m, m), and Σ f by stratum, (H, m), f = w (z −
        x′B). fitted: (J_all, m), what each category of the margins takes off."""
        units = self.sample.units
        root = np.sqrt(units.factor)

        def of(number: int, part: SamplePart, which: Bools) -> tuple[Floats, Floats]:
            moment, totals = np.zeros((self.m, self.m)), np.zeros((len(units.psus), self.m))
            # With residuals a case without a value of its own still has one.
            everybody = which if fitted is None else which | (part.weight > 0)
            for at in blocks(everybody):
                z = np.zeros((len(at), self.m))
                mine = which[at]
                z[mine] = self.values(number, at[mine])
                f = part.weight[at, None] * (z if fitted is None else z - _explained(part, at, fitted, units))
                stratum = units.stratum[part.unit[at]]
                add_rows(stratum, np.ones(len(at)), f, totals)
                scaled = f * root[stratum, None]
                moment += scaled.T @ scaled
            return moment, totals

        numbers = range(len(self.sample.parts))
        return self.sample.merge(
            plus, [of(n, p, w) for n, p, w in zip(numbers, self.sample.parts, self.inside, strict=True)]
        )


def _explained(part: SamplePart, at: Ints, fitted: Floats, units: Any) -> Floats:
    """x′B of some cases, (n, m)."""
    assert part.margins is not None
    starts = np.concatenate([[0], np.cumsum(units.residuals.sizes)]).astype(np.int64)
    total = np.zeros((len(at), fitted.shape[1]))
    for m in range(len(units.residuals.sizes)):
        category = part.margins.category(m, at)
        there = category >= 0
        total[there] += fitted[category[there] + starts[m]]
    return total


def covariance(sample: Sample, inside: Sequence[Bools], values: Values, estimates: int) -> Floats:
    """The covariance matrix (m, m) of the weighted totals of z, by linearisation. inside: for every part the
    cases whose z is not 0, (n,); values: their z.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> sample = sampled(ferry(), Design(clusters=("boat",)), "w")
    >>> one = lambda p, at: np.ones((len(at), 1))
    >>> covariance(sample, [np.ones(8, bool)], one, 1).round(4).tolist()
    [[0.3333]]
    """
    units = sample.units
    rows = _Rows(sample, inside, values, estimates)
    slope = rows.slope()
    if units.own:
        fitted = None if slope is None or units.residuals is None else units.residuals.columns.T @ slope
        return covariance_of_own(*rows.of_own(fitted), units)
    totals = rows.by_unit()
    if slope is not None and units.residuals is not None:
        totals = totals - units.residuals.by_unit @ slope
    return covariance_of_totals(totals, units)


def absolute_moments(
    sample: Sample, inside: Sequence[Bools], values: Values, terms: Values, estimates: int
) -> Floats:
    """What a variance is of terms taken absolutely, (m,), to hold it against its rounding. values: z; terms:
    what it is made of, taken absolutely; where residuals are wanted |x′B| is added.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> sample = sampled(ferry(), Design(clusters=("boat",)), "w")
    >>> one = lambda p, at: np.ones((len(at), 1))
    >>> absolute_moments(sample, [np.ones(8, bool)], one, one, 1).round(4).tolist()
    [27.3333]
    """
    units, slope = sample.units, _Rows(sample, inside, values, estimates).slope()
    if not units.own:
        totals = _Rows(sample, inside, terms, estimates).by_unit()
        if slope is not None and units.residuals is not None:
            totals = totals + units.residuals.size @ np.abs(slope)
        return np.asarray(units.whole_factor[units.stratum] @ totals**2)
    fitted = None if slope is None or units.residuals is None else units.residuals.columns.T @ slope

    def squares(number: int, at: Ints) -> Floats:
        part, size = sample.parts[number], np.zeros((len(at), estimates))
        mine = inside[number][at]
        size[mine] = terms(number, at[mine])
        if fitted is not None:
            size += np.abs(_explained(part, at, fitted, units))
        factor = units.whole_factor[units.stratum[part.unit[at]]] * part.weight[at] ** 2
        return np.asarray(factor @ size**2)

    # With residuals a case without a value of its own still has one.
    everybody = inside if fitted is None else sample.each(lambda part, who: who | (part.weight > 0), inside)
    return summed(sample, everybody, squares, (estimates,))


class ReplicateWeights:
    """The weights of cases in some replicates.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design, Jackknifed
    >>> design = Design(clusters=("boat",), variance=Jackknifed(method="jackknife"))
    >>> weights = ReplicateWeights(sampled(ferry(), design, "w"), slice(0, 2))
    >>> weights.of(0, np.array([0, 7])).round(4).tolist()
    [[0.0, 1.3333], [1.3333, 1.3333]]
    """

    def __init__(self, sample: Sample, which: slice) -> None:
        self.sample, self.which = sample, which
        replicates = sample.units.replicates
        self._factor = (
            np.ascontiguousarray(replicates.factors()[which].T) if isinstance(replicates, ByUnit) else None
        )

    def of(self, number: int, at: Ints) -> Floats:
        """Those of some cases of a part, (n, R)."""
        part = self.sample.parts[number]
        if self._factor is not None:
            return np.asarray(part.weight[at, None] * self._factor[part.unit[at]])
        assert part.again is not None
        return part.again.weights_of(at)[:, self.which]


def replicate_sums(sample: Sample, inside: Sequence[Bools], values: Values, quantities: int) -> Floats:
    """Σ w q of the cases that count, in every replicate, (R, q); NaN in a replicate that has no weights.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design, Jackknifed
    >>> design = Design(clusters=("boat",), variance=Jackknifed(method="jackknife"))
    >>> one = lambda p, at: np.ones((len(at), 1))
    >>> sample = sampled(ferry(), design, "w")
    >>> replicate_sums(sample, [np.ones(8, bool)], one, 1).round(4).ravel().tolist()
    [9.3333, 9.3333, 8.6667, 8.6667]
    """
    replicates = sample.units.replicates
    assert replicates is not None
    if isinstance(replicates, ByUnit):
        by_unit = _Rows(sample, inside, values, quantities).by_unit()
        return replicates.totals(replicates.rows(by_unit))
    found = replicate_totals(sample, inside, lambda p, at, w, of: w.T @ values(p, at), (quantities,))
    if replicates.failed is not None:
        found[replicates.failed] = np.nan
    return found


def replicate_totals(
    sample: Sample,
    inside: Sequence[Bools],
    values: Callable[[int, Ints, Floats, slice], Floats],
    shape: tuple[int, ...],
) -> Floats:
    """What a function of a block and its weights in some replicates gives, (R, *shape), added up over the
    cases that count.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design, Jackknifed
    >>> design = Design(clusters=("boat",), variance=Jackknifed(method="jackknife"))
    >>> sample = sampled(ferry(), design, "w")
    >>> replicate_totals(sample, [np.ones(8, bool)], lambda p, at, w, of: w.sum(0), ()).round(4).tolist()
    [9.3333, 9.3333, 8.6667, 8.6667]
    """
    replicates = sample.units.replicates
    assert replicates is not None
    step = max(1, _AT_ONCE // BLOCK)

    if replicates.count * sample.n > _LARGEST:
        raise fault(
            f"{replicates.count:,} replicates of {sample.n:,} cases are more than can be worked on case by "
            "case.",
            "design.variance",
            "Use linearisation, or a bootstrap with fewer replicates.",
        )

    def of(which: slice) -> Floats:
        weights = ReplicateWeights(sample, which)
        count = len(replicates.c[which])
        return summed(sample, inside, lambda p, at: values(p, at, weights.of(p, at), which), (count, *shape))

    return np.concatenate([of(slice(k, k + step)) for k in range(0, replicates.count, step)])


def replicate_covariance(replicates: Replicates, again: Floats, full: Floats) -> Floats:
    """The covariance matrix (m, m) of estimates from those of the replicates, (R, m), and the full sample's;
    NaN for an estimate that a replicate cannot make.

    >>> from even_ballot.core.sampling.replicates import Factors
    >>> made = Factors(np.ones((2, 1)), np.array([0.5, 0.5]))
    >>> replicate_covariance(made, np.array([[1.0], [3.0]]), np.array([2.0])).tolist()
    [[1.0]]
    """
    counts = replicates.c > 0
    apart = (again - full)[counts]
    return np.asarray(apart.T @ (replicates.c[counts, None] * apart))
