"""The cleaned, derived, weighted records as delimited text: codes not labels, blank for missing, weights
last."""

import csv
import io
from collections.abc import Iterator, Sequence
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from even_ballot.core.data.dataset import BLANK, UNPLACED, Column, Dataset, number_column
from even_ballot.core.numerics.arrays import Floats
from even_ballot.core.numerics.grouping import numbered
from even_ballot.formats.exchange.guarding import guarded
from even_ballot.formats.exchange.replicate_weights import ReplicateColumns

_ROWS = 1 << 14
_FEW = 1 << 13


def _numbers(values: Floats) -> pa.Array:
    """Numbers as they are written: whole ones without decimals, others by the fewest digits that tell them
    apart."""
    whole = (np.abs(values) < 1e15) & (values == np.floor(values))
    plain = (np.abs(values) >= 1e-4) & (np.abs(values) < 1e15)
    if whole.all():
        return pc.cast(pa.array(values.astype(np.int64)), pa.string())
    text = pc.cast(pa.array(values), pa.string())
    if whole.any():
        counted = pc.cast(pa.array(np.where(whole, values, 0).astype(np.int64)), pa.string())
        text = pc.if_else(pa.array(whole), counted, text)
    if not (whole | plain).all():
        # Very small and very large ones have an exponent, which is written in more ways than one.
        others = ~(whole | plain)
        said = iter([repr(v) for v in values[others].tolist()])
        text = pc.replace_with_mask(text, pa.array(others), pa.array(list(said), pa.string()))
    return text


def _plain(values: NDArray[Any], kind: str) -> pa.Array:
    """Values as they are written."""
    if kind == "date":
        return pa.array(
            [str(np.datetime64(int(v), "s")).replace("T", " ") for v in values.tolist()], pa.string()
        )
    if kind == "coded":
        return pc.cast(pa.array(values), pa.string())
    return _numbers(values.astype(np.float64))


def _written(column: Column, kind: str, words: Sequence[str]) -> pa.Array:
    """A column's cells; a value that recurs is written once. words: those of the column, as they are
    written."""
    blank = column.state == BLANK
    worded = ~blank if kind == "text" else column.state == UNPLACED
    many = kind == "number" and len(column.values) >= _FEW
    if many and not worded.any():
        shown = _plain(column.values, kind)
        return pc.if_else(pa.array(blank), "", shown) if blank.any() else shown
    if kind == "text":
        said, place = pa.array([*words, ""], pa.string()), column.values
    else:
        distinct, place = numbered(column.values)
        said = pa.concat_arrays([_plain(distinct, kind), pa.array([*words, ""], pa.string())])
        place = np.where(worded, column.values + len(distinct), place).astype(np.int32)
    if blank.any():
        place = np.where(blank, len(said) - 1, place)
    return said.take(pa.array(place.astype(np.int32)))


def entries(column: Column, kind: str) -> list[str]:
    """A column's cells as they are written: codes, numbers, text; blank for missing."""
    words = [word.encode(errors="replace").decode() for word in column.words]
    written: list[str] = _written(column, kind, words).to_pylist()
    return written


def _line(cells: Sequence[str]) -> str:
    out = io.StringIO()
    csv.writer(out, lineterminator="\n").writerow(cells)
    return out.getvalue()[:-1]


def _quoted(word: str) -> str:
    """A word as a cell among others; what no text holds becomes a question mark."""
    return _line((word, ""))[:-1].encode(errors="replace").decode()


def _columns(data: Dataset, names: Sequence[str], guard: bool) -> Iterator[tuple[Column, str, list[str]]]:
    for name in names:
        column = data.column(name)
        words = [_quoted(guarded(word) if guard else word) for word in column.words]
        yield column, data.variable(name).kind, words


def microdata(
    data: Dataset,
    weights: Sequence[str] = (),
    guard: bool = True,
    replicates: ReplicateColumns | None = None,
) -> Iterator[bytes]:
    """The records as CSV, many lines a piece. Missing codes stand as they are; entries that could not be
    placed stand as they came. guard: texts that a spreadsheet would run are written so that it does not
    (`guarding`); the numbers are numbers. replicates: weights that stand last."""
    beside = replicates if replicates is not None and replicates.own else None
    names = [n for n, v in data.variables.items() if v.kind != "multi" and n not in weights] + list(weights)
    columns = list(_columns(data, names, guard))
    yield (_line(["row", *names, *(beside.names if beside else [])]) + "\n").encode(errors="replace")
    for start in range(0, data.n, _ROWS):
        part = slice(start, start + _ROWS)
        cells = [pc.cast(pa.array(data.rows[part]), pa.string())]
        cells += [_written(column.take(part), kind, words) for column, kind, words in columns]
        if beside is not None:
            cells += [_written(number_column(w), "number", ()) for w in beside.of(part).T]
        lines = pc.binary_join_element_wise(*cells, ",") if len(cells) > 1 else cells[0]
        whole = pa.ListArray.from_arrays(pa.array([0, len(lines)], pa.int32()), lines)
        yield pc.binary_join(whole, "\n")[0].as_buffer().to_pybytes() + b"\n"
