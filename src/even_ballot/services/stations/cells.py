"""The cells of all cases as a grid: any stretch of rows, sorted and filtered over all of them."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from pydantic import BaseModel, Field
from sqlalchemy.orm import Session

from even_ballot.core.data.codebook import Kind
from even_ballot.core.data.dataset import BLANK, UNPLACED, Dataset
from even_ballot.core.data.formulas import Formula
from even_ballot.core.faults import fault
from even_ballot.core.numerics.arrays import Bools, Ints
from even_ballot.core.screening import Behind, Finding, behind
from even_ballot.core.study.nodes import key_of
from even_ballot.formats.exchange.microdata import entries
from even_ballot.services.states.elsewhere import in_a_helper
from even_ballot.services.states.study_states import Pipelines
from even_ballot.store.studies import StudyState

MOST_ROWS, MOST_COLUMNS = 400, 200


class CellsWanted(BaseModel):
    """Which cells: a stretch of rows of some columns (default: all). where: a condition; finding: only its
    cases; aside: instead of the cases in use, those that this entry of the ledger (from 1) set aside."""

    columns: list[str] | None = None
    offset: int = Field(default=0, ge=0)
    limit: int = Field(default=100, ge=0, le=MOST_ROWS)
    sort: str | None = None
    descending: bool = False
    where: str | None = None
    finding: Finding | None = None
    aside: int | None = None


@dataclass(frozen=True)
class CellsColumn:
    """A column of the grid."""

    name: str
    label: str
    kind: Kind


@dataclass(frozen=True)
class CellsRow:
    """A case: its record number, its identifier where there is one, whether that tells it from all others,
    its entries by column as they are written (codes for coded ones), their labels, and each cell's state
    (0 answered, 1 blank, 2 no answer, 3 not placed)."""

    row: int
    id: str | None
    alone: bool
    entries: tuple[str, ...]
    labels: tuple[str | None, ...]
    states: tuple[int, ...]


@dataclass(frozen=True)
class CellsView:
    """A stretch of rows. cases: rows there are under the conditions; of: cases without them."""

    cases: int
    of: int
    offset: int
    columns: tuple[CellsColumn, ...]
    every: tuple[str, ...]
    identifier: str | None
    rows: tuple[CellsRow, ...]


def _order(data: Dataset, name: str, descending: bool) -> Ints:
    """The cases by a variable's answers: numbers and codes by size, texts by the alphabet; what has no
    answer last."""
    column = data.column(name, "sort")
    values = column.values.astype(np.float64)
    worded = column.state == UNPLACED
    if data.variable(name).kind == "text":
        worded = column.state != BLANK
    if column.words and worded.any():
        ranks = np.empty(len(column.words))
        ranks[sorted(range(len(column.words)), key=lambda i: column.words[i].casefold())] = np.arange(
            len(column.words)
        )
        # Entries that were not placed come after all that were.
        values[worded] = ranks[column.values[worded].astype(np.int64)] + (
            0 if data.variable(name).kind == "text" else 1e15
        )
    if descending:
        values = -values
    values[column.state == BLANK] = np.inf
    return np.argsort(values, kind="stable")


def _aside(session: Session, pipelines: Pipelines, state: StudyState, step: int) -> tuple[str, Dataset]:
    """The cases that an entry of the ledger set aside, as they were before it."""
    key, ledgered = pipelines.ledgered(session, state)
    if not 1 <= step <= len(ledgered.states):
        raise fault(f"Ledger entry {step} does not exist or was not applied.", "aside", "Choose another.")
    before = ledgered.states[step - 2] if step > 1 else ledgered.start
    key = key_of("aside", key, str(step))
    return key, pipelines.once(
        key, lambda: before.where(~np.isin(before.rows, ledgered.states[step - 1].rows))
    )


def _kept(data: Dataset, wanted: CellsWanted, state: StudyState) -> Bools | None:
    keep = None if wanted.where is None else Formula(wanted.where, "where").true(data)
    if wanted.finding is not None:
        about = wanted.finding, state.study.codebook, state.study.screening
        found: Behind = in_a_helper(behind, data, *about)
        keep = found.cases if keep is None else keep & found.cases
    return keep


def _rows(data: Dataset, wanted: CellsWanted, state: StudyState) -> Ints:
    """The places of the cases wanted, in the order wanted."""
    keep = _kept(data, wanted, state)
    if wanted.sort is None:
        return np.arange(data.n) if keep is None else np.flatnonzero(keep)
    order = _order(data, wanted.sort, wanted.descending)
    return order if keep is None else order[keep[order]]


def cells(session: Session, pipelines: Pipelines, state: StudyState, wanted: CellsWanted) -> CellsView:
    """A stretch of the grid. The order of all rows is worked out once for each way of asking and kept."""
    if wanted.aside is None:
        key, ledgered = pipelines.ledgered(session, state)
        data = ledgered.last
    else:
        key, data = _aside(session, pipelines, state, wanted.aside)
    asked = wanted.model_dump_json(include={"sort", "descending", "where", "finding"})
    settings = state.study.screening.model_dump_json() + state.study.codebook.model_dump_json(
        include={"rules"}
    )
    place = key_of("cells", key, asked, settings if wanted.finding else "")
    order = pipelines.once(place, lambda: _rows(data, wanted, state))
    every = tuple(name for name, v in data.variables.items() if v.kind != "multi")
    names = every if wanted.columns is None else tuple(wanted.columns)
    if len(names) > MOST_COLUMNS:
        names = names[:MOST_COLUMNS]
    at = order[wanted.offset : wanted.offset + wanted.limit]
    identifier = data.with_role("id")
    columns = tuple(
        CellsColumn(name, data.variable(name, "columns").title, data.variable(name).kind) for name in names
    )
    rows = _shown(data, at, names, identifier, pipelines, key)
    return CellsView(len(order), data.n, wanted.offset, columns, every, identifier, rows)


def _alone(data: Dataset, identifier: str) -> Bools:
    """Whether each case's identifier is its own alone."""
    column = data.column(identifier)
    _, index, counts = np.unique(column.values, return_inverse=True, return_counts=True)
    return np.asarray((counts[index.ravel()] == 1) & column.answered)


