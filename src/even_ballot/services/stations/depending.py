"""What figures depend on, a decision after the other, while it is worked out."""

import json
from collections.abc import Iterator
from dataclasses import dataclass, replace
from itertools import chain, islice

from sqlalchemy.orm import Session

from even_ballot.core.faults import Fault, fault
from even_ballot.core.study.decisions import DecisionKind, decisions_of
from even_ballot.core.study.depends import Dependence, DependentTable, depends
from even_ballot.core.study.pipeline import given
from even_ballot.core.tables.results import as_json
from even_ballot.services.states.study_states import Pipelines
from even_ballot.store.studies import StudyState

ALL = "_all"
"""All tables, each with its largest change alone."""


@dataclass(frozen=True)
class DependenceLine:
    """One decision of `of`. entries: of the ledger that go with it; gone: figures that there are not without
    it; tables: with their figures; largest: the largest change in each table, in standard errors."""

    at: int
    of: int
    id: str
    kind: DecisionKind
    says: str
    entries: tuple[str, ...]
    refused: Fault | None
    gone: int
    tables: tuple[DependentTable, ...]
    largest: dict[str, float]


def _line(at: int, of: int, found: Dependence, whole: bool) -> DependenceLine:
    decision = found.decision
    tables = () if whole else found.tables
    largest = {table.id: table.largest for table in found.tables}
    gone = sum(table.gone for table in found.tables)
    about = (decision.id, decision.kind, decision.says, found.entries, found.refused, gone)
    return DependenceLine(at, of, *about, tables, largest)


def lines(
    session: Session, pipelines: Pipelines, state: StudyState, table_id: str
) -> Iterator[DependenceLine]:
    """What a table, or every table, would be without each decision. Everything is read from the database
    before the first is asked for."""
    study = state.study
    if table_id != ALL and table_id not in {request.id for request in study.tables}:
        raise fault(f"There is no table {table_id!r}.", "tables")
    raw = pipelines.raw(session, state.files.source)
    lookups = pipelines.tables(session, state)
    wanted = None if table_id == ALL else [table_id]
    count = len(decisions_of(study))
    found = depends(study, given(study, raw, lookups).inputs, wanted)
    # What is at fault with the study itself is raised before anything is sent.
    first = tuple(islice(found, 1))
    return (_line(k, count, one, table_id == ALL) for k, one in enumerate(chain(first, found)))


def written(found: Iterator[DependenceLine]) -> Iterator[bytes]:
    """Lines as JSON, one after the other."""
    for line in found:
        said = as_json(replace(line, tables=()))
        said["tables"] = as_json(line.tables)
        yield f"{json.dumps(said, ensure_ascii=False)}\n".encode(errors="replace")
