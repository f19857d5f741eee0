"""A study file run by workers."""

import contextlib
import shutil
import tempfile
from collections.abc import Generator, Iterator, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING

from even_ballot.core.faults import fault
from even_ballot.core.progress import Progress
from even_ballot.core.sampling.design import former_names
from even_ballot.core.study.study_file import Study
from even_ballot.formats.sources.source import read_source
from even_ballot.services.answers import load_table, source_files
from even_ballot.services.running import files_of, load_study, read_study_document
from even_ballot.services.scale.work import Job, first_record, without_records

if TYPE_CHECKING:
    from even_ballot.core.release.plan import Format
    from even_ballot.services.releases.files import ReleaseFiles

_PIECE = 1 << 20


@dataclass(frozen=True)
class Workers:
    """Who works: so many on this machine, or those of a scheduler. memory: bytes that each holds of what is
    as long as its parts."""

    count: int | None = None
    scheduler: str | None = None
    memory: int = 500 << 20


def job_of(
    path: Path, study: Study, records: str | None = None, outside: bool = False, guard: bool = True
) -> Job:
    """What workers get of a study file: where its parts are, what their columns are, and how they are read.
    records: the folder that records go into; None for none. Raises StudyError."""
    folder = path.parent.resolve()
    names = source_files(folder, study.source, "source")
    if study.design.save_replicates:
        mend = "Run without workers, or leave save_replicates out."
        raise fault("Workers do not write replicate weights.", "design.save_replicates", mend)
    if study.release is not None and study.release.depends:
        mend = "Run without workers, or leave depends out."
        raise fault("Workers do not work out what figures depend on.", "release.depends", mend)
    if not outside and any(not (folder / name).resolve().is_relative_to(folder) for name in names):
        mend = "Move them there, or run with --allow-outside."
        raise fault("Parts are outside the study file's folder.", "source.path", mend)
    head, reading = read_source(
        first_record(folder / names[0]), study.source.model_copy(update={"path": names[0]})
    )
    reading = reading.model_copy(update={"path": study.source.path})
    lookups = {
        name: load_table(path.parent, of, f"lookups.{name}", outside)[0] for name, of in study.lookups.items()
    }
    read = study.model_copy(update={"source": reading})
    document = read.model_dump_json(by_alias=True, exclude_unset=True)
    return Job(document, str(folder), tuple(names), without_records(head), lookups, records, guard)


@contextlib.contextmanager
def released_by(
    path: Path,
    workers: Workers,
    beside: Path,
    formats: "Sequence[Format] | None",
    progress: Progress,
    guard: bool = True,
    outside: bool = False,
) -> "Generator[ReleaseFiles, None, None]":
    """A study file run on the parts it names, and what makes the files of its release, as long as this is.
    beside: the folder that they will go into; records are held next to it until then. Raises StudyError."""
    from even_ballot.services.scale.cluster import run_on, workers_of

    study, former = load_study(path), former_names(read_study_document(path))
    beside = beside.absolute()
    beside.parent.mkdir(parents=True, exist_ok=True)
    held = tempfile.mkdtemp(prefix=f".{beside.name}-", dir=beside.parent)
    try:
        job = replace(job_of(path, study, held, outside, guard), memory=workers.memory)
        with workers_of(workers.count, workers.scheduler) as client:
            results, names = run_on(client, job, workers.count, lambda _: contextlib.nullcontext(progress))
        guessed = study.source.guessed(job.study.source)
        results = replace(results, guessed=guessed, former=former)
        files = files_of(path, study, results, formats, guard, outside)
        files.written = {name: _pieces(Path(held) / name) for name in names}
        yield files
    finally:
        shutil.rmtree(held, ignore_errors=True)


def _pieces(path: Path) -> Iterator[bytes]:
    with path.open("rb") as file:
        yield from iter(lambda: file.read(_PIECE), b"")
