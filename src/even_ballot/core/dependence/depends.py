"""What a study's figures depend on: everything worked out again with one decision taken away, each in turn.

Every state is kept by what it is made of, so that an alternative costs what the decision forces anew.
"""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from functools import partial, reduce
from typing import Any, TypeVar

from even_ballot.core.dependence.comparing import (
    DependentAnalysis,
    DependentTable,
    Shown,
    compared_analysis,
    compared_table,
)
from even_ballot.core.dependence.decisions import Decision, decisions_of, document_of, with_entries_off
from even_ballot.core.faults import Fault, StudyError, fault
from even_ballot.core.lazy import lazy
from even_ballot.core.models.analysis import ANALYSES, AnalysisPart
from even_ballot.core.models.results import AnalysisResult
from even_ballot.core.progress import Progress, quiet
from even_ballot.core.study.nodes import Inputs
from even_ballot.core.study.pipeline import Pipeline
from even_ballot.core.study.study_file import Study, parse_study
from even_ballot.core.tables.results import TableResult, as_json

T = TypeVar("T")


@dataclass(frozen=True)
class Dependence:
    """What one decision does. entries: other entries of the ledger that cannot stand without it, by their
    ids; refused: why there is nothing without it, None where there is."""

    decision: Decision
    entries: tuple[str, ...]
    refused: Fault | None
    tables: tuple[DependentTable, ...]
    analyses: tuple[DependentAnalysis, ...] = ()

    @property
    def parts(self) -> tuple[DependentTable | DependentAnalysis, ...]:
        """Tables, then analyses."""
        return (*self.tables, *self.analyses)

    @property
    def largest(self) -> float:
        """The largest change of any figure, in standard errors."""
        return max((part.largest for part in self.parts), default=0.0)

    def document(self) -> dict[str, Any]:
        """As it stands in depends.json."""
        decision = self.decision
        said: dict[str, Any] = {"id": decision.id, "kind": decision.kind, "says": decision.says}
        if decision.instead is not None:
            said["instead"] = decision.instead
        said |= {"with": list(self.entries), "refused": None if self.refused is None else str(self.refused)}
        return said | {"tables": as_json(self.tables), "analyses": as_json(self.analyses)}


class _Kept:
    """Values by their keys, and the faults that making them raised."""

    def __init__(self) -> None:
        self._values: dict[str, Any] = {}

    def __call__(self, key: str, make: Callable[[], T]) -> T:
        if key not in self._values:
            try:
                self._values[key] = make()
            except StudyError as error:
                self._values[key] = error
        found = self._values[key]
        if isinstance(found, StudyError):
            raise StudyError(found.faults)
        return found  # type: ignore[no-any-return]

    def only(self) -> "_Kept":
        """The same values; what is added to it is not added to this."""
        other = _Kept()
        other._values = dict(self._values)
        return other


def standing(
    study: Study, decisions: Sequence[Decision], inputs: Inputs, keep: Any
) -> tuple[Pipeline, tuple[int, ...]]:
    """The study without some decisions, and which other entries of the ledger had to go with them: one after
    the other, those that cannot be taken any more. Raises StudyError where there is no such study.

    >>> from even_ballot.core.data.example import ferry_answers
    >>> from even_ballot.core.study.pipeline import given
    >>> steps = [{"do": "derive", "into": "a", "value": "age"}, {"do": "derive", "into": "b", "value": "a"}]
    >>> study = parse_study({"source": {"path": "a.csv"}, "ledger": steps})
    >>> of = Depending(study, given(study, ferry_answers(), {}).inputs)
    >>> standing(study, of.decisions[:1], of.inputs, of.keeping())[1]
    (1,)
    """
    others = [decision.change for decision in decisions if decision.entry is None]
    if others:
        # As if it were read: what no study file may say is refused.
        study = parse_study(document_of(reduce(lambda of, change: change(of), others, study)))
    chosen = [decision.entry for decision in decisions if decision.entry is not None]
    off = list(chosen)
    while True:
        taken = with_entries_off(study, off) if off else study
        pipeline = Pipeline(taken, inputs, keep, states=True)
        ledgered = pipeline.ledgered.value
        stopped = len(ledgered.states)
        if ledgered.fault is None or stopped in off or not chosen:
            return pipeline, tuple(off[len(chosen) :])
        off.append(stopped)


def or_none(make: Callable[[], T]) -> T | None:
    """What is made, or None where it cannot be.

    >>> or_none(lambda: 1)
    1
    """
    try:
        return make()
    except StudyError:
        return None


