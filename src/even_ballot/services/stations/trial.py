"""What a step would do, seen before it is taken over; and what an entry of the ledger did."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

from pydantic import BaseModel
from sqlalchemy.orm import Session

from even_ballot.core.data.codebook import Scale
from even_ballot.core.data.dataset import Dataset
from even_ballot.core.faults import Fault, StudyError, fault
from even_ballot.core.ledger import AnyStep, Effect, Tables, run_ledger, take_step
from even_ballot.core.ledger.differences import OldNew, differences
from even_ballot.services.states.elsewhere import in_a_helper
from even_ballot.services.states.study_states import Pipelines
from even_ballot.services.stations.codebook import variable_view
from even_ballot.services.stations.views import VariableView
from even_ballot.store.studies import StudyState


class Proposed(BaseModel):
    """A step to be tried after the last entry, or in place of entry `instead_of` (from 1). scales: answer
    scales that would be added to the codebook with it."""

    step: AnyStep
    instead_of: int | None = None
    scales: dict[str, Scale] = {}


@dataclass(frozen=True)
class Trial:
    """What a step does: its sentence and effect, old × new, the variables it makes; or what is wrong.
    stops: the entry further on that would then stop, with the fault."""

    sentence: str
    cases_before: int
    cases_after: int
    cells_changed: int
    unplaced: dict[str, dict[str, int]]
    differences: tuple[OldNew, ...]
    made: tuple[VariableView, ...]
    faults: tuple[Fault, ...]
    stops: Fault | None = None


def _told(before: Dataset, after: Dataset, step: AnyStep, effect: Effect) -> Trial:
    made = tuple(variable_view(after, name) for name in after.variables if name not in before.variables)
    unplaced = {name: dict(words) for name, words in effect.unplaced.items()}
    crossed = differences(before, after, step)
    return Trial(effect.sentence, before.n, after.n, effect.cells_changed, unplaced, crossed, made[:20], ())


def _first_stop(data: Dataset, later: Sequence[AnyStep], tables: Tables, first: int) -> Fault | None:
    """The first of the later entries that could no longer be taken."""
    at = first
    try:
        for _ in run_ledger(data, later, tables, elsewhere=in_a_helper):
            at += 1
    except StudyError as error:
        found = error.faults[0]
        return Fault(
            f"Entry {at}, “{later[at - first].sentence()}”, could then not be applied. {found.said}",
            f"ledger[{at - 1}]",
            found.mend,
        )
    return None


def try_step(session: Session, pipelines: Pipelines, state: StudyState, proposed: Proposed) -> Trial:
    """What a step would do, without doing it."""
    ledgered = pipelines.ledgered(session, state)[1]
    at = proposed.instead_of
    if at is not None and not 1 <= at <= len(state.study.ledger):
        raise fault(f"The ledger has no entry {at}.", "instead_of", f"It has {len(state.study.ledger)}.")
    reached = len(ledgered.states) if at is None else min(at - 1, len(ledgered.states))
    before = ledgered.states[reached - 1] if reached else ledgered.start
    # A scale that nothing uses yet is no part of the cases, and may be what the step is about.
    scales = {**state.study.codebook.scales, **before.scales, **proposed.scales}
    before = replace(before, scales=scales)
    tables = pipelines.tables(session, state)
    try:
        step = proposed.step.model_copy(update={"off": False})
        after, effect = take_step(before, step, 0, tables, "", in_a_helper)
    except StudyError as error:
        return Trial(proposed.step.sentence(), before.n, before.n, 0, {}, (), (), error.faults)
    told = _told(before, after, proposed.step, effect)
    if at is None:
        return told
    return replace(told, stops=_first_stop(after, state.study.ledger[at:], tables, at + 1))


def entry_difference(session: Session, pipelines: Pipelines, state: StudyState, at: int) -> Trial:
    """Before and after of an entry of the ledger (from 1)."""
    ledgered = pipelines.ledgered(session, state)[1]
    if not 1 <= at <= len(ledgered.states):
        raise fault(f"Ledger entry {at} does not exist or was not applied.", "", "Choose another.")
    before = ledgered.states[at - 2] if at > 1 else ledgered.start
    return _told(before, ledgered.states[at - 1], state.study.ledger[at - 1], ledgered.effects[at - 1])
