"""Every state of a study, computed when asked for and kept by the hash of what it is made of.

Sources never change and every later state is source + what was done, so a state's key says all there is to
know of it: undo, switching off and reordering find earlier states again.
"""

import hashlib
from collections.abc import Callable, Mapping
from contextlib import AbstractContextManager
from dataclasses import dataclass, replace
from functools import partial
from typing import TypeVar

from sqlalchemy.orm import Session

from even_ballot.core.data.dataset import Dataset, RawTable
from even_ballot.core.disclosure.tables import (
    HiddenPattern,
    control_of,
    links_of,
    pattern_of,
    report_without,
    without_hidden,
)
from even_ballot.core.faults import StudyError
from even_ballot.core.ledger import Effect, take_step
from even_ballot.core.numerics.arrays import Floats
from even_ballot.core.progress import Progress
from even_ballot.core.sampling.units import Units
from even_ballot.core.screening import Finding, sweep
from even_ballot.core.study.pipeline import designed, margins_of, start, weigh, weight_name
from even_ballot.core.study.results import Results, Weighted
from even_ballot.core.tables.display import Display
from even_ballot.core.tables.request import TableRequest
from even_ballot.core.tables.results import TableResult
from even_ballot.core.tables.shared import SharedCounts
from even_ballot.core.tables.tabulate import counted_table
from even_ballot.core.weighting.raking import Raked
from even_ballot.core.weighting.report import WeightingReport
from even_ballot.core.weighting.request import Weighting
from even_ballot.services.states.kept import Kept
from even_ballot.services.workers.works import Works
from even_ballot.store.database import release
from even_ballot.store.files import file_table
from even_ballot.store.studies import StudyState

T = TypeVar("T")


def hash_of(*parts: str) -> str:
    """A key of everything that a state is made of."""
    return hashlib.sha256("\x1f".join(parts).encode()).hexdigest()


@dataclass(frozen=True)
class Ledgered:
    """The cases after as many steps as could be taken. states[i]: after step i; fault: why step
    len(states) failed."""

    start: Dataset
    states: tuple[Dataset, ...]
    effects: tuple[Effect, ...]
    fault: StudyError | None

    @property
    def last(self) -> Dataset:
        """The newest state there is."""
        return self.states[-1] if self.states else self.start


@dataclass(frozen=True)
class Weighed:
    """The cases with every weight that could be made, and how each weighting came out, or what is wrong
    with it."""

    data: Dataset
    outcomes: tuple[tuple[Raked, WeightingReport] | StudyError, ...]

    @property
    def made(self) -> Weighted:
        """The weightings that could be made."""
        good = [outcome for outcome in self.outcomes if not isinstance(outcome, StudyError)]
        return Weighted(self.data, tuple(raked for raked, _ in good), tuple(said for _, said in good))


@dataclass(frozen=True)
class Designed:
    """Weighted cases with their design."""

    data: Dataset
    units: Units
    weight: Floats


