"""Entries that get the value a reading gives them, and those it gives none."""

from collections.abc import Callable

import numpy as np

from even_ballot.core.data.codebook import Variable
from even_ballot.core.data.dataset import ANSWERED, MISSING, UNPLACED, Column, Dataset
from even_ballot.core.data.interpretation import as_coded, as_date, as_number, with_missing_codes


def read_as(written: Column, data: Dataset, variable: Variable) -> Column:
    """A text column read as a file's column of a variable's kind would be.

    >>> from even_ballot.core.data.dataset import text_column
    >>> from even_ballot.core.data.example import ferry
    >>> read_as(text_column(["41"]), ferry(), ferry().variable("age")).values.tolist()
    [41.0]
    """
    match variable.kind:
        case "coded":
            return with_missing_codes(as_coded(written, data.scale_of(variable.name)), variable.missing)
        case "number":
            return as_number(written, variable.missing)
        case "date":
            return as_date(written)
        case _:
            return written if written.words else Column(written.values, written.state, ("",))


def placed(column: Column, variable: Variable, reading: Callable[[str], float | None]) -> tuple[Column, int]:
    """A column whose words have the values a reading gives them, and in how many cells; the others stay,
    unplaced. A word that a missing code of the variable goes by becomes that code.

    >>> from even_ballot.core.data.dataset import text_column
    >>> x = Variable(name="x", kind="text")
    >>> column, cells = placed(text_column(["1", "2", "late"]), x, float_or_none)
    >>> column.values.tolist(), column.state.tolist(), cells
    ([1.0, 2.0, 2.0], [0, 0, 3], 2)
    """
    none = {word: item.code for item in variable.missing for word in (item.label, *item.also)}
    numbers = [float(none[word]) if word in none else reading(word) for word in column.words]
    worded = column.state == (ANSWERED if variable.kind == "text" else UNPLACED)
    at = np.where(worded, column.values, 0).astype(np.int64)
    fits = np.array([n is not None for n in numbers] or [False])
    hit = worded & fits[at]
    table = np.array([0.0 if n is None else n for n in numbers] or [0.0])
    values = np.where(hit, table[at], column.values).astype(np.float64)
    state = np.where(hit, ANSWERED, np.where(worded, UNPLACED, column.state)).astype(np.uint8)
    if none:
        said = np.array([word in none for word in column.words] or [False])
        state = np.where(worded & said[at], MISSING, state).astype(np.uint8)
    kept = column.words if (state == UNPLACED).any() else ()
    return with_missing_codes(Column(values, state, kept), variable.missing), int(hit.sum())


def float_or_none(word: str) -> float | None:
    """The number a word is, as Python reads it.

    >>> float_or_none("1e3"), float_or_none("late")
    (1000.0, None)
    """
    try:
        return float(word)
    except ValueError:
        return None
