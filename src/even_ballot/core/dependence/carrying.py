"""What of a figure's variance cases, first-stage units and strata carry.

The variance is that of Σ w z (Särndal, Swensson and Wretman, ch. 5); a case counts w z in it, a unit the sum
of its cases, and a stratum its own part of the sum. With `calibrated` z is its residual on the margins.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from even_ballot.core.data.dataset import Dataset
from even_ballot.core.faults import fault
from even_ballot.core.lazy import lazy
from even_ballot.core.numerics.arrays import Floats, Ints
from even_ballot.core.numerics.parts import Looks
from even_ballot.core.sampling.sample import Sample, SamplePart
from even_ballot.core.tables.stubs.case_terms import CaseTerms


@dataclass(frozen=True)
class CarryingUnit:
    """A case or a first-stage unit. records: of its cases; name: the unit's, of its clusters; stratum: which;
    contribution: w z of the case, or what the unit adds to the variance under the root."""

    records: Ints
    stratum: int
    contribution: float
    name: str = ""


Heavy = tuple[float, int, int]
"""A case's w z, its record and its stratum."""


@dataclass(frozen=True)
class Carrying:
    """A figure's contributions. wz: for every part of the sample w z of its cases, (n,)."""

    sample: Sample
    wz: Sequence[Floats]

    @lazy
    def by_unit(self) -> Floats:
        """Σ w z by row of tallies, (U,): by first-stage unit, or by stratum and group where every case is
        one."""
        rows = self.sample.units.rows
        return self.sample.merged(
            lambda part, wz: np.bincount(part.unit, weights=wz, minlength=rows).astype(np.float64), self.wz
        )

    @lazy
    def _mean(self) -> Floats:
        """T̄_h, (H,)."""
        units = self.sample.units
        sums = np.bincount(units.stratum, weights=self.by_unit, minlength=len(units.psus))
        return np.asarray(sums / units.psus)

    @lazy
    def _apart(self) -> Floats:
        """What each unit adds to the variance under the root: √((1 − f_h) n_h/(n_h − 1)) (T_hi − T̄_h), (U,).
        Its squares add up to the variance, where no stratum has one unit only."""
        h, units = self.sample.units.stratum, self.sample.units
        return np.asarray((self.by_unit - self._mean[h]) * np.sqrt(units.factor[h]))

    @lazy
    def by_stratum(self) -> Floats:
        """Each stratum's part of the variance, (H,)."""
        units = self.sample.units
        strata = len(units.psus)
        if not units.own:
            return np.bincount(units.stratum, weights=self._apart**2, minlength=strata).astype(np.float64)

        def spread(part: SamplePart, wz: Floats) -> Floats:
            h = units.stratum[part.unit]
            return np.bincount(h, weights=(wz - self._mean[h]) ** 2, minlength=strata).astype(np.float64)

        return np.asarray(units.factor * self.sample.merged(spread, self.wz))

    def cases(self, first: int) -> list[CarryingUnit]:
        """Those that contribute most, so many, the largest first."""
        stratum = self.sample.units.stratum

        def look(part: SamplePart, wz: Floats) -> list[Heavy]:
            some = _largest(wz, first)
            found = zip(wz[some], part.data.rows[some], stratum[part.unit[some]], strict=True)
            return [(float(of), int(record), int(h)) for of, record, h in found if of]

        def add(a: list[Heavy], b: list[Heavy]) -> list[Heavy]:
            return sorted([*a, *b], key=lambda heavy: (-abs(heavy[0]), heavy[1]))[:first]

        found = add(self.sample.merged(look, self.wz, add=add), [])
        return [CarryingUnit(np.array([record]), h, of) for of, record, h in found]

    def units(self, first: int, clusters: Sequence[str]) -> list[CarryingUnit]:
        """The first-stage units that add most, the largest first; none where every case is one. clusters: the
        variables that name them."""
        units = self.sample.units
        if units.own:
            return []
        found = []
        for k in _largest(self._apart, first).tolist():
            records, name = self._unit(k, clusters)
            found.append(CarryingUnit(records, int(units.stratum[k]), float(self._apart[k]), name))
        return found

    def _unit(self, k: int, clusters: Sequence[str]) -> tuple[Ints, str]:
        """The records of a unit's cases, ascending, and what it is called: its clusters' answers."""

        def look(part: SamplePart) -> tuple[Ints, str]:
            at = np.flatnonzero(part.unit == k)
            name = " · ".join(_entry(part.data, of, int(at[0])) for of in clusters) if len(at) else ""
            return part.data.rows[at], name

        records, name = self.sample.merge(
            lambda a, b: (np.concatenate([a[0], b[0]]), a[1] or b[1]), Looks(self.sample.parts, look)
        )
        return np.sort(records), name


