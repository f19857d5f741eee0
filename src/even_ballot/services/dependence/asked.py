"""What figures depend on, a line after the other, while it is worked out in another process."""

import json
from collections.abc import Generator, Iterator, Sequence
from dataclasses import asdict
from itertools import islice
from typing import Any

from sqlalchemy.orm import Session

from even_ballot.core.data.dataset import RawTable
from even_ballot.core.dependence.appendix import AppendixFigure
from even_ballot.core.dependence.decisions import document_of
from even_ballot.core.faults import StudyError, fault
from even_ballot.core.release.plan import FigureOf
from even_ballot.core.study.nodes import key_of
from even_ballot.core.tables.results import as_json
from even_ballot.services.dependence.lines import (
    ALL,
    DependenceLine,
    FigureKey,
    InfluenceLine,
    PathLine,
    Waiting,
)
from even_ballot.services.states.study_states import Pipelines
from even_ballot.services.workers.helper_processes import DEPENDING
from even_ballot.store.studies import StudyState

__all__ = ["ALL", "DependenceLine", "FigureKey", "InfluenceLine", "PathLine", "Waiting"]


def _bytes_of(raw: RawTable) -> int:
    return sum(int(column.values.nbytes) for column in raw.columns)


_WAITING = f"{json.dumps(asdict(Waiting()))}\n".encode()


class Lines:
    """Lines as they are worked out; closed, the work stops. What is at fault with the study itself is raised
    at once, or, where other questions were waited for, said in a line of its own (`Refusal`)."""

    def __init__(self, found: Generator[bytes, None, None]) -> None:
        self._found, self._first = found, list(islice(found, 1))

    def __iter__(self) -> Iterator[bytes]:
        try:
            yield from self._first
            yield from self._found
        except StudyError as error:
            yield f"{json.dumps({'faults': as_json(error.faults)})}\n".encode(errors="replace")

    def close(self) -> None:
        """Nobody wants the rest."""
        self._found.close()


class Asked:
    """A question about a study's figures, with all that another process needs to answer it. Everything is
    read from the database at once."""

    def __init__(self, session: Session, pipelines: Pipelines, state: StudyState, table_id: str) -> None:
        study = state.study
        parts = (study.tables, study.models, study.reliability, study.correlations)
        if table_id != ALL and table_id not in {of.id for part in parts for of in part}:
            raise fault(f"There is no table {table_id!r}.", "tables")
        if state.files.sampled:
            what = "What figures depend on is not worked out where records stay in their folder."
            raise fault(what, "", "Import a smaller file of them as a study of its own.")
        self._raw = pipelines.raw(session, state.files.source)
        self._lookups = pipelines.tables(session, state)
        self._document, self._table = document_of(study), table_id

    def _stream(self, name: str, *more: Any) -> Lines:
        args = (self._document, self._raw, dict(self._lookups), self._table, *more)
        return Lines(DEPENDING.stream(name, *args, size=_bytes_of(self._raw), waiting=_WAITING))

    def decisions(self, reading: bool) -> Lines:
        """Lines of JSON (`DependenceLine`): the figures without each decision. reading: without entries of
        the ledger that only make answers readable, too."""
        return self._stream("decisions", reading)

    def paths(self, figure: FigureKey, decisions: Sequence[str]) -> Lines:
        """Lines of JSON (`PathLine`): a figure over every combination of decisions."""
        return self._stream("paths", figure, decisions)

    def influence(self, figure: FigureKey) -> Lines:
        """Lines of JSON (`InfluenceLine`): what carries a figure."""
        return self._stream("influence", figure)


def appendix_of(
    session: Session, pipelines: Pipelines, state: StudyState, figures: Sequence[FigureOf]
) -> tuple[AppendixFigure, ...]:
    """What a release's appendix says of figures; kept as long as the study is the same."""
    document = document_of(state.study.model_copy(update={"release": None}))
    key = key_of("appendix", json.dumps(document, default=str), repr(figures), state.files.source)

    def work() -> tuple[AppendixFigure, ...]:
        raw, lookups = pipelines.raw(session, state.files.source), dict(pipelines.tables(session, state))
        return tuple(DEPENDING.stream("appendix", document, raw, lookups, figures, size=_bytes_of(raw)))

    return pipelines.once(key, work)
