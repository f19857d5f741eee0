"""The answers that a study file points at: a file, a folder of parts, or files by a pattern."""

import hashlib
import os
import shutil
import stat
import tempfile
from collections.abc import Sequence
from pathlib import Path

from even_ballot.core.data.dataset import RawTable
from even_ballot.core.data.interpretation import guess_decimal
from even_ballot.core.faults import fault
from even_ballot.core.numerics.compiled import prepare
from even_ballot.core.progress import Progress, quiet
from even_ballot.core.study.study_file import Source, Study
from even_ballot.services.workers.helper_processes import forked

_MOST_FILES, _MOST_BYTES, _LARGE = 10_000, 8 << 30, 20 << 20
_PATTERN = frozenset("*?[")
_READ = (".csv", ".tsv", ".txt", ".parquet", ".jsonl", ".ndjson", ".xlsx", ".ods")


def opened(path: Path, where: str, inside: Path | None, most: int) -> bytes:
    """A regular file's bytes; `inside`: the folder it has to stand in, links followed."""
    try:
        if inside is not None and not path.resolve().is_relative_to(inside.resolve()):
            raise fault(
                f"{path} is outside the study file's folder.",
                where,
                "Move it there, or run with --allow-outside.",
            )
        # Not waiting for somebody to write into it, where it is a pipe.
        handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK)
        with os.fdopen(handle, "rb") as file:
            about = os.fstat(handle)
            if not stat.S_ISREG(about.st_mode):
                raise fault(f"{path} is not a regular file.", where, "Name a file.")
            if about.st_size > most:
                raise fault(
                    f"{path} is larger than {most / 2**30:g} GiB.", where, "Leave out what is not needed."
                )
            return file.read()
    except (OSError, ValueError) as error:
        said = error.strerror if isinstance(error, OSError) else str(error)
        raise fault(
            f"{path} cannot be read: {said}.", where, "Paths are relative to the study file."
        ) from None


def source_files(folder: Path, source: Source, where: str) -> list[str]:
    """The files that a source is read from, by their paths from a folder, in the order of their names: the
    one it names, all of a folder, or those that match a pattern (*, ?, […])."""
    path = folder / source.path
    if path.is_dir():
        # What a program keeps beside parts begins with a dot or an underscore.
        found = sorted(
            item.name for item in path.iterdir()
            if item.suffix.lower() in _READ and not item.name.startswith((".", "_"))
        )  # fmt: skip
        names = [f"{source.path.rstrip('/')}/{name}" for name in found]
    elif _PATTERN & set(source.path) and not path.exists():
        if ".." in Path(source.path).parts or Path(source.path).is_absolute():
            raise fault("A pattern names files below the study file's folder.", f"{where}.path", "Move them.")
        names = sorted(str(item.relative_to(folder)) for item in folder.glob(source.path) if item.is_file())
    else:
        return [source.path]
    if not names:
        endings = ", ".join(_READ)
        raise fault(f"{source.path} holds no file that is read.", f"{where}.path", f"Read are: {endings}.")
    if len(names) > _MOST_FILES:
        what = f"{source.path} is {len(names):,} files; at most {_MOST_FILES:,} are read."
        raise fault(what, f"{where}.path", "Join some of them.")
    return names


def _nothing() -> None:
    pass


def load_table(folder: Path, source: Source, where: str, outside: bool = False) -> tuple[RawTable, Source]:
    """The table a study file points at, relative to it, and how it was read. outside: it may stand
    elsewhere than in the study's folder. Every file is read in a process of its own, within limits; how the
    first one is written holds for all."""
    names = source_files(folder, source, where)
    inside = None if outside else folder
    if names == [source.path]:
        content = opened(folder / source.path, f"{where}.path", inside, _MOST_BYTES)
        # The compiler pays for the loops over as many cases as a large file has.
        meanwhile = prepare if len(content) > _LARGE else _nothing
        found: tuple[RawTable, Source] = forked(
            "read", content, source, size=len(content), where=source.path, meanwhile=meanwhile
        )
        return found
    return _load_several(folder, source, names, where, inside)


def _load_several(
    folder: Path, source: Source, names: Sequence[str], where: str, inside: Path | None
) -> tuple[RawTable, Source]:
    from even_ballot.formats.sources.many.joining import joined  # Loaded where there are several.

    asked, left = source, _MOST_BYTES
    tables = list[tuple[str, RawTable]]()
    for name in names:
        content = opened(folder / name, f"{where}.path", inside, left)
        left -= len(content)
        of = asked.model_copy(update={"path": name})
        table, reading = forked("read", content, of, size=len(content), where=name)
        tables.append((name, table))
        if asked is source:
            # Titles above and notes below are each file's own.
            own = {"path": source.path, "rows_above": source.rows_above, "rows_below": source.rows_below}
            asked = reading.model_copy(update={**own, "repeated": source.repeated})
    whole = joined(tables)
    if source.decimal is None and asked.delimiter is not None:
        asked = asked.model_copy(update={"decimal": guess_decimal(whole.columns, asked.delimiter)})
    return whole, asked


def source_hashes(folder: Path, study: Study) -> dict[str, str]:
    """SHA-256 of the files that a study file in a folder reads, by their names."""
    found = {}
    for source in (study.source, *study.lookups.values()):
        for name in source_files(folder, source, "source"):
            if name not in found:
                with (folder / name).open("rb") as file:
                    found[name] = hashlib.file_digest(file, "sha256").hexdigest()
    return found


def make_parts(answers: Path, out: Path, records: int, progress: Progress = quiet) -> tuple[int, int]:
    """Makes parts of a delimited file in a new folder: how many records there are, and how many parts.
    Raises StudyError where it cannot be read or the folder holds files; then nothing is left of it."""
    from even_ballot.formats.sources.many.parting import write_parts

    if not answers.is_file():
        raise fault(f"{answers} is not a file.", str(answers), "Name a file of delimited text.")
    if out.exists() and (not out.is_dir() or any(out.iterdir())):
        raise fault(f"{out} contains files.", str(out), "Choose an empty folder, or a new one.")
    out.parent.mkdir(parents=True, exist_ok=True)
    made = Path(tempfile.mkdtemp(prefix=f".{out.name}-", dir=out.parent))
    try:
        parts = list(write_parts(answers, Source(path=answers.name), made, records, progress))
        made.chmod(0o755)
        made.replace(out)
    except BaseException:
        shutil.rmtree(made, ignore_errors=True)
        raise
    return sum(part.records for part in parts), len(parts)
