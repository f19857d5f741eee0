"""A file of delimited text as parts in Parquet, in one pass that holds a block at a time."""

from collections.abc import Iterator
from dataclasses import dataclass
from io import BufferedReader
from pathlib import Path

import pyarrow as pa
from pyarrow import compute as pc
from pyarrow import csv as arrow_csv
from pyarrow import parquet

from even_ballot.core.faults import StudyError, fault
from even_ballot.core.progress import Progress, quiet
from even_ballot.core.study.study_file import Source
from even_ballot.formats.sources.delimited import Guess, check_last, first_record, ragged_in, read_delimited
from even_ballot.formats.sources.letters.encodings import readable_in
from even_ballot.formats.sources.packing import DELIMITER, LABEL
from even_ballot.formats.sources.sizes import LONGEST_ENTRY

_HEAD, _TAIL, _BLOCK = 4 << 20, 1 << 20, 8 << 20
_READABLE = ("utf-8", "utf8", "utf-8-sig", "ascii")


@dataclass(frozen=True)
class Part:
    """A part that was written."""

    path: Path
    records: int


def _whole_lines(content: bytes) -> bytes:
    """Content up to the end of its last whole record: a line end that no open quote is before."""
    at = content.rfind(b"\n")
    while at > 0 and content.count(b'"', 0, at) % 2:
        at = content.rfind(b"\n", 0, at)
    return content[: at + 1] if at > 0 else content


class _Bounded:
    """A file from one place to another, as Arrow reads it."""

    closed = False

    def __init__(self, file: BufferedReader, start: int, end: int) -> None:
        self._file, self._left = file, end - start
        file.seek(start)

    def read(self, size: int = -1) -> bytes:
        taken = self._file.read(self._left if size < 0 else min(size, self._left))
        self._left -= len(taken)
        return taken

    def readable(self) -> bool:
        return True

    def close(self) -> None:
        self.closed = True


def _looked_at(path: Path, source: Source) -> tuple[Guess, tuple[str, ...], tuple[str, ...], int, int]:
    """How a file is written: what was guessed, its names and labels, and where its records begin and end."""
    size = path.stat().st_size
    with path.open("rb") as file:
        head = file.read(_HEAD)
        whole = len(head) == size
        file.seek(max(size - _TAIL, 0))
        tail = file.read(_TAIL)
    head = head if whole else _whole_lines(head)
    table, guess = read_delimited(head, source if whole else source.model_copy(update={"rows_below": 0}))
    if guess.encoding.lower().replace("_", "-") not in _READABLE:
        what = f"Parts are made of text in UTF-8; this reads as {guess.encoding}."
        raise fault(what, path.name, "Save it as UTF-8.")
    if not readable_in(_whole_lines(tail[tail.find(b"\n") + 1 :]), "utf-8"):
        raise fault("The end of the file does not read as UTF-8.", path.name, "Save it as UTF-8.")
    start, cut = first_record(head, tail, guess, source)
    return guess, table.names, table.labels, start, size - cut


def _batches(path: Path, source: Source, progress: Progress) -> Iterator[tuple[pa.RecordBatch, pa.Schema]]:
    guess, names, labels, start, end = _looked_at(path, source)
    keys = [str(k) for k in range(len(names))]
    headings = labels if guess.header_rows == 1 else names
    schema = pa.schema(
        [
            pa.field(heading, pa.string(), metadata=None if heading == label else {LABEL: label.encode()})
            for heading, label in zip(headings, labels, strict=True)
        ],
        metadata={DELIMITER: guess.delimiter.encode()},
    )
    with path.open("rb") as file:
        try:
            reader = arrow_csv.open_csv(
                pa.PythonFile(_Bounded(file, start, end), mode="r"),
                read_options=arrow_csv.ReadOptions(column_names=keys, block_size=_BLOCK),
                parse_options=arrow_csv.ParseOptions(delimiter=guess.delimiter, newlines_in_values=True),
                convert_options=arrow_csv.ConvertOptions(
                    column_types=dict.fromkeys(keys, pa.string()), strings_can_be_null=False
                ),
            )
            batch = None
            for batch in reader:
                _check_entries(batch, path.name)
                progress("Making parts", file.tell() / max(end, 1))
                yield pa.RecordBatch.from_arrays(batch.columns, schema=schema), schema
            if batch is not None:
                _check_end(batch, file, end, path.name)
        except pa.ArrowInvalid as error:
            raise ragged_in(str(error), path.name) from None


def _check_entries(batch: pa.RecordBatch, path: str) -> None:
    """Refuses an entry that is longer than any answer."""
    for column in batch.columns:
        longest = pc.max(pc.binary_length(column)).as_py() or 0
        if longest > LONGEST_ENTRY and (pc.max(pc.utf8_length(column)).as_py() or 0) > LONGEST_ENTRY:
            raise fault(
                f"An entry has more than {LONGEST_ENTRY:,} characters.",
                path,
                "Shorten it. Where it is not one answer, check the quotes.",
            )


def _check_end(last: pa.RecordBatch, file: BufferedReader, end: int, path: str) -> None:
    """Refuses a file that ends inside a quoted cell. last: its last records."""
    file.seek(max(end - 4 * LONGEST_ENTRY, 0))
    tail = file.read(end - file.tell())
    try:
        check_last(last.columns, tail, path)
    except StudyError:
        raise fault(
            "The last entry begins with a quote that is never closed, so that the rest is one answer.",
            path,
            "Close the quote, or take it out.",
        ) from None


def write_parts(
    path: Path, source: Source, folder: Path, records: int, progress: Progress = quiet
) -> Iterator[Part]:
    """Parts of so many records, part-00001.parquet and so on, in a folder; every column as text, as it
    stands. Raises StudyError where the file cannot be read; parts that were begun are the caller's to
    remove."""
    writer: parquet.ParquetWriter | None = None
    number, held, at = 0, 0, Path()
    try:
        for batch, schema in _batches(path, source, progress):
            start = 0
            while start < len(batch):
                if writer is None:
                    number, held = number + 1, 0
                    at = folder / f"part-{number:05d}.parquet"
                    writer = parquet.ParquetWriter(at, schema, compression="zstd")
                piece = batch.slice(start, records - held)
                writer.write_batch(piece)
                start, held = start + len(piece), held + len(piece)
                if held == records:
                    writer.close()
                    writer = None
                    yield Part(at, held)
        if writer is not None:
            writer.close()
            writer = None
            yield Part(at, held)
    finally:
        if writer is not None:
            writer.close()
