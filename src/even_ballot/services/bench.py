"""Every state of a study, computed when asked for and kept by the hash of what it is made of.

Sources never change and every later state is source + what was done, so a state's key says all there is to know of it:
undo, switching off and reordering find earlier states again.
"""

import hashlib
import threading
from collections import OrderedDict
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, TypeVar

from sqlalchemy.orm import Session

from even_ballot.core.dataset import Dataset, Floats, RawTable
from even_ballot.core.design import Units
from even_ballot.core.faults import StudyError
from even_ballot.core.ledger import Effect, run_ledger
from even_ballot.core.results import TableResult
from even_ballot.core.screening import Finding, sweep
from even_ballot.core.study import Results, Weighted, designed, run_weightings, start, weight_name
from even_ballot.core.tabulate import tabulate
from even_ballot.store.files import file_table
from even_ballot.store.studies import State

T = TypeVar("T")


def _hash(*parts: str) -> str:
    return hashlib.sha256("\x1f".join(parts).encode()).hexdigest()


@dataclass(frozen=True)
class Ledgered:
    """The cases after as many steps as could be taken. states[i]: after step i; fault: why step len(states) failed."""

    start: Dataset
    states: tuple[Dataset, ...]
    effects: tuple[Effect, ...]
    fault: StudyError | None

    @property
    def last(self) -> Dataset:
        """The newest state there is."""
        return self.states[-1] if self.states else self.start


@dataclass(frozen=True)
class Designed:
    """Weighted cases with their design."""

    data: Dataset
    units: Units
    weight: Floats


class _Kept:
    """The most recently used values by key."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._values: OrderedDict[str, Any] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, key: str) -> Any:
        with self._lock:
            if key in self._values:
                self._values.move_to_end(key)
            return self._values.get(key)

    def put(self, key: str, value: Any) -> None:
        with self._lock:
            self._values[key] = value
            self._values.move_to_end(key)
            while len(self._values) > self._most:
                self._values.popitem(last=False)


class Bench:
    """Keeps the most recently used states; faults are kept like results. Files are kept apart, so that many states of one
    study do not push out what they are all made of."""

    def __init__(self) -> None:
        self._states, self._files = _Kept(600), _Kept(24)

    def once(self, key: str, make: Callable[[], T], file: bool = False) -> T:
        """What `make` gives, kept under a key that says all there is to know of it."""
        kept = self._files if file else self._states
        found: Any = kept.get(key)
        if found is None:
            try:
                found = make()
            except StudyError as error:
                found = error
            kept.put(key, found)
        if isinstance(found, StudyError):
            raise StudyError(found.faults)
        return found  # type: ignore[no-any-return]

    def raw(self, session: Session, file_id: str) -> RawTable:
        """A source file's columns."""
        return self.once(f"file:{file_id}", lambda: file_table(session, file_id), file=True)

    def tables(self, session: Session, state: State) -> Mapping[str, RawTable]:
        """A study's lookup files."""
        return {name: self.raw(session, file_id) for name, file_id in state.files.lookups.items()}

    def start(self, session: Session, state: State) -> tuple[str, Dataset]:
        """The cases before the ledger."""
        study = state.study
        made = [name for step in study.ledger for name in step.makes()] + [w.save_as for w in study.weightings]
        key = _hash(
            "start",
            state.files.source,
            study.codebook.model_dump_json(include={"scales", "variables"}),
            study.source.decimal or ".",
            *sorted(made),
        )
        return key, self.once(key, lambda: start(study, self.raw(session, state.files.source)))

    def ledgered(self, session: Session, state: State) -> tuple[str, Ledgered]:
        """The cases after each step of the ledger, as far as it goes."""
        key, data = self.start(session, state)
        first = data
        states: list[Dataset] = []
        effects: list[Effect] = []
        tables = self.tables(session, state)
        lookups = state.files.dump()
        for i, step in enumerate(state.study.ledger):
            key = _hash(key, step.model_dump_json(), lookups)
            place = f"ledger[{i}]"

            def take(step: Any = step, data: Dataset = data) -> tuple[Dataset, Effect]:
                return next(run_ledger(data, [step], tables))

            try:
                data, effect = self.once(key, take)
            except StudyError as error:
                moved = [type(f)(f.what, f.where.replace("ledger[0]", place, 1), f.mend) for f in error.faults]
                return key, Ledgered(first, tuple(states), tuple(effects), StudyError(moved))
            states.append(data)
            effects.append(Effect(**{**effect.__dict__, "step": i + 1}))
        return key, Ledgered(first, tuple(states), tuple(effects), None)

    def cases(self, session: Session, state: State) -> tuple[str, Dataset]:
        """The cases after the whole ledger; raises where a step cannot be taken."""
        key, ledgered = self.ledgered(session, state)
        if ledgered.fault is not None:
            raise ledgered.fault
        return key, ledgered.last

    def findings(self, session: Session, state: State) -> tuple[Finding, ...]:
        """What the sweep finds in the newest state of the cases."""
        key, ledgered = self.ledgered(session, state)
        book, settings = state.study.codebook, state.study.screening
        key = _hash("sweep", key, book.model_dump_json(), settings.model_dump_json())
        return self.once(key, lambda: sweep(ledgered.last, book, settings))

    def weighted(self, session: Session, state: State) -> tuple[str, Weighted]:
        """The cases with their weights."""
        before, data = self.cases(session, state)
        key = _hash("weights", before, *(w.model_dump_json() for w in state.study.weightings))
        return key, self.once(key, lambda: run_weightings(state.study, data))

    def designed(self, session: Session, state: State) -> tuple[str, Designed]:
        """The weighted cases with their design."""
        before, weighted = self.weighted(session, state)
        key = _hash("design", before, state.study.design.model_dump_json(), weight_name(state.study) or "")
        return key, self.once(key, lambda: Designed(weighted.data, *designed(state.study, weighted.data)))

    def table(self, session: Session, state: State, at: int) -> TableResult:
        """One table of the study."""
        before, ready = self.designed(session, state)
        request = state.study.tables[at]
        key = _hash("table", before, request.model_dump_json())
        return self.once(key, lambda: tabulate(ready.data, ready.units, ready.weight, request, f"tables[{at}]"))

    def notable(self, session: Session, state: State) -> Results:
        """What a methods note is written from: everything but the tables."""
        return self.results(session, state, tables=False)

    def results(self, session: Session, state: State, tables: bool = True) -> Results:
        """Everything, as a run of the study file finds it."""
        _, ledgered = self.ledgered(session, state)
        _, weighted = self.weighted(session, state)
        _, ready = self.designed(session, state)
        made = tuple(self.table(session, state, i) for i in range(len(state.study.tables))) if tables else ()
        return Results(
            len(ledgered.start.rows), ready.data.n, ledgered.effects, self.findings(session, state), weighted.reports,
            ready.units, weight_name(state.study), made, ready.data,
        )  # fmt: skip
