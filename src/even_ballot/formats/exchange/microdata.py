"""The cleaned, derived, weighted records as delimited text: codes not labels, blank for missing, weights
last."""

import csv
import io
from collections.abc import Iterable, Sequence

import numpy as np

from even_ballot.core.data.dataset import BLANK, UNPLACED, Column, Dataset
from even_ballot.formats.exchange.guarding import guarded


def entries(column: Column, kind: str) -> list[str]:
    """A column's cells as they are written: codes, numbers, text; blank for missing."""
    if kind == "text":
        return [
            column.words[v] if s != BLANK else ""
            for v, s in zip(column.values.tolist(), column.state.tolist(), strict=True)
        ]
    if kind == "date":
        shown = [str(np.datetime64(int(v), "s")).replace("T", " ") for v in column.values.tolist()]
    elif kind == "coded":
        shown = list(map(str, column.values.tolist()))
    else:
        values = column.values
        whole = (np.abs(values) < 1e15) & (values == np.floor(values))
        shown = [str(int(v)) if w else repr(v) for v, w in zip(values.tolist(), whole.tolist(), strict=True)]
    return [
        "" if s == BLANK else column.words[int(v)] if s == UNPLACED else text
        for text, v, s in zip(shown, column.values.tolist(), column.state.tolist(), strict=True)
    ]


def _written(data: Dataset, name: str, guard: bool) -> list[str]:
    column, kind = data.column(name), data.variable(name).kind
    shown = entries(column, kind)
    if not guard or not column.words:
        return shown
    worded = column.state != BLANK if kind == "text" else column.state == UNPLACED
    return [guarded(text) if w else text for text, w in zip(shown, worded.tolist(), strict=True)]


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
