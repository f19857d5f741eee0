"""Source files: their bytes, and the columns read from them."""

import hashlib
import secrets
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import pyarrow as pa
from sqlalchemy import insert, select
from sqlalchemy.orm import Session

from even_ballot.core.data.dataset import RawTable
from even_ballot.core.faults import fault
from even_ballot.core.progress import Progress, quiet, stretch
from even_ballot.core.study.study_file import Source
from even_ballot.store.chunks import column_from, parts_of, rows_from
from even_ballot.store.models import ColumnChunk, SourceBytes, SourceColumn, SourceFile

PIECE = 3 << 20
"""Bytes of a file that are stored together: under 4 MiB even where they do not compress."""


def new_id() -> str:
    """An identifier that nobody guesses."""
    return secrets.token_hex(8)


def _compressed(content: bytes) -> Iterator[bytes]:
    """A file's bytes in compressed pieces, each under the limit; a few are compressed at a time."""
    pieces = [(at, at + PIECE) for at in range(0, len(content), PIECE)]
    with ThreadPoolExecutor(2) as pool:
        yield from pool.map(
            lambda piece: pa.compress(content[piece[0] : piece[1]], codec="zstd", asbytes=True), pieces
        )


def keep_file(
    session: Session,
    name: str,
    content: bytes,
    reading: Source,
    table: RawTable,
    progress: Progress = quiet,
    in_place: str | None = None,
) -> SourceFile:
    """Keeps a file's bytes and its parsed columns. in_place: where all records are, if these are a sample of
    them."""
    file = SourceFile(
        id=new_id(),
        name=name,
        sha256=hashlib.sha256(content).hexdigest(),
        size=len(content),
        packing="zstd",
        reading=reading.model_dump_json(exclude_none=True),
        records=len(table.rows),
        blank_records=table.blank_records,
        in_place=in_place,
    )
    session.add(file)
    session.flush()
    pieces = -(-len(content) // PIECE)
    for number, piece in enumerate(_compressed(content)):
        progress("Storing the file as it came", 0.3 * number / pieces)
        session.execute(insert(SourceBytes).values(file_id=file.id, number=number, content=piece))
    _keep_columns(session, file.id, table, stretch(progress, 0.3, 1))
    return file


def _keep_columns(session: Session, file_id: str, table: RawTable, progress: Progress) -> None:
    """Keeps parsed columns, part after part: every column breaks at the same rows."""
    heads = [("row", ""), *zip(table.names, table.labels, strict=True)]
    session.execute(
        insert(SourceColumn),
        [
            {"file_id": file_id, "position": i, "name": name, "label": label}
            for i, (name, label) in enumerate(heads)
        ],
    )
    together, size, n = list[dict[str, Any]](), 0, len(table.rows)
    for number, (rows, pieces) in enumerate(parts_of(table)):
        for position, piece in enumerate(pieces):
            place = {"file_id": file_id, "position": position, "number": number}
            together.append({**place, "rows": len(rows), "content": piece})
            size += len(piece)
            if size > PIECE:
                session.execute(insert(ColumnChunk), together)
                together, size = [], 0
        progress(f"Storing record {rows.stop:,} of {n:,}", rows.stop / max(n, 1))
    if together:
        session.execute(insert(ColumnChunk), together)


def find_file(session: Session, file_id: str) -> SourceFile:
    """A file's record."""
    file = session.get(SourceFile, file_id)
    if file is None:
        raise fault("There is no such file.", "file", "Import it again.")
    return file


def file_ids(session: Session) -> set[str]:
    """The identifiers of all files that are kept."""
    return set(session.scalars(select(SourceFile.id)))


def file_bytes(session: Session, file_id: str) -> bytes:
    """A file as it came."""
    pieces = session.scalars(
        select(SourceBytes.content).where(SourceBytes.file_id == file_id).order_by(SourceBytes.number)
    )
    packed = find_file(session, file_id).packing is not None
    return b"".join(map(unpacked, pieces) if packed else pieces)


def unpacked(piece: bytes) -> bytes:
    """A compressed piece as it came."""
    with pa.CompressedInputStream(pa.BufferReader(piece), "zstd") as stream:
        return bytes(stream.read())


def file_table(session: Session, file_id: str) -> RawTable:
    """The columns read from a file."""
    file = find_file(session, file_id)
    heads = session.execute(
        select(SourceColumn.name, SourceColumn.label)
        .where(SourceColumn.file_id == file_id)
        .order_by(SourceColumn.position)
    ).all()
    pieces: list[list[bytes]] = [[] for _ in heads]
    wanted = select(ColumnChunk.position, ColumnChunk.content).where(ColumnChunk.file_id == file_id)
    for position, content in session.execute(wanted.order_by(ColumnChunk.position, ColumnChunk.number)):
        pieces[position].append(content)
    names, labels = zip(*[(head.name, head.label) for head in heads[1:]], strict=True)
    return RawTable(
        names, labels, tuple(map(column_from, pieces[1:])), rows_from(pieces[0]), file.blank_records
    )
