"""Every state of a study, computed when asked for and kept by the hash of what it is made of.

Sources never change and every later state is source + what was done, so a key says all there is to know
of it: undo, switching off and reordering find earlier states again.
"""

from collections.abc import Callable, Collection, Mapping
from contextlib import AbstractContextManager
from dataclasses import dataclass, replace
from functools import partial
from typing import Generic, TypeVar

from sqlalchemy.orm import Session

from even_ballot.core.data.dataset import Dataset, RawTable
from even_ballot.core.disclosure.tables import HiddenPattern
from even_ballot.core.faults import StudyError, fault
from even_ballot.core.ledger import take_step
from even_ballot.core.models.analysis import AnalysisPart
from even_ballot.core.models.results import AnalysisResult
from even_ballot.core.progress import Progress
from even_ballot.core.sampling.sample import Sample
from even_ballot.core.screening import Finding
from even_ballot.core.study.nodes import Inputs, Ledgered, Weighed
from even_ballot.core.study.parted.sampled import on_a_sample, take_if_drawn
from even_ballot.core.study.pipeline import Pipeline
from even_ballot.core.study.results import FaultyTable, Results, Weighted
from even_ballot.core.study.study_file import Source
from even_ballot.core.tables.results import TableResult
from even_ballot.formats.sources.packing import packed
from even_ballot.services.in_place.exact import Exact, told
from even_ballot.services.in_place.folders import DataFolder
from even_ballot.services.states.cache import Cache
from even_ballot.services.states.elsewhere import in_a_helper
from even_ballot.services.states.unforeseen import foreseen
from even_ballot.services.workers.ongoing_work import OngoingWork
from even_ballot.store.database import release
from even_ballot.store.files import file_table, find_file
from even_ballot.store.studies import StudyState

T = TypeVar("T")


@dataclass(frozen=True)
class Known(Generic[T]):
    """A figure or many, and what a methods note on it is written from; of_sample: they are of a sample."""

    found: T
    notable: Results
    of_sample: bool


class _Stored(Inputs):
    """The files of a study, from the database."""

    def __init__(self, pipelines: "Pipelines", session: Session, state: StudyState) -> None:
        self._pipelines, self._session, self._state = pipelines, session, state
        self.source_key, self.lookups_key = state.files.source, state.files.dump()

    def source(self) -> RawTable:
        return self._pipelines.raw(self._session, self._state.files.source)

    def lookups(self) -> Mapping[str, RawTable]:
        return self._pipelines.tables(self._session, self._state)


