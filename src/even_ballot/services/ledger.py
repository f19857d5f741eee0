"""The ledger as a journal: each entry with its effect, or what stops it."""

from typing import Literal

from sqlalchemy.orm import Session

from even_ballot.core.expressions import Formula
from even_ballot.core.faults import StudyError
from even_ballot.formats.journal import journal_html, journal_markdown
from even_ballot.services.bench import Bench
from even_ballot.services.views import ConditionView, LedgerEntry
from even_ballot.store.studies import State


def ledger(session: Session, bench: Bench, state: State) -> list[LedgerEntry]:
    """Every entry in order. After the one that stops, the others are not reached."""
    ledgered = bench.ledgered(session, state)[1]
    entries = []
    for i, step in enumerate(state.study.ledger):
        if i < len(ledgered.effects):
            e = ledgered.effects[i]
            unplaced = {name: dict(words) for name, words in e.unplaced.items()}
            entries.append(
                LedgerEntry(
                    e.step,
                    e.do,
                    e.sentence,
                    e.why,
                    e.off,
                    None if e.off else e.cases_before,
                    None if e.off else e.cases_after,
                    None if e.off else e.cells_changed,
                    unplaced,
                    None,
                    True,
                )
            )
        else:
            here = i == len(ledgered.effects) and ledgered.fault is not None
            fault = ledgered.fault.faults[0] if here and ledgered.fault else None
            entries.append(LedgerEntry(i + 1, step.do, step.sentence(), step.why, step.off, None, None, None, {}, fault, here))
    return entries


def journal(session: Session, bench: Bench, state: State, kind: Literal["md", "html"]) -> str:
    """The ledger as a document, as far as its entries can be taken."""
    ledgered = bench.ledgered(session, state)[1]
    write = journal_markdown if kind == "md" else journal_html
    return write(state.study, ledgered.start.n, ledgered.last.n, ledgered.effects)


def try_condition(session: Session, bench: Bench, state: State, where: str) -> ConditionView:
    """How many cases a condition is true of, before anything is done with it."""
    data = bench.ledgered(session, state)[1].last
    try:
        return ConditionView(int(Formula(where).true(data).sum()), data.n, ())
    except StudyError as error:
        return ConditionView(None, data.n, error.faults)