def _largest(values: Floats, first: int) -> Ints:
    return np.argsort(-np.abs(values), kind="stable")[:first]


def _entry(data: Dataset, name: str, at: int) -> str:
    column, scale = data.column(name), data.scale_of(name)
    if data.variable(name).kind == "text":
        return column.words[int(column.values[at])]
    labels = {code.code: code.label for code in scale.codes} if scale else {}
    return labels.get(int(column.values[at]), f"{column.values[at]:g}")


def carrying(sample: Sample, terms: CaseTerms) -> Carrying:
    """w z of a figure's cases, by linearisation.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> from even_ballot.core.tables.table_request import TableRequest
    >>> from even_ballot.core.tables.results import StubKey
    >>> from even_ballot.core.tables.shared import SharedCounts
    >>> from even_ballot.core.tables.stubs.case_terms import case_terms
    >>> shared = SharedCounts(sampled(ferry(), Design(), "w"))
    >>> request = TableRequest(id="t", stub=("age",), show=("mean",))
    >>> found = carrying(shared.sample, case_terms(shared, request, StubKey("age"), (), "mean"))
    >>> bool(abs(found.wz[0].sum()) < 1e-12)
    True
    """
    if terms.b is None:
        z: Sequence[Floats] = terms.a
    else:
        sums = sample.merged(
            lambda part, a, b: np.array([part.weight @ a, part.weight @ b]), terms.a, terms.b
        )
        top, whole = sums.tolist()
        if not whole:
            raise fault("The figure has no cases.", "", "Ask for one that has.")
        z = [(a - top / whole * b) / whole for a, b in zip(terms.a, terms.b, strict=True)]
    explained = _explained(sample, z)
    if explained is not None:
        z = [of - by for of, by in zip(z, explained, strict=True)]
    return Carrying(sample, sample.each(lambda part, of: part.weight * of, z))


def _explained(sample: Sample, z: Sequence[Floats]) -> Sequence[Floats] | None:
    """x′B for every part, (n,), what the margins explain of z where errors account for raking; else None."""
    residuals = sample.units.residuals
    if residuals is None:
        return None
    starts = np.concatenate([[0], np.cumsum(residuals.sizes)]).astype(np.int64)
    margins = range(len(residuals.sizes))

    def sums(part: SamplePart, of: Floats) -> Floats:
        found = np.zeros(starts[-1])
        assert part.margins is not None
        for m in margins:
            category = part.margins.category(m)
            there = category >= 0
            np.add.at(found, category[there] + starts[m], (part.margins.column(m) * of)[there])
        return found

    fitted = residuals.columns.T @ (residuals.inverse @ (residuals.columns @ sample.merged(sums, z)))

    def explained(part: SamplePart) -> Floats:
        found = np.zeros(len(part.weight))
        assert part.margins is not None
        for m in margins:
            category, value = part.margins.category(m), part.margins.value
            of = np.where(category >= 0, fitted[np.maximum(category, 0) + starts[m]], 0.0)
            column = value[m] if value else None
            found += of if column is None else of * column
        return found

    return sample.each(explained)
