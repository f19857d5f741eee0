"""The cases, first-stage units and strata that carry a figure: what stands behind its standard error, and the
exact figure without them."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from functools import partial

import numpy as np

from even_ballot.core.data.dataset import Dataset
from even_ballot.core.dependence.carrying import CarryingUnit, carrying
from even_ballot.core.dependence.comparing import by_key
from even_ballot.core.dependence.depends import Depending
from even_ballot.core.faults import StudyError, fault
from even_ballot.core.lazy import lazy
from even_ballot.core.numerics.arrays import Ints
from even_ballot.core.study.nodes import Node, key_of
from even_ballot.core.study.pipeline import Pipeline
from even_ballot.core.tables.results import BannerPath, Cell, StubKey
from even_ballot.core.tables.stubs.case_terms import case_terms

FIRST = 12
"""Cases and units that are shown, and whose exact figure is worked out."""


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
    found = carrying(shared.sample, case_terms(shared, request, stub, banner, stat, f"tables[{at}]"))
    cell = _cell(pipeline, at, stub, banner, stat)
    names = shared.units.names
    shown = _Shown(cell, names, partial(_exact, of, at, (stub, banner, stat)))
    heavy, heavy_units = found.cases(first), found.units(first, of.study.design.clusters)
    each, whole = list[InfluentialUnit](), len(heavy) + len(heavy_units)
    for unit in (*heavy, *heavy_units):
        yield len(each) / whole
        each.append(shown.unit(unit))
    variance = float(found.by_stratum.sum())
    strata = tuple(
        InfluentialStratum(names[k], int(shared.units.psus[k]), float(found.by_stratum[k] / variance))
        for k in np.argsort(-found.by_stratum, kind="stable")
        if variance > 0
    )
    cases, units = tuple(each[: len(heavy)]), tuple(each[len(heavy) :])
    yield Influence(cell.est, cell.se, variance**0.5, cases, units, strata)


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

    def unit(self, of: CarryingUnit) -> InfluentialUnit:
        without = self.exact(of.records)
        return InfluentialUnit(
            of.name,
            tuple(int(r) for r in of.records[:20]),
            len(of.records),
            self.names[of.stratum] if of.stratum < len(self.names) else "",
            of.contribution,
            of.contribution / self.cell.se if self.cell.se else None,
            without,
            None if without is None else without - self.cell.est,
        )
