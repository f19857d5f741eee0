"""The ledger as a journal: each entry with its effect, or what stops it."""

from typing import Literal

from sqlalchemy.orm import Session

from even_ballot.core.data.formulas import Formula
from even_ballot.core.faults import StudyError
from even_ballot.formats.exchange.journal import journal_html, journal_markdown
from even_ballot.services.states.study_states import Pipelines
from even_ballot.services.stations.views import ConditionView, LedgerEntry
from even_ballot.store.studies import StudyState


def ledger(session: Session, pipelines: Pipelines, state: StudyState) -> list[LedgerEntry]:
    """Every entry in order. After the one that stops, the others are not reached."""
    ledgered = pipelines.ledgered(session, state)[1]
    entries = []
    for i, (step, stamp) in enumerate(zip(state.study.ledger, state.stamps, strict=True)):
        effect = ledgered.effects[i] if i < len(ledgered.effects) else None
        told = None if effect is None or effect.off else effect
        stops = i == len(ledgered.effects) and ledgered.fault is not None
        entries.append(
            LedgerEntry(
                step=i + 1,
                do=step.do,
                sentence=step.sentence(),
                why=step.why,
                off=step.off,
                cases_before=told.cases_before if told else None,
                cases_after=told.cases_after if told else None,
                cells_changed=told.cells_changed if told else None,
                unplaced={name: dict(words) for name, words in effect.unplaced.items()} if effect else {},
                fault=ledgered.fault.faults[0] if stops and ledgered.fault else None,
                reached=effect is not None or stops,
                who=stamp.who,
                when=stamp.when,
            )
        )
    return entries


def journal(session: Session, pipelines: Pipelines, state: StudyState, kind: Literal["md", "html"]) -> str:
    """The ledger as a document, as far as its entries can be taken."""
    ledgered = pipelines.ledgered(session, state)[1]
    write = journal_markdown if kind == "md" else journal_html
    stamps = [f"{stamp.when[:10]}, {stamp.who}." for stamp in state.stamps]
    return write(state.study, ledgered.start.n, ledgered.last.n, ledgered.effects, stamps)


def try_condition(
    session: Session, pipelines: Pipelines, state: StudyState, where: str, broken: bool = False
) -> ConditionView:
    """How many cases a condition is true of (or, `broken`, false of), before anything is done with it."""
    data = pipelines.ledgered(session, state)[1].last
    try:
        formula = Formula(where)
        found = formula.false(data) if broken else formula.true(data)
        return ConditionView(int(found.sum()), data.n, ())
    except StudyError as error:
        return ConditionView(None, data.n, error.faults)
