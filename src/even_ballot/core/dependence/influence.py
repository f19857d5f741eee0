"""The cases, first-stage units and strata that carry a figure: what stands behind its standard error.

A figure's variance is that of Σ w z (Särndal, Swensson and Wretman, ch. 5); a case counts w z in it, a unit
the sum of its cases, and a stratum its own part of the sum. With `calibrated` z is its residual on the
margins.
"""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from functools import partial

import numpy as np

from even_ballot.core.data.dataset import Dataset
from even_ballot.core.dependence.comparing import by_key
from even_ballot.core.dependence.depends import Depending
from even_ballot.core.faults import StudyError, fault
from even_ballot.core.lazy import lazy
from even_ballot.core.numerics.arrays import Bools, Floats, Ints
from even_ballot.core.sampling.sample import Sample
from even_ballot.core.sampling.units import Units
from even_ballot.core.study.nodes import Node, key_of
from even_ballot.core.study.pipeline import Pipeline
from even_ballot.core.tables.results import BannerPath, Cell, StubKey
from even_ballot.core.tables.stubs.case_terms import CaseTerms, case_terms

FIRST = 12
"""Cases and units that are shown, and whose exact figure is worked out."""


@dataclass(frozen=True)
class Contributions:
    """w z of every case, (n,), and the row of each among the units, (n,); where every case is a unit of its
    own its row is its stratum's."""

    wz: Floats
    row: Ints
    units: Units

    @lazy
    def by_unit(self) -> Floats:
        """Σ w z by first-stage unit: T_hi, (U,), in the order of strata."""
        if self.units.own:
            return self.wz[np.argsort(self._stratum, kind="stable")]
        return np.bincount(self.row, weights=self.wz, minlength=self.units.rows).astype(np.float64)

    @property
    def _stratum(self) -> Ints:
        """The stratum of each case, (n,)."""
        return np.asarray(self.units.stratum[self.row], np.int64)

    @lazy
    def stratum_of_unit(self) -> Ints:
        """The stratum of each unit, (U,)."""
        if self.units.own:
            return np.sort(self._stratum, kind="stable")
        return np.asarray(self.units.stratum, np.int64)

    @lazy
    def apart(self) -> Floats:
        """What each unit adds to the variance under the root: √((1 − f_h) n_h/(n_h − 1)) (T_hi − T̄_h), (U,).
        Its squares add up to the variance, where no stratum has one unit only."""
        h, units = self.stratum_of_unit, self.units
        mean = np.bincount(h, weights=self.by_unit, minlength=len(units.psus)) / units.psus
        return np.asarray((self.by_unit - mean[h]) * np.sqrt(units.factor[h]))

    @lazy
    def by_stratum(self) -> Floats:
        """Each stratum's part of the variance, (H,)."""
        return np.bincount(
            self.stratum_of_unit, weights=self.apart**2, minlength=len(self.units.psus)
        ).astype(np.float64)


def contributions(sample: Sample, terms: CaseTerms) -> Contributions:
    """w z of a figure's cases, by linearisation.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> from even_ballot.core.tables.request import TableRequest
    >>> from even_ballot.core.tables.shared import SharedCounts
    >>> shared = SharedCounts(sampled(ferry(), Design(), "w"))
    >>> request = TableRequest(id="t", stub=("age",), show=("mean",))
    >>> found = contributions(shared.sample, case_terms(shared, request, StubKey("age"), (), "mean"))
    >>> bool(abs(found.wz.sum()) < 1e-12)
    True
    """
    weight = np.concatenate([part.weight for part in sample.parts])
    a = np.concatenate(terms.a)
    if terms.b is None:
        z = a
    else:
        b = np.concatenate(terms.b)
        whole = float(weight @ b)
        if not whole:
            raise fault("The figure has no cases.", "", "Ask for one that has.")
        z = (a - float(weight @ a) / whole * b) / whole
    row = np.concatenate([part.unit for part in sample.parts]).astype(np.int64)
    return Contributions(weight * (z - _explained(sample, z)), row, sample.units)


