"""Files that are brought in: read in a process of their own, and kept."""

from pathlib import PurePath
from typing import TYPE_CHECKING

from sqlalchemy.orm import Session

from even_ballot.core.progress import Progress, quiet, stretch
from even_ballot.core.study.study_file import Source
from even_ballot.formats.exchange.bundle import safe_name
from even_ballot.services.in_place.folders import InPlace
from even_ballot.services.workers.helper_processes import READERS
from even_ballot.store.files import keep_file
from even_ballot.store.models import SourceFile

if TYPE_CHECKING:
    from even_ballot.services.in_place.sampling import Drawn


def keep(
    session: Session, name: str, content: bytes, said: Source | None = None, progress: Progress = quiet
) -> SourceFile:
    """Reads and keeps a file; what `said` leaves out is guessed. Where it cannot be read, StudyError, and
    nothing is kept."""
    source = (said or Source(path=name)).model_copy(update={"path": safe_name(name)})
    table, reading = READERS.run(
        "read", content, source, size=len(content), progress=stretch(progress, 0, 0.6), where=name
    )
    return keep_file(session, source.path[-255:], content, reading, table, stretch(progress, 0.6, 1))


def place_of(file: SourceFile) -> InPlace | None:
    """The folder that a file is a sample of."""
    return None if file.in_place is None else InPlace.load(file.in_place)


def keep_drawn(session: Session, drawn: "Drawn", progress: Progress = quiet) -> SourceFile:
    """Keeps a sample of records that stay where they are."""
    name, source = PurePath(drawn.source.folder).name or "Parts", drawn.source.dump()
    return keep_file(session, name[-255:], drawn.content, drawn.reading, drawn.table, progress, source)
