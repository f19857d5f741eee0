"""Checks of single cells: each looks at one variable after the other."""

from collections.abc import Iterator
from functools import partial

import numpy as np

from even_ballot.core.data.dataset import ANSWERED, BLANK, UNPLACED, Column, Dataset
from even_ballot.core.numerics.arrays import Bools, Floats
from even_ballot.core.screening.finding import Found, Usual
from even_ballot.core.screening.settings import Screening


def _with(column: Column, state: int, value: int) -> Bools:
    """The cells of one state and value."""
    return np.asarray((column.state == state) & (column.values == value))


def not_in_codebook(data: Dataset, settings: Screening) -> Iterator[Found]:
    """Codes that a variable's scale does not know.

    >>> from even_ballot.core.data.example import ferry
    >>> list(not_in_codebook(ferry(), Screening()))
    []
    """
    for name, variable in data.variables.items():
        if variable.kind == "coded":
            codes, known = data.categories(name)
            column, stray = data.column(name), [item.code for item in codes[known:]]
            if stray:
                answers, counts = np.unique(column.values[column.answered], return_counts=True)
                of = dict(zip(answers.tolist(), counts.tolist(), strict=True))
                for code in stray:
                    yield Found(name, str(code), of.get(code, 0), partial(_with, column, ANSWERED, code))


def not_placed(data: Dataset, settings: Screening) -> Iterator[Found]:
    """Entries that fit neither code nor number, as they came.

    >>> from even_ballot.core.data.example import ferry
    >>> list(not_placed(ferry(), Screening()))
    []
    """
    for name, variable in data.variables.items():
        if variable.kind != "multi":
            column = data.column(name)
            place = {word: i for i, word in enumerate(column.words)}
            for word, count in column.entries().items():
                yield Found(name, word, count, partial(_with, column, UNPLACED, place[word]))


def out_of_range(data: Dataset, settings: Screening) -> Iterator[Found]:
    """Numbers smaller or larger than the codebook says they can be.

    >>> from even_ballot.core.data.example import ferry
    >>> [(found.value, found.count) for found in out_of_range(ferry(), Screening())]
    [('under 16', 0), ('over 99', 0)]
    """
    for name, variable in data.variables.items():
        if variable.kind not in ("number", "coded"):
            continue
        column = data.column(name)
        if variable.least is not None:
            yield Found.among(
                name, f"under {variable.least:g}", column.answered & (column.values < variable.least)
            )
        if variable.most is not None:
            yield Found.among(
                name, f"over {variable.most:g}", column.answered & (column.values > variable.most)
            )


def blank(data: Dataset, settings: Screening) -> Iterator[Found]:
    """Blanks of variables whose scale has a code that means no answer.

    >>> from even_ballot.core.data.example import ferry
    >>> [(found.variable, found.count) for found in blank(ferry(), Screening())]
    [('crosses', 1)]
    """
    for name, variable in data.variables.items():
        scale = data.scale_of(name) if variable.kind == "coded" else None
        if variable.missing or (scale is not None and scale.missing):
            yield Found.among(name, "", data.column(name).state == BLANK)


def unusual(data: Dataset, settings: Screening) -> Iterator[Found]:
    """Numbers far from the rest: beyond the quartiles by more than `far` times the distance between them.

    >>> from even_ballot.core.data.example import ferry
    >>> list(unusual(ferry(), Screening()))
    []
    """
    for name, variable in data.variables.items():
        if variable.kind != "number" or variable.role is not None:
            continue
        column = data.column(name)
        values = column.values[column.answered]
        if len(values) < 20:
            continue
        low, high = np.quantile(values, (0.25, 0.75))
        reach = settings.far * (high - low)
        if reach > 0:
            far = column.answered & ((column.values < low - reach) | (column.values > high + reach))
            usual = Usual(float(low - reach), float(high + reach))
            yield Found.among(name, f"under {usual.low:g} or over {usual.high:g}", far, usual=usual)


def influential(data: Dataset, settings: Screening) -> Iterator[Found]:
    """Cases that carry a number's mean, on demand: w (y − ȳ)/Σ w beyond `influence` times its standard error,
    as if every case were a unit of its own; w: the weight that came with the file, if any.

    >>> from even_ballot.core.data.example import ferry
    >>> [(f.variable, f.count) for f in influential(ferry(), Screening(influence=0.5)) if f.count]
    [('age', 1), ('to_work', 1), ('to_shop', 1)]
    """
    weight = data.with_role("weight")
    if settings.influence is None:
        return
    for name, variable in data.variables.items():
        if variable.kind != "number" or variable.role is not None:
            continue
        column = data.column(name)
        known = column.answered
        w = np.ones(data.n)
        if weight is not None and data.variable(weight).kind == "number":
            given = data.column(weight)
            known = known & given.answered & (given.values > 0)
            w = np.where(known, given.values, 0.0)
        beyond = np.zeros(data.n, np.bool_)
        beyond[known] = weighty(column.values[known], w[known], settings.influence)
        yield Found.among(name, f"beyond {settings.influence:g} standard errors", beyond)


def weighty(y: Floats, w: Floats, threshold: float) -> Bools:
    """Cases whose w (y − ȳ)/Σ w is beyond so many standard errors of the mean, (n,).

    >>> weighty(np.array([1.0, 1.0, 1.0, 9.0]), np.ones(4), 0.7).tolist()
    [False, False, False, True]
    """
    n, whole = len(y), w.sum()
    if n < 2 or not whole:
        return np.zeros(n, np.bool_)
    z = w * (y - (w @ y) / whole) / whole
    se = np.sqrt(n / (n - 1) * (z @ z))
    return np.asarray(np.abs(z) > threshold * se) if se > 0 else np.zeros(n, np.bool_)
