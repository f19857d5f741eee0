"""Columns as compressed Arrow streams, each under 4 MiB."""

from collections.abc import Iterator, Sequence

import numpy as np
import pyarrow as pa

from even_ballot.core.data.dataset import BLANK, Column
from even_ballot.core.numerics.arrays import Ints

LIMIT = 4 * 1024 * 1024 - 4096
_ROWS = 131_072
_WRITE = pa.ipc.IpcWriteOptions(compression="zstd")


def _stream(array: pa.Array) -> bytes:
    sink = pa.BufferOutputStream()
    batch = pa.record_batch([array], ["cells"])
    with pa.ipc.new_stream(sink, batch.schema, options=_WRITE) as writer:
        writer.write_batch(batch)
    return bytes(sink.getvalue())


def _chunks(array: pa.Array, encode: bool) -> Iterator[tuple[int, bytes]]:
    """Rows and bytes of each piece; a piece that is too large is halved."""
    waiting = [array.slice(at, _ROWS) for at in range(0, len(array), _ROWS)][::-1]
    while waiting:
        piece = waiting.pop()
        if encode and len(piece) < len(array):
            # Of its own entries alone.
            piece = piece.cast(pa.large_string()).dictionary_encode()
        content = _stream(piece)
        if len(content) > LIMIT and len(piece) > 1:
            half = len(piece) // 2
            waiting += [piece.slice(half), piece.slice(0, half)]
        else:
            yield len(piece), content


def column_chunks(column: Column) -> Iterator[tuple[int, bytes]]:
    """A text column's chunks."""
    words = pa.array(column.words or ("",), pa.string())
    array = pa.DictionaryArray.from_arrays(pa.array(column.values, mask=column.state == BLANK), words)
    yield from _chunks(array, encode=True)


def row_chunks(rows: Ints) -> Iterator[tuple[int, bytes]]:
    """Record numbers' chunks."""
    yield from _chunks(pa.array(rows), encode=False)


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
