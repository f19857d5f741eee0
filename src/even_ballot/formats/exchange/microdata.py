"""The cleaned, derived, weighted records as delimited text: codes not labels, blank for missing, weights
last."""

import csv
import io
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from even_ballot.core.data.dataset import BLANK, UNPLACED, Column, Dataset, number_column
from even_ballot.core.numerics.arrays import Floats
from even_ballot.core.numerics.grouping import numbered
from even_ballot.formats.exchange.replicate_weights import ReplicateColumns
from even_ballot.formats.guarding import guarded

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


def _small(place: NDArray[Any], of: int) -> NDArray[Any]:
    """Places among so many."""
    return place.astype(np.int16 if of < 1 << 15 else np.int32)


@dataclass(frozen=True)
class _Recurring:
    """Cells of one or several neighbouring columns that recur, each text written once. place: (n,), which of
    them each row has, in as few bytes as say it."""

    said: pa.Array
    place: NDArray[Any]

    @classmethod
    def of(cls, column: Column, kind: str, words: Sequence[str]) -> "_Recurring":
        """words: those of the column, as they are written."""
        blank = column.state == BLANK
        said = pa.array([*words, ""], pa.string())
        place = column.values
        if kind != "text":
            worded = column.state == UNPLACED
            distinct, place = numbered(column.values)
            said = pa.concat_arrays([_plain(distinct, kind), said])
            if worded.any():
                place = np.where(worded, column.values + len(distinct), place)
        if blank.any():
            place = np.where(blank, len(said) - 1, place)
        return cls(said, _small(place, len(said)))

    def beside(self, other: "_Recurring") -> "_Recurring":
        """Both columns as one, with a comma between."""
        a, b = len(self.said), len(other.said)
        left = self.said.take(pa.array(np.repeat(np.arange(a, dtype=np.int32), b)))
        right = other.said.take(pa.array(np.tile(np.arange(b, dtype=np.int32), a)))
        both = pc.binary_join_element_wise(left, right, ",")
        return _Recurring(both, _small(self.place * np.int32(b) + other.place, a * b))

    def cells(self, part: slice) -> pa.Array:
        return self.said.take(pa.array(self.place[part]))


@dataclass(frozen=True)
class _Many:
    """Numbers of which most are there once, written row by row."""

    column: Column

    def cells(self, part: slice) -> pa.Array:
        shown, blank = _plain(self.column.values[part], "number"), self.column.state[part] == BLANK
        return pc.if_else(pa.array(blank), "", shown) if blank.any() else shown


_Written = _Recurring | _Many


def _written(column: Column, kind: str, words: Sequence[str]) -> _Written:
    """What makes a column's cells. words: those of the column, as they are written."""
    if kind == "number" and len(column.values) >= _FEW and not (column.state == UNPLACED).any():
        few = column.values[: 4 * _FEW]
        if len(np.unique(few)) > len(few) / 8 or (column.values != np.floor(column.values)).any():
            return _Many(column)
    return _Recurring.of(column, kind, words)


def _side_by_side(columns: Iterable[_Written]) -> Iterator[_Written]:
    """Neighbours that recur as one, as long as these are few."""
    held: _Recurring | None = None
    for column in columns:
        if isinstance(column, _Recurring) and held is not None and len(held.said) * len(column.said) <= _FEW:
            held = held.beside(column)
            continue
        if held is not None:
            yield held
        held = column if isinstance(column, _Recurring) else None
        if held is None:
            yield column
    if held is not None:
        yield held


def entries(column: Column, kind: str) -> list[str]:
    """A column's cells as they are written: codes, numbers, text; blank for missing."""
    words = [word.encode(errors="replace").decode() for word in column.words]
    written: list[str] = _written(column, kind, words).cells(slice(None)).to_pylist()
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
    yield (_line(["row", *names, *(beside.names if beside else [])]) + "\n").encode(errors="replace")
    written = list(_side_by_side(_written(*of) for of in _columns(data, names, guard)))

    def lines(start: int) -> bytes:
        part = slice(start, start + _ROWS)
        cells = [pc.cast(pa.array(data.rows[part]), pa.string()), *(of.cells(part) for of in written)]
        if beside is not None:
            own = (_written(number_column(w), "number", ()) for w in beside.of(part).T)
            cells += [of.cells(slice(None)) for of in own]
        joined = pc.binary_join_element_wise(*cells, ",") if len(cells) > 1 else cells[0]
        whole = pa.ListArray.from_arrays(pa.array([0, len(joined)], pa.int32()), joined)
        return bytes(pc.binary_join(whole, "\n")[0].as_buffer().to_pybytes() + b"\n")

    yield from map(lines, range(0, data.n, _ROWS))