def _explained(sample: Sample, z: Floats) -> Floats:
    """x′B, (n,), what the margins explain of z where errors account for raking; else 0."""
    residuals = sample.units.residuals
    if residuals is None:
        return np.zeros(len(z))
    starts = np.concatenate([[0], np.cumsum(residuals.sizes)]).astype(np.int64)
    sums, at = np.zeros(starts[-1]), 0
    pieces = []
    for part in sample.parts:
        assert part.margins is not None
        own = slice(at, at + len(part.weight))
        at = own.stop
        for m in range(len(residuals.sizes)):
            category = part.margins.category[m]
            there = category >= 0
            np.add.at(sums, category[there] + starts[m], (part.margins.column(m) * z[own])[there])
        pieces.append(own)
    fitted = residuals.columns.T @ (residuals.inverse @ (residuals.columns @ sums))
    found = np.zeros(len(z))
    for part, own in zip(sample.parts, pieces, strict=True):
        assert part.margins is not None
        for m in range(len(residuals.sizes)):
            category, value = part.margins.category[m], part.margins.value
            explained = np.where(category >= 0, fitted[np.maximum(category, 0) + starts[m]], 0.0)
            column = value[m] if value else None
            found[own] += explained if column is None else explained * column
    return found


@dataclass(frozen=True)
class InfluentialUnit:
    """A case or first-stage unit. name: the unit's, of its clusters; records: of its cases, the first of
    them; stratum: its name; in_se: its
    contribution in standard errors of the figure; without: the exact figure without it, everything worked
    out again; change: without less the figure."""

    name: str
    records: tuple[int, ...]
    cases: int
    stratum: str
    contribution: float
    in_se: float | None
    without: float | None = None
    change: float | None = None


@dataclass(frozen=True)
class InfluentialStratum:
    """A stratum and its part of the variance."""

    name: str
    units: int
    share: float


@dataclass(frozen=True)
class Influence:
    """What carries a figure: its cases, units (none where every case is one) and strata, the largest first.
    linearised_se: the standard error that these contributions make, which replicates may put otherwise."""

    est: float
    se: float | None
    linearised_se: float
    cases: tuple[InfluentialUnit, ...]
    units: tuple[InfluentialUnit, ...]
    strata: tuple[InfluentialStratum, ...]


class _Without(Pipeline):
    """A study without some cases, whose records are given: what comes before is kept."""

    def __init__(self, base: Pipeline, keep: object, records: Ints) -> None:
        super().__init__(base.study, base.inputs, keep, states=True)  # type: ignore[arg-type]
        self._base, self._records = base, records

    @lazy
    def cases(self) -> Node[Dataset]:
        """The cases after the ledger, without those."""
        before = self._base.cases
        key = key_of("without", before.key, self._records.tobytes().hex())
        return Node(key, before.value.where(~np.isin(before.value.rows, self._records)))