class Pipelines:
    """Keeps the most recently used states, within a number of bytes; faults are kept like results. data:
    below which records may stay where they are; exact: what was worked out on all of those."""

    def __init__(self, data: DataFolder | None = None, exact: Exact | None = None) -> None:
        self.works = OngoingWork()
        self.data, self.exact = data, exact or Exact(None)
        self._kept = Cache()

    def once(self, key: str, make: Callable[[], T]) -> T:
        """What `make` gives, kept under a key that says all there is to know of it."""
        found = self._kept.once(key, partial(foreseen, make))
        if isinstance(found, StudyError):
            raise StudyError(found.faults)
        return found  # type: ignore[no-any-return]

    def forget(self, files: Collection[str]) -> None:
        """Lets everything go that is kept, of samples only what is of other files than these; what is asked
        for again is worked out again."""
        self._kept = Cache()
        self.exact.keep_only(files)

    def raw(self, session: Session, file_id: str) -> RawTable:
        """A source file's columns."""

        def read() -> RawTable:
            table = file_table(session, file_id)
            return replace(table, columns=tuple(map(packed, table.columns)))

        table = self.once(f"file:{file_id}", read)
        release(session)
        return table

    def tables(self, session: Session, state: StudyState) -> Mapping[str, RawTable]:
        """A study's lookup files."""
        return {name: self.raw(session, file_id) for name, file_id in state.files.lookups.items()}

    def pipeline(self, session: Session, state: StudyState) -> Pipeline:
        """A study's nodes, kept here."""
        inputs, telling = _Stored(self, session, state), partial(self._telling, state)
        study, take = (
            (on_a_sample(state.study), take_if_drawn) if state.files.sampled else (state.study, take_step)
        )
        return Pipeline(study, inputs, self.once, telling, states=True, elsewhere=in_a_helper, take=take)

    def _telling(self, state: StudyState, what: str | None) -> AbstractContextManager[Progress]:
        """Work on a study that is seen while it goes on, and can be stopped."""
        return self.works.telling(state.record.id, state.record.edition, what)

    def start(self, session: Session, state: StudyState) -> tuple[str, Dataset]:
        """The cases before the ledger, with their key."""
        node = self.pipeline(session, state).start
        return node.key, node.value

    def ledgered(self, session: Session, state: StudyState) -> tuple[str, Ledgered]:
        """The cases after each step of the ledger, as far as it goes."""
        node = self.pipeline(session, state).ledgered
        return node.key, node.value

    def cases(self, session: Session, state: StudyState) -> tuple[str, Dataset]:
        """The cases after the whole ledger; raises where a step cannot be taken."""
        node = self.pipeline(session, state).cases
        return node.key, node.value

    def findings(self, session: Session, state: StudyState) -> tuple[Finding, ...]:
        """What the sweep finds in the newest state of the cases."""
        return self.pipeline(session, state).findings

    def weighed(self, session: Session, state: StudyState) -> tuple[str, Weighed]:
        """Every weighting by itself."""
        node = self.pipeline(session, state).weighed
        return node.key, node.value

    def weighted(self, session: Session, state: StudyState) -> tuple[str, Weighted]:
        """The cases with their weights."""
        node = self.pipeline(session, state).weighted
        return node.key, node.value

    def designed(self, session: Session, state: StudyState) -> tuple[str, Sample]:
        """The weighted cases with their design."""
        node = self.pipeline(session, state).designed
        return node.key, node.value

    def table(self, session: Session, state: StudyState, at: int) -> TableResult:
        """One table of the study."""
        return self.pipeline(session, state).table(at)

    def told(self, session: Session, state: StudyState, at: int) -> Known[TableResult]:
        """The same with the comparisons that a reading in words is made of, of all records where that was
        worked out. It takes the place of an earlier edition's."""
        request = state.study.tables[at]
        kept = self._exactly(state, lambda: self.exact.table(state.study, state.files, at))
        if kept is not None:
            return kept
        made = self.pipeline(session, state).table(at, told(request), f"table {request.id}")
        return Known(made, self.notable(session, state), state.files.sampled)

    def analysis(self, session: Session, state: StudyState, part: AnalysisPart, at: int) -> AnalysisResult:
        """A model, a scale of items or correlations. It takes the place of an earlier edition's."""
        request = getattr(state.study, part)[at]
        return self.pipeline(session, state).analysis(part, at, f"{part} {request.id}")

    def analysed(
        self, session: Session, state: StudyState, part: AnalysisPart, at: int
    ) -> Known[AnalysisResult]:
        """The same, of all records where that was worked out."""
        kept: Known[AnalysisResult] | None = self._exactly(
            state, lambda: self.exact.analysis(state.study, state.files, part, at)
        )
        if kept is not None:
            return kept
        made = self.analysis(session, state, part, at)
        return Known(made, self.notable(session, state), state.files.sampled)

    def _exactly(self, state: StudyState, find: Callable[[], T | FaultyTable | None]) -> Known[T] | None:
        """What all records of a study gave that stay where they are. Raises StudyError where it could not be
        made of them."""
        base = self.exact.base(state.study, state.files) if state.files.sampled else None
        found = None if base is None else find()
        if base is None or found is None:
            return None
        if isinstance(found, FaultyTable):
            raise StudyError(found.faults)
        return Known(found, base, False)

    def pattern(self, session: Session, state: StudyState) -> tuple[str, HiddenPattern]:
        """What is hidden when all tables are released together."""
        node = self.pipeline(session, state).pattern
        return node.key, node.value

    def notable(self, session: Session, state: StudyState) -> Results:
        """What a methods note is written from."""
        return self.pipeline(session, state).notable()

    def results(self, session: Session, state: StudyState) -> Results:
        """Everything, as a run of the study file finds it. Raises StudyError where records stay where they
        are and figures of all of them were not worked out."""
        if state.files.sampled:
            found = self.exact.results(state.study, state.files)
            if found is None:
                raise fault(
                    "Figures of all records have not been calculated since the last change.",
                    "",
                    "Calculate them on the page of a table.",
                )
            return found
        reading = Source.model_validate_json(find_file(session, state.files.source).reading)
        results = self.pipeline(session, state).results()
        return replace(results, guessed=state.study.source.guessed(reading))