def _shown(
    data: Dataset, at: Ints, names: Sequence[str], identifier: str | None, pipelines: Pipelines, key: str
) -> tuple[CellsRow, ...]:
    taken = {
        name: data.column(name, "columns").take(at)
        for name in dict.fromkeys((*names, *([identifier] if identifier else [])))
    }
    written = {name: entries(column, data.variable(name).kind) for name, column in taken.items()}
    labels: list[list[str | None]] = []
    for name in names:
        scale, extra = (
            data.scale_of(name) if data.variable(name).kind == "coded" else None,
            data.variable(name).missing,
        )
        said = {
            item.code: item.label
            for item in (*(scale.codes if scale else ()), *(scale.missing if scale else ()), *extra)
        }
        column = taken[name]
        labels.append(
            [
                None if s in (BLANK, UNPLACED) else said.get(v)
                for v, s in zip(column.values.tolist(), column.state.tolist(), strict=True)
            ]
        )
    alone = (
        None if identifier is None else pipelines.once(key_of("alone", key), lambda: _alone(data, identifier))
    )
    states = [taken[name].state.tolist() for name in names]
    return tuple(
        CellsRow(
            int(data.rows[case]),
            None if identifier is None else written[identifier][i],
            identifier is None or bool(alone is not None and alone[case]),
            tuple(written[name][i] for name in names),
            tuple(column[i] for column in labels),
            tuple(column[i] for column in states),
        )
        for i, case in enumerate(at.tolist())
    )


@dataclass(frozen=True)
class FlowEntry:
    """An entry of the ledger that set cases aside: how many, and why."""

    step: int
    sentence: str
    why: str | None
    off: bool
    cases: int
    left: int


@dataclass(frozen=True)
class FlowView:
    """Cases received, set aside entry by entry, and in use."""

    received: int
    entries: tuple[FlowEntry, ...]
    in_use: int


def flow(session: Session, pipelines: Pipelines, state: StudyState) -> FlowView:
    """How many cases were received, set aside by which entry and why, and are in use."""
    ledgered = pipelines.ledgered(session, state)[1]
    found = tuple(
        FlowEntry(e.step, e.sentence, e.why, e.off, e.cases_before - e.cases_after, e.cases_after)
        for e in ledgered.effects
        if e.do == "drop_cases"
    )
    return FlowView(ledgered.start.n, found, ledgered.last.n)