def influence_steps(
    of: Depending, at: int, stub: StubKey, banner: BannerPath, stat: str, first: int = FIRST
) -> Iterator[float | Influence]:
    """How far it has got, as shares, and at last the cases, units and strata that carry a figure of a table.
    at: the table's place among the study's. first: how many cases and units, for which the exact figure
    without them is worked out. Raises StudyError.

    >>> from even_ballot.core.data.example import ferry_answers
    >>> from even_ballot.core.study.pipeline import given
    >>> from even_ballot.core.study.study_file import parse_study
    >>> table = {"id": "t", "stub": ["age"], "show": ["mean"]}
    >>> study = parse_study({"source": {"path": "a.csv"}, "tables": [table]})
    >>> whole = Depending(study, given(study, ferry_answers(), {}).inputs)
    >>> share, found = influence_steps(whole, 0, StubKey("age"), (), "mean", 1)
    >>> share, found.cases[0].records, round(found.cases[0].without, 2)
    (0.0, (6,), 43.5)
    """
    pipeline, request = of.base, of.study.tables[at]
    shared = pipeline.shared.value
    terms = case_terms(shared, request, stub, banner, stat, f"tables[{at}]")
    found = contributions(shared.sample, terms)
    cell = _cell(pipeline, at, stub, banner, stat)
    names = shared.units.names
    records = np.concatenate([part.data.rows for part in shared.sample.parts])
    h = found.units.stratum[found.row]
    exact = partial(_exact, of, at, (stub, banner, stat))
    shown = _Shown(cell, names, exact)
    heavy = [k for k in _largest(found.wz, first) if found.wz[k]]
    heavy_units = [] if found.units.own else _largest(found.apart, first)
    cases, units, whole = list[InfluentialUnit](), list[InfluentialUnit](), len(heavy) + len(heavy_units)
    for k in heavy:
        yield len(cases) / whole
        cases.append(shown.unit(records[[k]], int(h[k]), float(found.wz[k])))
    for k in heavy_units:
        yield (len(cases) + len(units)) / whole
        mine = found.row == k
        name = _cluster(shared.sample, of.study.design.clusters, mine)
        h_k = int(found.stratum_of_unit[k])
        units.append(shown.unit(records[mine], h_k, float(found.apart[k]), name))
    variance = float(found.by_stratum.sum())
    strata = tuple(
        InfluentialStratum(names[k], int(found.units.psus[k]), float(found.by_stratum[k] / variance))
        for k in np.argsort(-found.by_stratum, kind="stable")
        if variance > 0
    )
    yield Influence(cell.est, cell.se, variance**0.5, tuple(cases), tuple(units), strata)


def _cluster(sample: Sample, clusters: Sequence[str], mine: Bools) -> str:
    """What a unit is called: its clusters' answers."""
    at = int(np.flatnonzero(mine)[0]) if mine.any() else -1
    for part in sample.parts if at >= 0 else ():
        if at < part.data.n:
            return " · ".join(_entry(part.data, name, at) for name in clusters)
        at -= part.data.n
    return ""


def _entry(data: Dataset, name: str, at: int) -> str:
    column, scale = data.column(name), data.scale_of(name)
    if data.variable(name).kind == "text":
        return column.words[int(column.values[at])]
    labels = {code.code: code.label for code in scale.codes} if scale else {}
    return labels.get(int(column.values[at]), f"{column.values[at]:g}")


def _largest(values: Floats, first: int) -> list[int]:
    return [int(k) for k in np.argsort(-np.abs(values), kind="stable")[:first]]


def _cell(pipeline: Pipeline, at: int, stub: StubKey, banner: BannerPath, stat: str) -> Cell:
    if (cell := by_key(pipeline.table(at)).get((stub, banner, stat))) is not None:
        return cell
    raise fault("The table has no such figure.", f"tables[{at}]", "Ask for one of its own figures.")


def _exact(of: Depending, at: int, key: tuple[StubKey, BannerPath, str], records: Ints) -> float | None:
    try:
        return _cell(_Without(of.base, of.keeping(), records), at, *key).est
    except StudyError:
        return None


@dataclass(frozen=True)
class _Shown:
    """Makes what is shown of a case or a unit."""

    cell: Cell
    names: Sequence[str]
    exact: Callable[[Ints], float | None]

    def unit(self, records: Ints, stratum: int, contribution: float, name: str = "") -> InfluentialUnit:
        without = self.exact(records)
        return InfluentialUnit(
            name,
            tuple(int(r) for r in records[:20]),
            len(records),
            self.names[stratum] if stratum < len(self.names) else "",
            contribution,
            contribution / self.cell.se if self.cell.se else None,
            without,
            None if without is None else without - self.cell.est,
        )
