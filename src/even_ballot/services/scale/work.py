"""What a process does that holds parts: reads them, goes through the study with all others, writes its parts'
records."""

import io
import json
import platform
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from pathlib import Path

import pyarrow as pa

from even_ballot import __version__
from even_ballot.core.data.dataset import RawTable
from even_ballot.core.faults import fault
from even_ballot.core.numerics.meeting import Following, Meet, Share
from even_ballot.core.numerics.parts import InParts, OneByOne
from even_ballot.core.study.parted.pipeline import PartedPipeline
from even_ballot.core.study.study_file import Source, Study, parse_study
from even_ballot.formats.exchange.microdata import microdata
from even_ballot.formats.sources.many.joining import apart
from even_ballot.formats.sources.source import read_source
from even_ballot.services.answers import opened
from even_ballot.services.scale.shelf import Shelf

_MOST = 8 << 30


@dataclass(frozen=True)
class Job:
    """A study and the files that its answers are in. document: the study file, how the parts are read
    included; folder: that the names are relative to; head: the columns, without records; records: the folder
    that records with weights go into, None for none; memory: bytes that a process holds of what is as long as
    its parts; the rest goes into files; shelf: the folder for these, where that is said; inside: the folder
    that every part must stand in, links followed."""

    document: str
    folder: str
    names: tuple[str, ...]
    head: RawTable
    lookups: Mapping[str, RawTable]
    records: str | None = None
    guard: bool = True
    memory: int = 500 << 20
    shelf: str | None = None
    inside: str | None = None

    @property
    def study(self) -> Study:
        """The study."""
        return parse_study(json.loads(self.document))


def versions() -> tuple[str, str]:
    """This program's version, and Python's."""
    return __version__, platform.python_version()


def without_records(table: RawTable) -> RawTable:
    """A table's columns alone."""
    columns = tuple(replace(column.take(slice(0, 0)), words=()) for column in table.columns)
    return replace(table, columns=columns, rows=table.rows[:0], blank_records=0)


def first_record(path: Path) -> bytes:
    """A part with its first record alone, as a file. Raises StudyError where it is no Parquet file, or an
    empty one."""
    import pyarrow.parquet as pq  # Loaded where parts are first looked at.

    made = io.BytesIO()
    if not path.is_file():
        raise fault(
            f"{path.name} is not there.", "source.path", "Name a folder of Parquet files, or a pattern."
        )
    try:
        file = pq.ParquetFile(path)
        first = pa.Table.from_batches([next(file.iter_batches(1))], file.schema_arrow)
    except (pa.ArrowException, OSError, StopIteration):
        mend = "Workers read Parquet files; `even-ballot parts` makes them of a delimited file."
        raise fault("This is no Parquet file with records.", path.name, mend) from None
    pq.write_table(first, made)
    return made.getvalue()


def read_part(job: Job, source: Source, number: int) -> RawTable:
    """A part of the answers. Raises StudyError, with its name, where it cannot be read or has other
    headings."""
    name = job.names[number]
    inside = None if job.inside is None else Path(job.inside)
    content = opened(Path(job.folder) / name, name, inside, _MOST)
    table, _ = read_source(content, source.model_copy(update={"path": name}))
    if table.labels != job.head.labels or table.names != job.head.names:
        what = f"{apart(job.head.labels, table.labels)} {job.names[0]}."
        raise fault(what, name, "Give all parts one heading.")
    return table


class _Reads(OneByOne[RawTable]):
    """Parts that are read whenever they are asked for."""

    def __init__(self, job: Job, numbers: range, read: Callable[[], None]) -> None:
        self._job, self._numbers, self._source, self._read = job, numbers, job.study.source, read

    def __len__(self) -> int:
        return len(self._numbers)

    def of(self, number: int) -> RawTable:
        found = read_part(self._job, self._source, self._numbers[number])
        self._read()
        return found


def do(job: Job, share: Share, meet: Meet, read: Callable[[], None]) -> list[str]:
    """Goes through a study with a share of its parts; the names of the files of records that were written.
    read: told of each part that was read. Raises StudyError."""
    study = job.study
    numbers = range(share.first, share.last)
    shelf = Shelf(job.memory, job.shelf)
    parts = InParts(_Reads(job, numbers, read), Following(share, meet, shelf.keep))
    pipeline = PartedPipeline(study, parts, numbers, job.lookups)
    pipeline.results()
    if job.records is None:
        return []
    weights, names = [w.save_as for w in study.weightings], []
    for number, part in zip(numbers, pipeline.weighed.value.cases.parts, strict=True):
        name = f"microdata-{number + 1:05}.csv"
        with (Path(job.records) / name).open("wb") as file:
            file.writelines(microdata(part, weights, job.guard, None))
        names.append(name)
    return names
