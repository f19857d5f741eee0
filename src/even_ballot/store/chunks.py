"""Columns as compressed Arrow streams, each under 4 MiB."""

from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor

import numpy as np
import pyarrow as pa

from even_ballot.core.data.dataset import BLANK, Column, RawTable
from even_ballot.core.numerics.arrays import Ints

LIMIT = 4 * 1024 * 1024 - 4096
_ROWS, _CELLS = 131_072, 1 << 23
"""Records, and cells, of a part at most."""
_WRITE = pa.ipc.IpcWriteOptions(compression="zstd")


def _stream(array: pa.Array) -> bytes:
    sink = pa.BufferOutputStream()
    batch = pa.record_batch([array], ["cells"])
    with pa.ipc.new_stream(sink, batch.schema, options=_WRITE) as writer:
        writer.write_batch(batch)
    return bytes(sink.getvalue())


def _pieces(table: RawTable, rows: range) -> list[bytes] | None:
    """Some records of every column, record numbers first; None where a piece of them is too large."""

    def worded(column: Column) -> bytes:
        at = slice(rows.start, rows.stop)
        values, blank = column.values[at], column.state[at] == BLANK
        # Of its own entries alone.
        seen = np.zeros(max(len(column.words), 1), np.bool_)
        seen[values] = True
        used = np.flatnonzero(seen)
        place = np.zeros(len(seen), np.int32)
        place[used] = np.arange(len(used))
        words = pa.array([column.words[k] for k in used.tolist()] if len(column.words) else [""], pa.string())
        return _stream(pa.DictionaryArray.from_arrays(pa.array(place[values], mask=blank), words))

    found = [_stream(pa.array(table.rows[rows.start : rows.stop]))]
    with ThreadPoolExecutor(2) as pool:
        found += pool.map(worded, table.columns)
    return found if len(rows) == 1 or max(map(len, found)) <= LIMIT else None


def parts_of(table: RawTable) -> Iterator[tuple[range, list[bytes]]]:
    """A table part by part: which of its records, and a chunk of every column, record numbers first. A part
    of which a chunk is too large is halved."""
    n, each = len(table.rows), max(min(_ROWS, _CELLS // max(len(table.columns), 1)), 1)
    waiting = [range(at, min(at + each, n)) for at in range(0, max(n, 1), each)][::-1]
    while waiting:
        rows = waiting.pop()
        pieces = _pieces(table, rows)
        if pieces is None:
            half = rows.start + len(rows) // 2
            waiting += [range(half, rows.stop), range(rows.start, half)]
        else:
            yield rows, pieces


def _read(content: bytes) -> pa.Array:
    with pa.ipc.open_stream(content) as reader:
        return reader.read_all().column(0).combine_chunks()


def _one(array: pa.Array | pa.ChunkedArray) -> pa.Array:
    return array.chunk(0) if isinstance(array, pa.ChunkedArray) else array


def column_from(contents: Sequence[bytes]) -> Column:
    """The column that chunks hold."""
    chunked = pa.chunked_array([_one(_read(content)) for content in contents]).unify_dictionaries()
    words = tuple(chunked.chunk(0).dictionary.to_pylist())
    values = np.concatenate(
        [c.indices.fill_null(0).to_numpy(zero_copy_only=False) for c in chunked.chunks]
    ).astype(np.int32)
    blank = np.concatenate([c.is_null().to_numpy(zero_copy_only=False) for c in chunked.chunks])
    return Column(values, np.where(blank, BLANK, 0).astype(np.uint8), words)


def rows_from(contents: Sequence[bytes]) -> Ints:
    """The record numbers that chunks hold."""
    return np.concatenate(
        [_one(_read(content)).to_numpy(zero_copy_only=False) for content in contents]
    ).astype(np.int64)
