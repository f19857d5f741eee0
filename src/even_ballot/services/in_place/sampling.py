"""A sample of records that stay where they are, and single ones of them."""

import io
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq

from even_ballot.core.data.dataset import RawTable
from even_ballot.core.faults import fault
from even_ballot.core.numerics.arrays import Ints
from even_ballot.core.progress import Progress, quiet
from even_ballot.core.study.study_file import Source
from even_ballot.formats.sources.many.joining import apart
from even_ballot.formats.sources.source import read_source
from even_ballot.services.in_place.folders import DataFolder, InPlace, Part

_BATCH, _CELLS = 1 << 16, 40_000_000
SEED = 20_000
"""Of the draw: whoever draws again from the same parts has the same sample."""


@dataclass(frozen=True)
class Drawn:
    """A sample: where it is from; as a file of its own, and what is read from that; its records are numbered
    as they are in all parts together."""

    source: InPlace
    content: bytes
    table: RawTable
    reading: Source


@contextmanager
def _parquet(root: DataFolder, name: str) -> Iterator[pq.ParquetFile]:
    """A part, open. Raises StudyError, with its name, where it cannot be read."""
    try:
        with pq.ParquetFile(root.path(name)) as file:
            yield file
    except (pa.ArrowException, OSError) as error:
        raise fault(
            f"This cannot be read as Parquet: {type(error).__name__}.", name, "Make it anew."
        ) from None


def _taken(file: pq.ParquetFile, at: Ints) -> list[pa.RecordBatch]:
    """Some records of a part, by their places from 0, ascending; groups without any are not read."""
    ends = np.cumsum([file.metadata.row_group(k).num_rows for k in range(file.num_row_groups)])
    groups = np.unique(np.searchsorted(ends, at, side="right"))
    found = []
    for group in groups.tolist():
        first = int(ends[group - 1]) if group else 0
        for batch in file.iter_batches(_BATCH, row_groups=[group]):
            here = at[np.searchsorted(at, first) : np.searchsorted(at, first + len(batch))] - first
            first += len(batch)
            if len(here):
                found.append(batch.take(pa.array(here)))
    return found


def _plain(batch: pa.RecordBatch) -> pa.RecordBatch:
    """Records whose words stand in them, since parts may have different lists of words; their columns are
    called by their places, since two may have one heading."""
    columns = [
        column.dictionary_decode() if pa.types.is_dictionary(column.type) else column
        for column in batch.columns
    ]
    return pa.RecordBatch.from_arrays(columns, names=[str(k) for k in range(len(columns))])


def _read(source: InPlace, batches: Sequence[pa.RecordBatch], at: Ints) -> Drawn:
    """Records as a file of their own. at: their places in all parts, from 0."""
    out = io.BytesIO()
    try:
        tables = [pa.Table.from_batches([_plain(batch)]) for batch in batches]
        joined = pa.concat_tables(tables, promote_options="permissive")
        pq.write_table(joined.rename_columns(batches[0].schema.names), out, compression="zstd")
    except pa.ArrowException:
        what = "A column is of one type in one part and of another in the next."
        raise fault(what, source.folder, "Write all parts with one schema.") from None
    content = out.getvalue()
    table, reading = read_source(content, Source(path=source.folder, format="parquet"))
    return Drawn(source, content, replace(table, rows=at[table.rows - 1] + 1), reading)


def draw(root: Path, folder: str, most: int, progress: Progress = quiet) -> Drawn:
    """A simple random sample of the records in a folder's parts, or all of them where they are no more than
    `most`; fewer where there are many columns. Raises StudyError where parts are not of one heading."""
    data, parts, head = DataFolder(root), list[Part](), None
    for name, size, changed in data.parts(folder):
        with _parquet(data, f"{folder}/{name}") as file:
            names = tuple(file.schema_arrow.names)
            head = head or names
            if names != head:
                what = f"{apart(head, names)} {parts[0].name}."
                raise fault(what, name, "Give all parts one heading.")
            parts.append(Part(name, size, changed, file.metadata.num_rows))
    source = InPlace(folder, tuple(parts))
    if not source.records:
        raise fault(f"The parts in {folder} hold no records.", "folder", "Choose another folder.")
    n = min(most, source.records, max(_CELLS // len(head or " "), 1))
    at = np.sort(np.random.default_rng(SEED).choice(source.records, n, replace=False, shuffle=False))
    batches, before = list[pa.RecordBatch](), 0
    for k, (name, part) in enumerate(zip(source.names, parts, strict=True)):
        progress(f"Drawing from part {k + 1} of {len(parts)}", k / len(parts))
        here = at[np.searchsorted(at, before) : np.searchsorted(at, before + part.records)] - before
        before += part.records
        if len(here):
            with _parquet(data, name) as file:
                batches += _taken(file, here)
    return _read(source, batches, at)


def record(root: Path, source: InPlace, number: int) -> RawTable:
    """One record as it came. number: of all parts together, from 1. Raises StudyError."""
    if not 1 <= number <= source.records:
        what = f"There is no record {number:,}."
        raise fault(what, "record", f"Records are numbered from 1 to {source.records:,}.")
    data = DataFolder(root)
    data.check(source)
    ends = np.cumsum([part.records for part in source.parts])
    at = int(np.searchsorted(ends, number))
    with _parquet(data, source.names[at]) as file:
        batches = _taken(file, np.array([number - 1 - (int(ends[at - 1]) if at else 0)]))
    if all(column.null_count == len(column) for column in batches[0].columns):
        raise fault(f"Record {number:,} is blank.", "record", "Choose another.")
    return _read(source, batches, np.array([number - 1])).table
