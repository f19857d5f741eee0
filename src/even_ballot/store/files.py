"""Source files: their bytes, and the columns read from them."""

import hashlib
import secrets

from sqlalchemy import insert, select
from sqlalchemy.orm import Session

from even_ballot.core.dataset import RawTable
from even_ballot.core.faults import fault
from even_ballot.core.study import Source
from even_ballot.store.chunks import LIMIT, column_chunks, column_from, row_chunks, rows_from
from even_ballot.store.models import ColumnChunk, SourceBytes, SourceColumn, SourceFile


def new_id() -> str:
    """An identifier that nobody guesses."""
    return secrets.token_hex(8)


def keep_file(session: Session, name: str, content: bytes, reading: Source, table: RawTable) -> SourceFile:
    """Keeps a file's bytes and its parsed columns."""
    file = SourceFile(
        id=new_id(), name=name, sha256=hashlib.sha256(content).hexdigest(), size=len(content),
        reading=reading.model_dump_json(exclude_none=True), records=len(table.rows), blank_records=table.blank_records,
    )  # fmt: skip
    session.add(file)
    session.flush()
    for number, at in enumerate(range(0, len(content), LIMIT)):
        session.execute(insert(SourceBytes).values(file_id=file.id, number=number, content=content[at : at + LIMIT]))
    heads = [("row", ""), *zip(table.names, table.labels, strict=True)]
    session.execute(
        insert(SourceColumn),
        [{"file_id": file.id, "position": i, "name": name, "label": label} for i, (name, label) in enumerate(heads)],
    )
    streams = [row_chunks(table.rows), *(column_chunks(column) for column in table.columns)]
    for position, chunks in enumerate(streams):
        for number, (rows, piece) in enumerate(chunks):
            session.execute(insert(ColumnChunk).values(file_id=file.id, position=position, number=number, rows=rows, content=piece))
    return file


def find_file(session: Session, file_id: str) -> SourceFile:
    """A file's record."""
    file = session.get(SourceFile, file_id)
    if file is None:
        raise fault("There is no such file.", "file", "Bring it in again.")
    return file


def file_bytes(session: Session, file_id: str) -> bytes:
    """A file as it came."""
    pieces = session.scalars(select(SourceBytes.content).where(SourceBytes.file_id == file_id).order_by(SourceBytes.number))
    return b"".join(pieces)


def file_table(session: Session, file_id: str) -> RawTable:
    """The columns read from a file."""
    file = find_file(session, file_id)
    heads = session.execute(
        select(SourceColumn.name, SourceColumn.label).where(SourceColumn.file_id == file_id).order_by(SourceColumn.position)
    ).all()
    pieces: list[list[bytes]] = [[] for _ in heads]
    wanted = select(ColumnChunk.position, ColumnChunk.content).where(ColumnChunk.file_id == file_id)
    for position, content in session.execute(wanted.order_by(ColumnChunk.position, ColumnChunk.number)):
        pieces[position].append(content)
    names, labels = zip(*[(head.name, head.label) for head in heads[1:]], strict=True)
    return RawTable(names, labels, tuple(map(column_from, pieces[1:])), rows_from(pieces[0]), file.blank_records)