class Depending:
    """A study and its figures as published, to be held against what they are without each decision. wanted:
    ids of tables and analyses (None: all); reading: with entries of the ledger that only make answers
    readable. Raises StudyError where the study itself is at fault.

    >>> from even_ballot.core.data.example import ferry_answers
    >>> from even_ballot.core.study.pipeline import given
    >>> step = {"do": "drop_cases", "where": "age < 30"}
    >>> table = {"id": "t", "stub": ["age"], "show": ["mean"]}
    >>> study = parse_study({"source": {"path": "a.csv"}, "ledger": [step], "tables": [table]})
    >>> found = next(Depending(study, given(study, ferry_answers(), {}).inputs).each())
    >>> cell = found.tables[0].cells[0]
    >>> round(cell.est, 2), round(cell.without, 2)
    (46.6, 40.0)
    """

    def __init__(
        self, study: Study, inputs: Inputs, wanted: Sequence[str] | None = None, reading: bool = False
    ) -> None:
        self.reading = reading
        self.study, self.inputs, self._kept = study, inputs, _Kept()
        self.base = Pipeline(study, inputs, self._kept, states=True)
        self.shown = Shown(study.suppression.below)
        _ = self.base.weighted, self.base.shared
        self._tables = [at for at, of in enumerate(study.tables) if wanted is None or of.id in wanted]
        self._analyses = [
            (part, at)
            for part in ANALYSES
            for at, of in enumerate(getattr(study, part))
            if wanted is None or of.id in wanted
        ]

    @lazy
    def published(self) -> dict[int, TableResult]:
        """The tables wanted, by their place."""
        return {at: self.base.table(at) for at in self._tables}

    @lazy
    def analysed(self) -> dict[tuple[AnalysisPart, int], AnalysisResult]:
        """The analyses wanted, as far as they can be made."""
        made = {(part, at): or_none(partial(self.base.analysis, part, at)) for part, at in self._analyses}
        return {key: result for key, result in made.items() if result is not None}

    @lazy
    def decisions(self) -> tuple[Decision, ...]:
        """Every decision in force."""
        return tuple(of for of in self._all if self.reading or not of.reading)

    @lazy
    def _all(self) -> tuple[Decision, ...]:
        findings = self.base.findings if self.study.codebook.accepted else ()
        return decisions_of(self.study, findings, bool(self.base.designed.value.units.single.any()))

    def chosen(self, ids: Sequence[str]) -> tuple[Decision, ...]:
        """Some decisions by their ids. Raises StudyError for one that there is not."""
        known = {decision.id: decision for decision in self._all}
        if strange := [name for name in ids if name not in known]:
            raise fault(
                f"There is no decision {strange[0]!r}.", "decisions", f"Decisions: {', '.join(known)}."
            )
        return tuple(known[name] for name in dict.fromkeys(ids))

    def alpha(self, at: int) -> float:
        """Under which a table's p-values are significant."""
        return 1 - self.study.tables[at].interval.level

    def keeping(self) -> "_Kept":
        """What was kept of the study as it is; what is added to it stays with who asked."""
        return self._kept.only()

    def each(self, progress: Progress = quiet) -> Iterator[Dependence]:
        """What the figures would be without each decision in turn. progress: told before each, and may raise
        Stopped."""
        _ = self.published, self.analysed
        for k, decision in enumerate(self.decisions):
            progress(f"Without: {decision.says}", k / max(len(self.decisions), 1))
            yield self.without(decision)

    def without(self, decision: Decision) -> Dependence:
        """What the figures would be without a decision."""
        entries = tuple[str, ...]()
        try:
            pipeline, gone = standing(self.study, [decision], self.inputs, self.keeping())
            entries = tuple(f"ledger[{i}]" for i in gone)
            # What is wrong with the cases, their weights or their design is wrong with every table.
            _ = pipeline.weighted, pipeline.shared
        except StudyError as error:
            return Dependence(decision, entries, error.faults[0], ())
        tables = tuple(
            compared_table(
                mine,
                or_none(partial(pipeline.table, at)),
                self.shown,
                self.alpha(at),
            )
            for at, mine in self.published.items()
        )
        analyses = tuple(
            compared_analysis(
                part,
                mine,
                # What an analysis tells beside itself is not judged again for each decision.
                None if self.shown.protects else or_none(partial(pipeline.analysis, part, at)),
                self.shown,
                1 - getattr(self.study, part)[at].interval.level,
            )
            for (part, at), mine in self.analysed.items()
        )
        return Dependence(decision, entries, None, tables, analyses)
