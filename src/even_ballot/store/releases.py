"""Releases that were made: their files as they were, kept for good; and templates of text documents."""

import hashlib
from collections.abc import Iterable, Iterator
from dataclasses import dataclass

import pyarrow as pa
from sqlalchemy import delete, func, insert, select
from sqlalchemy.orm import Session

from even_ballot.core.faults import fault
from even_ballot.store.files import PIECE, unpacked
from even_ballot.store.models import (
    ReleasedFile,
    ReleasedPiece,
    ReleaseRecord,
    StudyRecord,
    StudyTemplate,
    now,
)
from even_ballot.store.studies import who


@dataclass(frozen=True)
class FileEntry:
    """A file of a release: its name, size and SHA-256."""

    name: str
    size: int
    sha256: str


def _pieces(content: Iterable[bytes]) -> Iterator[bytes]:
    """The same bytes in pieces under the limit, filled up as far as they come in small ones."""
    held = bytearray()
    for part in content:
        held += part
        while len(held) >= PIECE:
            yield bytes(held[:PIECE])
            del held[:PIECE]
    if held:
        yield bytes(held)


class NewRelease:
    """A release on its way into the database; nobody sees it before it is whole."""

    def __init__(
        self, session: Session, study_id: str, title: str, edition: int, document: str, version: str
    ) -> None:
        self._session, self._study = session, study_id
        # Two at once take their numbers one after the other.
        session.execute(select(StudyRecord.id).where(StudyRecord.id == study_id).with_for_update())
        last = session.scalar(
            select(func.max(ReleaseRecord.number)).where(ReleaseRecord.study_id == study_id)
        )
        self.number = (last or 0) + 1
        self._position = 0
        session.add(
            ReleaseRecord(
                study_id=study_id,
                number=self.number,
                title=title[:500],
                made_from=edition,
                study_sha256=hashlib.sha256(document.encode()).hexdigest(),
                document=document,
                version=version,
                who=who(),
                made=now(),
            )
        )
        session.flush()

    def keep(self, name: str, content: Iterable[bytes]) -> FileEntry:
        """Keeps a file, piece by piece."""
        digest, size, pieces = hashlib.sha256(), 0, list[bytes]()
        for piece in _pieces(content):
            digest.update(piece)
            size += len(piece)
            pieces.append(pa.compress(piece, codec="zstd", asbytes=True))
        entry = FileEntry(name, size, digest.hexdigest())
        place = {"study_id": self._study, "release": self.number, "name": name}
        own = {"position": self._position, "sha256": entry.sha256, "size": size}
        self._session.execute(insert(ReleasedFile).values(**place, **own))
        for number, piece in enumerate(pieces):
            self._session.execute(insert(ReleasedPiece).values(**place, number=number, content=piece))
        self._position += 1
        return entry


def releases_of(session: Session, study_id: str) -> list[ReleaseRecord]:
    """A study's releases, the newest first."""
    wanted = select(ReleaseRecord).where(ReleaseRecord.study_id == study_id)
    return list(session.scalars(wanted.order_by(ReleaseRecord.number.desc())))


def find_release(session: Session, study_id: str, number: int) -> ReleaseRecord:
    """A release. Raises StudyError where there is none."""
    found = session.get(ReleaseRecord, (study_id, number))
    if found is None:
        raise fault(f"There is no release {number}.", "release", "Choose one that was made.")
    return found


def released_files(session: Session, study_id: str, number: int) -> tuple[FileEntry, ...]:
    """The files of a release, in the order they were made."""
    wanted = select(ReleasedFile).where(ReleasedFile.study_id == study_id, ReleasedFile.release == number)
    found = session.scalars(wanted.order_by(ReleasedFile.position))
    return tuple(FileEntry(file.name, file.size, file.sha256) for file in found)


def released_file(session: Session, study_id: str, number: int, name: str) -> bytes:
    """A file as it was released. Raises StudyError where there is none."""
    if session.get(ReleasedFile, (study_id, number, name)) is None:
        raise fault(f"Release {number} has no {name!r}.", "release", "Choose one of its files.")
    wanted = select(ReleasedPiece.content).where(
        ReleasedPiece.study_id == study_id, ReleasedPiece.release == number, ReleasedPiece.name == name
    )
    return b"".join(unpacked(piece) for piece in session.scalars(wanted.order_by(ReleasedPiece.number)))


def keep_template(session: Session, study_id: str, name: str, content: bytes) -> None:
    """Keeps a template under a name, in place of one of that name."""
    mine = (StudyTemplate.study_id == study_id, StudyTemplate.name == name)
    session.execute(delete(StudyTemplate).where(*mine))
    for number, at in enumerate(range(0, len(content), PIECE)):
        piece = {"number": number, "content": content[at : at + PIECE]}
        session.execute(insert(StudyTemplate).values(study_id=study_id, name=name, **piece))


def find_template(session: Session, study_id: str, name: str) -> bytes | None:
    """A template by its name; None where there is none."""
    wanted = select(StudyTemplate.content).where(
        StudyTemplate.study_id == study_id, StudyTemplate.name == name
    )
    pieces = list(session.scalars(wanted.order_by(StudyTemplate.number)))
    return b"".join(pieces) if pieces else None
