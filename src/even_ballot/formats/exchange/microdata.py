"""The cleaned, derived, weighted records as delimited text: codes not labels, blank for missing, weights
last."""

import csv
import io
from collections.abc import Iterable, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.data.dataset import BLANK, UNPLACED, Column, Dataset
from even_ballot.core.numerics.grouping import numbered
from even_ballot.formats.exchange.guarding import guarded


def _plain(values: NDArray[Any], kind: str) -> list[str]:
    """Distinct values as they are written."""
    if kind == "date":
        return [str(np.datetime64(int(v), "s")).replace("T", " ") for v in values.tolist()]
    if kind == "coded":
        return list(map(str, values.tolist()))
    whole = (np.abs(values) < 1e15) & (values == np.floor(values))
    return [str(int(v)) if w else repr(v) for v, w in zip(values.tolist(), whole.tolist(), strict=True)]


def _cells(column: Column, kind: str, words: Sequence[str]) -> list[str]:
    """A column's cells; every distinct value is written once. words: those of the column, as they are
    written."""
    text = kind == "text"
    if text:
        shown = np.full(len(column.values), "", object)
    else:
        distinct, place = numbered(column.values)
        shown = np.array([*_plain(distinct, kind), ""], object)[place]
    worded = column.state != BLANK if text else column.state == UNPLACED
    if worded.any():
        shown[worded] = np.array([*words, ""], object)[column.values[worded].astype(np.int64)]
    shown[column.state == BLANK] = ""
    written: list[str] = shown.tolist()
    return written


def entries(column: Column, kind: str) -> list[str]:
    """A column's cells as they are written: codes, numbers, text; blank for missing."""
    return _cells(column, kind, column.words)


def _written(data: Dataset, name: str, guard: bool) -> list[str]:
    column = data.column(name)
    words = [guarded(word) for word in column.words] if guard else column.words
    return _cells(column, data.variable(name).kind, words)


def microdata(data: Dataset, weights: Sequence[str] = (), guard: bool = True) -> str:
    """The records as CSV. Missing codes stand as they are; entries that could not be placed stand as they
    came. guard: texts that a spreadsheet would run are written so that it does not (`guarding`); the
    numbers are numbers."""
    names = [n for n, v in data.variables.items() if v.kind != "multi" and n not in weights] + list(weights)
    columns: Iterable[list[str]] = (_written(data, n, guard) for n in names)
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["row", *names])
    writer.writerows(zip(map(str, data.rows.tolist()), *columns, strict=True))
    return out.getvalue()
