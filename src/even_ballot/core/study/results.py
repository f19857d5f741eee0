"""Everything that a run of a study finds out, and results.json."""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from even_ballot import __version__
from even_ballot.core.data.cases import Cases
from even_ballot.core.data.dataset import Dataset
from even_ballot.core.disclosure.tables import (
    DisclosureControl,
)
from even_ballot.core.faults import Fault
from even_ballot.core.ledger import Effect
from even_ballot.core.models.results import CorrelationsResult, ModelResult, ReliabilityResult
from even_ballot.core.sampling.sample import Sample
from even_ballot.core.sampling.units import Units
from even_ballot.core.screening import Finding
from even_ballot.core.study.summary import Summary, summary_of
from even_ballot.core.tables.results import TableResult, as_json
from even_ballot.core.weighting.raking import Raked
from even_ballot.core.weighting.report import WeightingReport


@dataclass(frozen=True)
class Weighted:
    """The cases after the ledger and the weightings."""

    cases: Cases
    raked: tuple[Raked, ...]
    reports: tuple[WeightingReport, ...]


@dataclass(frozen=True)
class FaultyTable:
    """A table of the plan that could not be made, and why; the others are. part: of the study file that it
    stands in."""

    id: str
    title: str
    faults: tuple[Fault, ...]
    part: str = "tables"


@dataclass(frozen=True)
class Results:
    """Everything a run finds out. kinds: of columns that the codebook does not list, as they were guessed;
    guessed: how the source was read, as far as the study does not say; former: names in the study file that
    are read, but no longer written. data: the records, or, where they are in parts elsewhere, none of them;
    weightless: cases of weight 0; unanswered: of each single question of the tables, how many cases left it
    so."""

    source_cases: int
    used_cases: int
    effects: tuple[Effect, ...]
    findings: tuple[Finding, ...]
    weightings: tuple[WeightingReport, ...]
    units: Units
    weight: str | None
    tables: tuple[TableResult, ...]
    data: Dataset
    sample: Sample
    control: DisclosureControl | None = None
    kinds: Mapping[str, str] = field(default_factory=dict)
    guessed: Mapping[str, Any] = field(default_factory=dict)
    former: tuple[Fault, ...] = ()
    weightless: int = 0
    unanswered: Mapping[str, int] = field(default_factory=dict)
    faulty: tuple[FaultyTable, ...] = ()
    models: tuple[ModelResult, ...] = ()
    reliability: tuple[ReliabilityResult, ...] = ()
    correlations: tuple[CorrelationsResult, ...] = ()

    @property
    def summary(self) -> Summary:
        """What was guessed, not placed, out of scale, not met."""
        return summary_of(self.guessed, self.kinds, self.findings, self.weightings)

    @staticmethod
    def _refused(table: FaultyTable) -> dict[str, Any]:
        faults = [{"what": f.said, "where": f.where, "mend": f.mend} for f in table.faults]
        part = {} if table.part == "tables" else {"part": table.part}
        return {"id": table.id, "title": table.title, **part, "faults": faults}

    def _analyses(self) -> dict[str, Any]:
        """Models, scales of items and correlations, where the study has any."""
        parts = {"models": self.models, "reliability": self.reliability, "correlations": self.correlations}
        return {name: as_json(of) for name, of in parts.items() if of}

    def document(self) -> dict[str, Any]:
        """results.json."""
        ledger = [
            {
                "step": e.step,
                "do": e.do,
                "cases_before": e.cases_before,
                "cases_after": e.cases_after,
                "cells_changed": e.cells_changed,
                **({"unplaced": as_json(e.unplaced)} if e.unplaced else {}),
                **({"off": True} if e.off else {}),
            }
            for e in self.effects
        ]
        units = self.units
        psus = int(units.psus.sum())
        return {
            "even_ballot": 1,
            "version": __version__,
            "cases": {"source": self.source_cases, "used": self.used_cases},
            "ledger": ledger,
            "summary": as_json(self.summary),
            "findings": as_json([replace(finding, usual=None) for finding in self.findings]),
            "weightings": as_json(self.weightings),
            "design": {"strata": len(units.psus), "psus": psus, "df": units.degrees_of_freedom},
            "tables": as_json(self.tables),
            **self._analyses(),
            **({"faulty_tables": [self._refused(of) for of in self.faulty]} if self.faulty else {}),
            **({"disclosure_control": as_json(self.control)} if self.control is not None else {}),
        }
