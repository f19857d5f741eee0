"""A study run: what its nodes come to, put together.

The command line goes straight through it; the server asks for what it needs, and keeps every node by its key.
"""

from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.data.cases import Cases
from even_ballot.core.data.dataset import Dataset, RawTable
from even_ballot.core.disclosure.tables import (
    report_without,
)
from even_ballot.core.faults import StudyError
from even_ballot.core.models.analysis import ANALYSES, AnalysisPart
from even_ballot.core.screening import Finding
from even_ballot.core.study.graph import Graph
from even_ballot.core.study.nodes import (
    Given,
)
from even_ballot.core.study.results import FaultyTable, Results
from even_ballot.core.study.study_file import Study
from even_ballot.core.study.uses import weight_name
from even_ballot.core.tables.results import TableResult
from even_ballot.core.weighting.report import WeightingReport

_SINGLE = ("coded", "number")


def _unanswered(study: Study, cases: Cases) -> dict[str, int]:
    """How many cases left each single question of the tables' stubs unanswered."""
    head = cases.head
    asked = dict.fromkeys(name for request in study.tables for name in request.stub)
    names = [name for name in asked if name in head.columns and head.variables[name].kind in _SINGLE]

    def seen(part: Dataset) -> NDArray[np.int64]:
        return np.array([np.count_nonzero(~part.column(name).answered) for name in names], np.int64)

    return dict(zip(names, cases.merged(seen).tolist(), strict=True))


class Pipeline(Graph):
    """A study with all that a run of it finds out."""

    def notable(self) -> Results:
        """What a methods note is written from: everything but findings and tables; weightings that could be
        made."""
        return self._found((), self.weighed.value.made.reports, ())

    def results(self) -> Results:
        """Everything. A table that cannot be made leaves the others standing; where none can, that is
        raised."""
        findings = () if self.ledgered.value.fault else self.findings
        reports = self.weighted.value.reports
        tables: list[TableResult] = []
        faulty: list[FaultyTable] = []
        if self.study.tables:
            # What is wrong with the cases, their weights or their design is wrong with every table.
            _ = self.shared
        with self._telling(None) as tell:
            for at, request in enumerate(self.study.tables):
                tell(f"Counting {request.title or request.id}", at / len(self.study.tables))
                try:
                    tables.append(self.table(at))
                except StudyError as error:
                    faulty.append(FaultyTable(request.id, request.title or request.id, error.faults))
        models, scales, pairs = (self._analysed(part, faulty) for part in ANALYSES)
        if faulty and not (tables or models or scales or pairs):
            raise StudyError(fault for table in faulty for fault in table.faults)
        found = replace(
            self._found(findings, reports, tuple(tables)),
            faulty=tuple(faulty),
            models=models,
            reliability=scales,
            correlations=pairs,
        )
        below = self.study.suppression.below
        if below is None:
            return found
        pattern = self.pattern.value
        reports = tuple(report_without(report, pattern, below) for report in reports)
        return replace(found, weightings=reports, control=self.control)

    def _analysed(self, part: AnalysisPart, faulty: list[FaultyTable]) -> tuple[Any, ...]:
        """All analyses of a kind that can be made; those that cannot are added to `faulty`."""
        found = []
        for at, request in enumerate(getattr(self.study, part)):
            try:
                found.append(self.analysis(part, at))
            except StudyError as error:
                faulty.append(FaultyTable(request.id, request.name, error.faults, part))
        return tuple(found)

    def _guessed_kinds(self) -> dict[str, str]:
        """Kinds of the columns that the codebook does not list."""
        book = self.study.codebook.variables
        listed = {name for variable in book for name in (variable.name, *variable.parts)}
        return {
            name: variable.kind for name, variable in self.start.value.variables.items() if name not in listed
        }

    def _found(
        self,
        findings: tuple[Finding, ...],
        reports: tuple[WeightingReport, ...],
        tables: tuple[TableResult, ...],
    ) -> Results:
        sample, cases = self.designed.value, self.weighed.value.cases
        return Results(
            self._received(),
            sample.n,
            self.ledgered.value.effects,
            findings,
            reports,
            sample.units,
            weight_name(self.study),
            tables,
            self._held(cases),
            sample,
            kinds=self._guessed_kinds(),
            weightless=sample.count([part.weight <= 0 for part in sample.parts]),
            unanswered=_unanswered(self.study, cases),
        )

    def _held(self, cases: Cases) -> Dataset:
        return cases.whole()


def given(
    study: Study,
    raw: RawTable,
    lookups: Mapping[str, RawTable],
    part: Callable[[Dataset], Cases] = Cases.of,
) -> Pipeline:
    """A study on answers that are handed over: what its cases are made of is let go once they are made.

    >>> from even_ballot.core.data.example import ferry_answers
    >>> from even_ballot.core.study.study_file import parse_study
    >>> given(parse_study({"source": {"path": "answers.csv"}}), ferry_answers(), {}).cases.value.n
    8
    """
    return Pipeline(study, Given(raw, lookups), part=part)


def run(
    study: Study,
    raw: RawTable,
    lookups: Mapping[str, RawTable],
    part: Callable[[Dataset], Cases] = Cases.of,
) -> Results:
    """From raw answers to tables; part: how the cases after the ledger are parted. Raises StudyError with
    what is at fault and where.

    >>> from even_ballot.core.data.example import ferry_answers
    >>> from even_ballot.core.study.study_file import parse_study
    >>> step = {"do": "drop_cases", "where": "age < 20"}
    >>> study = parse_study({"source": {"path": "answers.csv"}, "ledger": [step]})
    >>> run(study, ferry_answers(), {}).used_cases
    7
    """
    return given(study, raw, lookups, part).results()
