"""Bringing files in: read, kept, shown before they are imported."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import IO

from sqlalchemy.orm import Session

from even_ballot.core.data.codebook import Codebook
from even_ballot.core.data.dataset import RawTable
from even_ballot.core.draft.line import DraftLine, LineKind
from even_ballot.core.draft.taking import added, taken
from even_ballot.core.faults import fault
from even_ballot.core.ledger import AnyStep
from even_ballot.core.ledger.step import changed_cells
from even_ballot.core.progress import Progress
from even_ballot.core.study.study_file import Source
from even_ballot.formats.sources.letters.encodings import readable_in, says_its_encoding
from even_ballot.services.states.elsewhere import in_a_helper
from even_ballot.services.states.kept_files import keep, place_of
from even_ballot.services.states.study_states import Pipelines
from even_ballot.services.stations.judging import columns_of, columns_shown, draft_lines, line_as, line_view
from even_ballot.services.stations.views import (
    EncodingReading,
    FilePreview,
    LineView,
)
from even_ballot.services.workers.helper_processes import HELPERS
from even_ballot.services.workers.jobs import Jobs, JobView
from even_ballot.store.files import file_bytes, find_file
from even_ballot.store.studies import StudyState


def preview(session: Session, pipelines: Pipelines, file_id: str) -> FilePreview:
    """A kept file at a glance."""
    return pipelines.once(f"preview:{file_id}", lambda: _preview(session, pipelines, file_id))


def _preview(session: Session, pipelines: Pipelines, file_id: str) -> FilePreview:
    file = find_file(session, file_id)
    table = pipelines.raw(session, file_id)
    reading = Source.model_validate_json(file.reading)
    sheets = _sheets(session, file_id) if reading.format in ("xlsx", "ods") else ()
    return FilePreview(
        file.id,
        file.name,
        file.size,
        file.records,
        file.blank_records,
        reading,
        in_a_helper(columns_shown, table, reading.decimal or "."),
        sheets,
        _readings(session, file_id, reading),
        None if (place := place_of(file)) is None else place.sample(file.records + file.blank_records),
    )


def _readings(session: Session, file_id: str, reading: Source) -> tuple[EncodingReading, ...]:
    encoding = reading.encoding or "utf-8"
    if reading.format != "csv" or encoding.lower().startswith(("utf", "ascii")):
        return ()
    content = file_bytes(session, file_id)
    beside = HELPERS.run("readings", content, encoding, size=len(content))
    return tuple(EncodingReading(found.encoding, found.words) for found in beside)


def _sheets(session: Session, file_id: str) -> tuple[str, ...]:
    content = file_bytes(session, file_id)
    return tuple(HELPERS.run("sheets", content, size=len(content)))


def _read(session: Session, pipelines: Pipelines, file_id: str) -> tuple[RawTable, str]:
    """A kept file's columns, and what it marks decimals with."""
    reading = Source.model_validate_json(find_file(session, file_id).reading)
    return pipelines.raw(session, file_id), reading.decimal or "."


def look(session: Session, pipelines: Pipelines, file_id: str, line: DraftLine) -> LineView:
    """A line of a draft, and what it makes of a kept file's answers."""
    table, _ = _read(session, pipelines, file_id)
    return in_a_helper(line_view, columns_of(table, line.questions), line)


def draft_of(session: Session, pipelines: Pipelines, file_id: str) -> tuple[LineView, ...]:
    """The draft of a codebook for a kept file."""

    def make() -> tuple[LineView, ...]:
        return in_a_helper(draft_lines, *_read(session, pipelines, file_id))

    return pipelines.once(f"draft:{file_id}", make)


def draft_as(
    session: Session, pipelines: Pipelines, file_id: str, kind: LineKind, questions: Sequence[str]
) -> LineView:
    """Columns of a kept file as another kind than was proposed."""
    table, decimal = _read(session, pipelines, file_id)
    asked = columns_of(table, questions)
    return in_a_helper(line_as, asked, decimal, kind, tuple(questions), frozenset(table.names))


def taken_lines(
    session: Session, pipelines: Pipelines, file_id: str, lines: Sequence[DraftLine]
) -> tuple[Codebook, tuple[AnyStep, ...]]:
    """The codebook and the ledger that some lines of a kept file's draft make."""
    if not lines:
        return Codebook(), ()
    table, decimal = _read(session, pipelines, file_id)
    return in_a_helper(taken, tuple(lines), table, decimal)


@dataclass(frozen=True)
class Added:
    """A study's codebook and ledger with what some lines of a draft propose."""

    codebook: Codebook
    ledger: tuple[AnyStep, ...]


def added_to(session: Session, pipelines: Pipelines, state: StudyState, lines: Sequence[DraftLine]) -> Added:
    """What some lines of its file's draft make of a study's codebook and ledger. Raises StudyError where a
    question of them is not any more as the file has it."""
    table, decimal = _read(session, pipelines, state.files.source)
    ledgered = pipelines.ledgered(session, state)[1]
    before, now = ledgered.start, ledgered.last
    for name in (name for line in lines for name in line.questions):
        there = name in before.variables and name in now.variables
        if (
            not there
            or now.variables[name].kind not in ("text", "number", "date")
            or changed_cells(before.column(name), now.column(name), text=True)
        ):
            raise fault(
                f"The ledger has already changed {name}.",
                "lines",
                "The draft needs the original answers: switch off the ledger entries that change "
                "them, or code them yourself.",
            )
    codebook, steps = in_a_helper(added, state.study.codebook, tuple(lines), table, decimal)
    return Added(codebook, (*state.study.ledger, *steps))


def bring_in(
    session: Session, pipelines: Pipelines, name: str, content: bytes, said: Source | None = None
) -> FilePreview:
    """Reads and keeps a file at once, and shows it."""
    return preview(session, pipelines, keep(session, name, content, said).id)


def _inherited(session: Session, like: str | None, name: str, content: bytes) -> Source | None:
    """The encoding of an earlier file, for bytes that do not say their own and can be read in it."""
    if like is None or says_its_encoding(content):
        return None
    encoding = Source.model_validate_json(find_file(session, like).reading).encoding
    return Source(path=name, encoding=encoding) if encoding and readable_in(content, encoding) else None


def begin(jobs: Jobs, name: str, file: IO[bytes], like: str | None = None) -> JobView:
    """A job that reads and keeps an uploaded file; its result is the file's identifier. Where its bytes do
    not say how they are read, they are read as the file `like` was."""

    def work(session: Session, progress: Progress) -> str:
        with file:
            progress("Reading", None)
            content = file.read()
            said = _inherited(session, like, name, content)
            return keep(session, name, content, said, progress).id

    return jobs.start("intake", name, work)


def begin_again(session: Session, jobs: Jobs, file_id: str, said: Source) -> JobView:
    """A job that reads the same bytes another way, as a file of its own."""
    file = find_file(session, file_id)
    if file.in_place is not None:
        mend = "What is in its parts is read as it stands."
        raise fault("A sample of records that stay in their folder is not read another way.", "file", mend)
    name = file.name

    def work(own: Session, progress: Progress) -> str:
        progress("Reading", None)
        return keep(own, name, file_bytes(own, file_id), said, progress).id

    return jobs.start("intake", name, work)
