"""Bringing files in: read, kept, shown before they are taken over."""

import numpy as np
from sqlalchemy.orm import Session

from even_ballot.core.dataset import ANSWERED, BLANK, Column, RawTable
from even_ballot.core.reading import guess_kind
from even_ballot.core.study import Source
from even_ballot.formats.source import read_source
from even_ballot.formats.spreadsheet import sheets_of
from even_ballot.services.bench import Bench
from even_ballot.services.views import Answer, ColumnPreview, FilePreview
from even_ballot.store.files import file_bytes, find_file, keep_file

_SHOWN = 12


def _column(name: str, label: str, column: Column) -> ColumnPreview:
    counts = np.bincount(column.values[column.state == ANSWERED], minlength=len(column.words))
    order = np.argsort(-counts, kind="stable")
    found = [Answer(column.words[i], int(counts[i])) for i in order[:_SHOWN] if counts[i]]
    blanks = int((column.state == BLANK).sum())
    return ColumnPreview(name, label, guess_kind(column), blanks, int((counts > 0).sum()), tuple(found))


def preview(session: Session, bench: Bench, file_id: str) -> FilePreview:
    """A kept file at a glance."""
    return bench.once(f"preview:{file_id}", lambda: _preview(session, bench, file_id), file=True)


def _preview(session: Session, bench: Bench, file_id: str) -> FilePreview:
    file = find_file(session, file_id)
    table = bench.raw(session, file_id)
    reading = Source.model_validate_json(file.reading)
    sheets = tuple(sheets_of(file_bytes(session, file_id))) if reading.format in ("xlsx", "ods") else ()
    return FilePreview(
        file.id, file.name, file.size, file.records, file.blank_records, reading, _columns(table), sheets
    )  # fmt: skip


def _columns(table: RawTable) -> tuple[ColumnPreview, ...]:
    return tuple(_column(*parts) for parts in zip(table.names, table.labels, table.columns, strict=True))


def bring_in(session: Session, bench: Bench, name: str, content: bytes, said: Source | None = None) -> FilePreview:
    """Reads and keeps a file; what `said` leaves out is guessed. Where it cannot be read, StudyError, and nothing is kept."""
    source = (said or Source(path=name)).model_copy(update={"path": name})
    table, reading = read_source(content, source)
    file = keep_file(session, name[:255], content, reading, table)
    return preview(session, bench, file.id)


def read_again(session: Session, bench: Bench, file_id: str, said: Source) -> FilePreview:
    """The same bytes read another way, as a file of its own."""
    file = find_file(session, file_id)
    return bring_in(session, bench, file.name, file_bytes(session, file_id), said)
