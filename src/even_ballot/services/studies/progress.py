"""How far a study gets, station by station, and what stops it."""

from dataclasses import dataclass

from sqlalchemy.orm import Session

from even_ballot.core.faults import Fault, StudyError, counted
from even_ballot.core.sampling.effective_size import WeightSums, weight_sums
from even_ballot.core.study.nodes import key_of
from even_ballot.core.tables.checks import request_faults
from even_ballot.core.weighting.report import WeightingReport
from even_ballot.services.states.study_states import Pipelines
from even_ballot.services.stations.views import Station, StudyCounts
from even_ballot.store.files import find_file
from even_ballot.store.studies import StudyState, dump_study


@dataclass(frozen=True)
class StudyProgress:
    """How far a study gets, station by station, in numbers, and what stops it."""

    stations: tuple[Station, ...]
    tally: StudyCounts
    faults: tuple[Fault, ...]


def progress_of(session: Session, pipelines: Pipelines, state: StudyState) -> StudyProgress:
    """How far a study gets; made once for a document and its files."""

    def made() -> StudyProgress:
        walk = _Walk(session, pipelines, state)
        return StudyProgress(walk.stations, walk.tally, walk.faults)

    return pipelines.once(key_of("progress", dump_study(state.study), state.files.dump()), made)


class _Walk:
    """From station to station."""

    def __init__(self, session: Session, pipelines: Pipelines, state: StudyState) -> None:
        self._session, self._pipelines, self._state = session, pipelines, state
        self._faults: list[Fault] = []
        self._file = find_file(session, state.files.source)
        self._in_use = self._file.records
        self._weights: WeightSums | None = None
        self._lost = self._unmet = False
        self._weight = state.study.design.weight
        self.stations = (
            Station("intake", "ok", counted(self._file.records, "case")),
            *self._prepared(),
            self._weighted(),
            *self._tabled(),
        )
        self.faults = tuple(self._faults)

    @property
    def tally(self) -> StudyCounts:
        """Where it stands, in numbers."""
        received, w = self._file.records, self._weights
        to, effective = (None, None) if w is None else (w.sum, w.effective)
        aside = received - self._in_use
        return StudyCounts(
            received, self._file.blank_records, aside, self._in_use, effective, to, self._weight
        )

    def _prepared(self) -> tuple[Station, Station]:
        """Codebook and screening."""
        try:
            ledgered = self._pipelines.ledgered(self._session, self._state)[1]
            self._in_use = ledgered.last.n
            variables = ledgered.last.variables
            coded = sum(v.kind == "coded" for v in variables.values())
            says = f"{counted(len(variables), 'variable')}, {coded} coded"
            codebook = Station("codebook", "ok" if coded else "empty", says)
            found = [f for f in self._pipelines.findings(self._session, self._state) if f.accepted is None]
        except StudyError as error:
            self._faults += error.faults
            return Station("codebook", "attention", "does not fit the data"), Station(
                "screening", "waiting", "waits"
            )
        says = counted(len(found), "finding") if found else "nothing found"
        self._lost = any(f.kind == "not_placed" for f in found)
        if ledgered.fault is not None:
            self._faults += ledgered.fault.faults
            says = f"entry {len(ledgered.states) + 1} of the ledger fails"
        return codebook, Station("screening", "attention" if found or ledgered.fault else "ok", says)

    def _weighted(self) -> Station:
        """Weights, then the design they are used in."""
        if self._faults:
            return _weighting_station((), True)
        try:
            reports = self._pipelines.weighted(self._session, self._state)[1].reports
        except StudyError as error:
            self._faults += error.faults
            return Station("weighting", "attention", "check the targets")
        self._unmet = not all(report.converged for report in reports)
        if reports:
            self._weight = reports[-1].save_as
        try:
            sample = self._pipelines.designed(self._session, self._state)[1]
        except StudyError as error:
            self._faults += error.faults
            return Station(
                "weighting",
                "attention",
                "check the design",
            )
        self._weights = weight_sums([part.weight for part in sample.parts])
        return _weighting_station(reports, False, self._weight)

    def _tabled(self) -> tuple[Station, Station]:
        """Tables and release."""
        tables = len(self._state.study.tables)
        if self._faults:
            return Station("tables", "waiting", "waits"), Station("release", "waiting", "waits")
        if not tables:
            return Station("tables", "empty", "none yet"), Station("release", "waiting", "waits")
        head = self._pipelines.weighed(self._session, self._state)[1].cases.head
        faulty = [
            request
            for at, request in enumerate(self._state.study.tables)
            if request_faults(head, request, f"tables[{at}]")
        ]
        if faulty:
            return Station(
                "tables", "attention", f"{counted(len(faulty), 'table')} of {tables} cannot be made"
            ), self._release("tables at fault")
        return Station("tables", "ok", counted(tables, "table")), self._release("ready")

    def _release(self, says: str) -> Station:
        """A release that hides nothing of what is not right yet: it can be made, and says so."""
        if self._lost:
            says = "unrecognised answers"
        elif self._unmet:
            says = "margins not met"
        return Station("release", "ok" if says == "ready" else "attention", says)


def _weighting_station(
    reports: tuple[WeightingReport, ...], stopped: bool, weight: str | None = None
) -> Station:
    if stopped:
        return Station("weighting", "waiting", "waits")
    if not reports:
        # A weight that came with the file is one too.
        return Station(
            "weighting", "ok" if weight else "empty", f"weight {weight}" if weight else "no weights yet"
        )
    if all(report.converged for report in reports):
        return Station("weighting", "ok", "margins met")
    return Station("weighting", "attention", "margins not met")
