"""Checks of single cells: each looks at one variable after the other."""

from collections.abc import Iterator
from functools import partial

import numpy as np

from even_ballot.core.data.dataset import ANSWERED, BLANK, UNPLACED, Column, Dataset
from even_ballot.core.numerics.arrays import Bools, Floats
from even_ballot.core.screening.finding import Found, Usual
from even_ballot.core.screening.settings import Screening

QUARTILES, LEAST = (0.25, 0.75), 20
"""Of which cases numbers are unusual: by what, and from how many answers on."""


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


def plain_numbers(data: Dataset) -> list[str]:
    """Numbers that are answers: those without a role.

    >>> from even_ballot.core.data.example import ferry
    >>> plain_numbers(ferry())
    ['boat', 'age', 'to_work', 'to_shop']
    """
    return [name for name, of in data.variables.items() if of.kind == "number" and of.role is None]


def usual_between(low: float, high: float, far: float) -> Usual | None:
    """Between which numbers nothing is unusual, by the quartiles; None where these are one.

    >>> usual_between(10, 20, 4)
    Usual(low=-30.0, high=60.0)
    """
    reach = far * (high - low)
    return Usual(float(low - reach), float(high + reach)) if reach > 0 else None


def far_from(data: Dataset, name: str, usual: Usual) -> Found:
    """The cases whose number is unusual.

    >>> from even_ballot.core.data.example import ferry
    >>> far_from(ferry(), "age", Usual(20, 50)).count
    3
    """
    column = data.column(name)
    far = column.answered & ((column.values < usual.low) | (column.values > usual.high))
    return Found.among(name, f"under {usual.low:g} or over {usual.high:g}", far, usual=usual)


def unusual(data: Dataset, settings: Screening) -> Iterator[Found]:
    """Numbers far from the rest: beyond the quartiles by more than `far` times the distance between them.

    >>> from even_ballot.core.data.example import ferry
    >>> list(unusual(ferry(), Screening()))
    []
    """
    for name in plain_numbers(data):
        column = data.column(name)
        values = column.values[column.answered]
        if len(values) < LEAST:
            continue
        low, high = np.quantile(values, QUARTILES)
        if (usual := usual_between(low, high, settings.far)) is not None:
            yield far_from(data, name, usual)


def own_weights(data: Dataset, name: str) -> tuple[Bools, Floats]:
    """Who answered a number and has a weight, (n,), and the weights that came with the file, 1 each where it
    brought none.

    >>> from even_ballot.core.data.example import ferry
    >>> own_weights(ferry(), "age")[1].tolist()
    [1.0, 1.0, 2.0, 1.0, 1.5, 1.0, 0.5, 0.0]
    """
    known, weight = data.column(name).answered, data.with_role("weight")
    if weight is None or data.variable(weight).kind != "number":
        return known, np.ones(data.n)
    given = data.column(weight)
    known = known & given.answered & (given.values > 0)
    return known, np.where(known, given.values, 0.0)


def carrying(name: str, settings: Screening, cases: Bools) -> Found:
    """Cases that carry a number's mean.

    >>> carrying("age", Screening(influence=2), np.ones(3, np.bool_)).value
    'beyond 2 standard errors'
    """
    return Found.among(name, f"beyond {settings.influence:g} standard errors", cases)


def influential(data: Dataset, settings: Screening) -> Iterator[Found]:
    """Cases that carry a number's mean, on demand: w (y − ȳ)/Σ w beyond `influence` times its standard error,
    as if every case were a unit of its own; w: the weight that came with the file, if any.

    >>> from even_ballot.core.data.example import ferry
    >>> [(f.variable, f.count) for f in influential(ferry(), Screening(influence=0.5)) if f.count]
    [('age', 1), ('to_work', 1), ('to_shop', 1)]
    """
    if settings.influence is None:
        return
    for name in plain_numbers(data):
        known, w = own_weights(data, name)
        beyond = np.zeros(data.n, np.bool_)
        beyond[known] = weighty(data.column(name).values[known], w[known], settings.influence)
        yield carrying(name, settings, beyond)


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
