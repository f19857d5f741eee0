"""What is judged of a file's contents: kinds, answers, the lines of a draft. It looks at every entry, so it
is worked out in a process of its own (`helper_processes`), with nothing but the table."""

from collections.abc import Sequence

import numpy as np

from even_ballot.core.data.dataset import ANSWERED, BLANK, Column, RawTable
from even_ballot.core.data.interpretation import guess_kind
from even_ballot.core.draft.answers import Answers, answers_in
from even_ballot.core.draft.draft import draft
from even_ballot.core.draft.effect import effect
from even_ballot.core.draft.line import DraftLine, LineKind
from even_ballot.core.draft.otherwise import proposed_as
from even_ballot.core.faults import fault, some
from even_ballot.services.stations.views import Answer, ColumnPreview, LineView

_SHOWN = 12


def columns_shown(table: RawTable, decimal: str) -> tuple[ColumnPreview, ...]:
    """Every column of a file at a glance."""
    return tuple(
        _column(*parts, decimal) for parts in zip(table.names, table.labels, table.columns, strict=True)
    )


def _column(name: str, label: str, column: Column, decimal: str) -> ColumnPreview:
    counts = np.bincount(column.values[column.state == ANSWERED], minlength=len(column.words))
    order = np.argsort(-counts, kind="stable")
    found = [Answer(column.words[i], int(counts[i])) for i in order[:_SHOWN] if counts[i]]
    blanks = int((column.state == BLANK).sum())
    return ColumnPreview(
        name, label, guess_kind(column, decimal), blanks, int((counts > 0).sum()), tuple(found)
    )


def draft_lines(table: RawTable, decimal: str) -> tuple[LineView, ...]:
    """The draft of a codebook for a file, each line with what it makes of the answers."""
    return tuple(line_view(table, line) for line in draft(table, decimal))


def line_view(table: RawTable, line: DraftLine) -> LineView:
    """A line of a draft, and what it makes of a file's answers."""
    answers = _answers(table, line.questions)
    titles = tuple(found.label for found in answers)
    return LineView(line, titles, line.unsure, effect(line, answers))


def line_as(
    table: RawTable, decimal: str, kind: LineKind, questions: Sequence[str], names: frozenset[str]
) -> LineView:
    """Columns of a file as another kind than was proposed; names: of all its columns."""
    return line_view(table, proposed_as(kind, _answers(table, questions), decimal, names))


def columns_of(table: RawTable, names: Sequence[str]) -> RawTable:
    """Some columns of a file by themselves. Raises StudyError where it has no such column."""
    at = {name: i for i, name in enumerate(table.names)}
    if absent := [name for name in names if name not in at]:
        there = f"Columns: {some(table.names, 12)}."
        raise fault(f"The file has no column {some(absent)}.", "questions", there)
    places = [at[name] for name in names]
    return RawTable(
        tuple(names),
        tuple(table.labels[i] for i in places),
        tuple(table.columns[i] for i in places),
        table.rows,
        table.blank_records,
    )


def _answers(table: RawTable, names: Sequence[str]) -> list[Answers]:
    held = columns_of(table, names)
    return [answers_in(*parts) for parts in zip(held.names, held.labels, held.columns, strict=True)]