class Bench:
    """Keeps the most recently used states, within a number of bytes; faults are kept like results."""

    def __init__(self) -> None:
        self.works = Works()
        self._kept = Kept()

    def once(self, key: str, make: Callable[[], T]) -> T:
        """What `make` gives, kept under a key that says all there is to know of it."""
        found = self._kept.once(key, make)
        if isinstance(found, StudyError):
            raise StudyError(found.faults)
        return found  # type: ignore[no-any-return]

    def raw(self, session: Session, file_id: str) -> RawTable:
        """A source file's columns."""
        table = self.once(f"file:{file_id}", lambda: file_table(session, file_id))
        release(session)
        return table

    def tables(self, session: Session, state: StudyState) -> Mapping[str, RawTable]:
        """A study's lookup files."""
        return {name: self.raw(session, file_id) for name, file_id in state.files.lookups.items()}

    def start(self, session: Session, state: StudyState) -> tuple[str, Dataset]:
        """The cases before the ledger."""
        study = state.study
        made = [name for step in study.ledger for name in step.makes()] + [
            w.save_as for w in study.weightings
        ]
        key = hash_of(
            "start",
            state.files.source,
            study.codebook.model_dump_json(include={"scales", "variables"}),
            study.source.decimal or ".",
            *sorted(made),
        )
        return key, self.once(key, lambda: start(study, self.raw(session, state.files.source)))

    def ledgered(self, session: Session, state: StudyState) -> tuple[str, Ledgered]:
        """The cases after each step of the ledger, as far as it goes."""
        key, data = self.start(session, state)
        first = data
        states: list[Dataset] = []
        effects: list[Effect] = []
        tables = self.tables(session, state)
        lookups = state.files.dump()
        for i, step in enumerate(state.study.ledger):
            key = hash_of(key, step.model_dump_json(), lookups)
            try:
                data, effect = self.once(key, partial(take_step, data, step, i, tables))
            except StudyError as error:
                return key, Ledgered(first, tuple(states), tuple(effects), error)
            states.append(data)
            effects.append(effect)
        return key, Ledgered(first, tuple(states), tuple(effects), None)

    def cases(self, session: Session, state: StudyState) -> tuple[str, Dataset]:
        """The cases after the whole ledger; raises where a step cannot be taken."""
        key, ledgered = self.ledgered(session, state)
        if ledgered.fault is not None:
            raise ledgered.fault
        return key, ledgered.last

    def findings(self, session: Session, state: StudyState) -> tuple[Finding, ...]:
        """What the sweep finds in the newest state of the cases."""
        key, ledgered = self.ledgered(session, state)
        book, settings = state.study.codebook, state.study.screening
        key = hash_of("sweep", key, book.model_dump_json(), settings.model_dump_json())
        with self._telling(state) as tell:
            return self.once(key, lambda: sweep(ledgered.last, book, settings, tell))

    def _telling(self, state: StudyState, what: str | None = None) -> AbstractContextManager[Progress]:
        """Work on a study that is seen while it goes on, and can be stopped."""
        return self.works.telling(state.record.id, state.record.edition, what)

    def weighted(self, session: Session, state: StudyState) -> tuple[str, Weighted]:
        """The cases with their weights."""
        key, weighed = self.weighed(session, state)
        faults = [
            fault
            for outcome in weighed.outcomes
            if isinstance(outcome, StudyError)
            for fault in outcome.faults
        ]
        if faults:
            raise StudyError(faults)
        return key, weighed.made

    def weighed(self, session: Session, state: StudyState) -> tuple[str, Weighed]:
        """Every weighting by itself: what is wrong with one stops those that build on it, and no others."""
        key, data = self.cases(session, state)
        outcomes: list[tuple[Raked, WeightingReport] | StudyError] = []
        for i, weighting in enumerate(state.study.weightings):
            where = f"weightings[{i}]"
            key = hash_of("weight", key, where, weighting.model_dump_json())

            def take(
                weighting: Weighting = weighting, data: Dataset = data, where: str = where
            ) -> tuple[Dataset, Raked, WeightingReport]:
                return weigh(data, weighting, where)

            try:
                data, raked, said = self.once(key, take)
                outcomes.append((raked, said))
            except StudyError as error:
                outcomes.append(error)
        return key, Weighed(data, tuple(outcomes))

    def designed(self, session: Session, state: StudyState) -> tuple[str, Designed]:
        """The weighted cases with their design."""
        before, weighed = self.weighed(session, state)
        name = weight_name(state.study)
        for weighting, outcome in zip(state.study.weightings, weighed.outcomes, strict=True):
            if weighting.save_as == name and isinstance(outcome, StudyError):
                raise outcome
        key = hash_of("design", before, state.study.design.model_dump_json(), name or "")
        return key, self.once(key, lambda: Designed(weighed.data, *designed(state.study, weighed.made)))

    def table(self, session: Session, state: StudyState, at: int) -> TableResult:
        """One table of the study."""
        return self._counted(session, state, state.study.tables[at], at, None)

    def told(self, session: Session, state: StudyState, at: int) -> TableResult:
        """The same with the comparisons that a reading in words is made of. It takes the place of an
        earlier edition's."""
        request = state.study.tables[at]
        tests = tuple(dict.fromkeys((*request.tests, "columns")))
        return self._counted(
            session, state, request.model_copy(update={"tests": tests}), at, f"table {request.id}"
        )

    def _counted(
        self, session: Session, state: StudyState, request: TableRequest, at: int, what: str | None
    ) -> TableResult:
        before, passes = self.passes(session, state)
        counted = request.model_copy(update={"display": Display(), "group": None, "beside": ()})
        key = hash_of("table", before, counted.model_dump_json())

        def count() -> TableResult:
            with self._telling(state, what) as tell:
                return counted_table(passes, counted, f"tables[{at}]", tell)

        result = self.once(key, count)
        if state.study.suppression.below is None:
            return result
        pattern_key, pattern = self.pattern(session, state)
        hidden = hash_of("hidden", key, pattern_key)
        return self.once(hidden, lambda: without_hidden(passes, result, request, pattern, f"tables[{at}]"))

    def passes(self, session: Session, state: StudyState) -> tuple[str, SharedCounts]:
        """The cases that all tables are made of, and what was counted of them."""
        before, ready = self.designed(session, state)
        scope = state.study.where
        key = hash_of("passes", before, scope or "")
        return key, self.once(key, lambda: SharedCounts(ready.data, ready.units, ready.weight, scope))

    def pattern(self, session: Session, state: StudyState) -> tuple[str, HiddenPattern]:
        """What is hidden when all tables are released together."""
        before, passes = self.passes(session, state)
        asked = {"stub", "banner", "where", "show", "nets", "dates", "total_row"}
        requests, control = state.study.tables, state.study.suppression
        key = hash_of(
            "pattern",
            before,
            control.model_dump_json(),
            *(request.model_dump_json(include=asked) for request in requests),
        )

        def choose() -> HiddenPattern:
            with self._telling(state) as tell:
                return pattern_of(
                    passes, requests, control, links_of(state.study.ledger), margins_of(state.study), tell
                )

        return key, self.once(key, choose)

    def notable(self, session: Session, state: StudyState) -> Results:
        """What a methods note is written from: everything but findings and tables; weightings that could
        be made."""
        _, weighed = self.weighed(session, state)
        return self._found(session, state, (), weighed.made.reports, ())

    def results(self, session: Session, state: StudyState) -> Results:
        """Everything, as a run of the study file finds it."""
        _, weighted = self.weighted(session, state)
        with self._telling(state) as tell:
            tables = []
            for at, request in enumerate(state.study.tables):
                tell(f"Counting {request.title or request.id}", at / len(state.study.tables))
                tables.append(self.table(session, state, at))
        found = self._found(session, state, self.findings(session, state), weighted.reports, tuple(tables))
        below = state.study.suppression.below
        if below is None:
            return found
        _, pattern = self.pattern(session, state)
        reports = tuple(report_without(report, pattern, below) for report in found.weightings)
        return replace(found, weightings=reports, control=control_of(state.study.suppression, pattern))

    def _found(
        self,
        session: Session,
        state: StudyState,
        findings: tuple[Finding, ...],
        reports: tuple[WeightingReport, ...],
        tables: tuple[TableResult, ...],
    ) -> Results:
        _, ledgered = self.ledgered(session, state)
        _, ready = self.designed(session, state)
        return Results(
            len(ledgered.start.rows),
            ready.data.n,
            ledgered.effects,
            findings,
            reports,
            ready.units,
            weight_name(state.study),
            tables,
            ready.data,
        )
