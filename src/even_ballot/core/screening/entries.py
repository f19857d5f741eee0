"""Checks of whole entries: who made them, how fast, how often, with how much thought."""

import re
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from even_ballot.core.data.dataset import Dataset
from even_ballot.core.numerics.arrays import Floats, Ints
from even_ballot.core.screening.finding import Found, set_aside
from even_ballot.core.screening.settings import Screening

_OWN = re.compile(r"\b(staff|test|tests|testing|preview|trial)\b", re.IGNORECASE)


def batteries(data: Dataset, least: int) -> list[tuple[str, ...]]:
    """Runs of neighbouring coded variables that share an ordered scale.

    >>> from even_ballot.core.data.example import ferry
    >>> batteries(ferry(), 3)
    []
    """
    runs: list[list[str]] = [[]]
    before = None
    for name, variable in data.variables.items():
        scale = data.scale_of(name) if variable.kind == "coded" else None
        key = variable.scale if scale is not None and scale.ordered else None
        if key is None or key != before:
            runs.append([])
        if key is not None:
            runs[-1].append(name)
        before = key
    return [tuple(run) for run in runs if len(run) >= least]


def staff_test(data: Dataset, settings: Screening) -> Iterator[Found]:
    """Entries whose status says that they were made to try the form.

    >>> from even_ballot.core.data.example import ferry
    >>> list(staff_test(ferry(), Screening()))
    []
    """
    name = data.with_role("status")
    if name is None or data.variable(name).kind != "text":
        return
    column = data.column(name)
    for i, word in enumerate(column.words):
        if _OWN.search(word):
            where = f"{name} == {word!r}"
            step = set_aside("made by our own staff while trying the form", where=where)
            yield Found.among(name, word, column.answered & (column.values == i), step)


@dataclass(frozen=True)
class Timed:
    """How long each case took, (n,), NaN unknown; the variable that says so; the same as a formula."""

    variable: str
    seconds: Floats
    formula: str


def seconds_of(data: Dataset) -> Timed | None:
    """How long each case took, by a variable of that role, else between start and end.

    >>> from even_ballot.core.data.example import ferry
    >>> seconds_of(ferry()) is None
    True
    """
    name = data.with_role("seconds")
    if name is not None and data.variable(name).kind == "number":
        column = data.column(name)
        return Timed(name, np.where(column.answered, column.values, np.nan), name)
    started, ended = data.with_role("started"), data.with_role("ended")
    if started is None or ended is None:
        return None
    a, b = data.column(started), data.column(ended)
    if data.variable(started).kind != "date" or data.variable(ended).kind != "date":
        return None
    seconds = np.where(a.answered & b.answered, b.values - a.values, np.nan)
    return Timed(ended, seconds, f"seconds_between({started}, {ended})")


def fast_cut(timed: Timed, settings: Screening) -> float:
    """Seconds under which an entry is too fast: as said, or a third of the median.

    >>> fast_cut(Timed("took", np.array([300.0, 600.0, 900.0]), "took"), Screening())
    200.0
    """
    return settings.fast if settings.fast is not None else float(np.nanmedian(timed.seconds)) / 3


def too_fast(data: Dataset, settings: Screening) -> Iterator[Found]:
    """Entries finished in less than `fast` seconds, or than a third of the median where none is said.

    >>> from even_ballot.core.data.example import ferry
    >>> list(too_fast(ferry(), Screening()))
    []
    """
    timed = seconds_of(data)
    if timed is None or np.isnan(timed.seconds).all():
        return
    cut = fast_cut(timed, settings)
    step = set_aside("faster than anyone can read it", where=f"{timed.formula} < {cut:.17g}")
    with np.errstate(invalid="ignore"):
        yield Found.among(timed.variable, f"under {cut:.0f} seconds", np.asarray(timed.seconds < cut), step)


def ended_before_started(data: Dataset, settings: Screening) -> Iterator[Found]:
    """Entries that took less than no time: their end lies before their start.

    >>> from even_ballot.core.data.example import ferry
    >>> list(ended_before_started(ferry(), Screening()))
    []
    """
    timed = seconds_of(data)
    if timed is not None:
        with np.errstate(invalid="ignore"):
            yield Found.among(timed.variable, "", np.asarray(timed.seconds < 0))


def straight_line(data: Dataset, settings: Screening) -> Iterator[Found]:
    """Cases that gave one and the same answer to all questions of a battery, every one answered.

    >>> from even_ballot.core.data.example import ferry
    >>> list(straight_line(ferry(), Screening()))
    []
    """
    for battery in batteries(data, settings.battery):
        columns = [data.column(name) for name in battery]
        answered = np.logical_and.reduce([column.answered for column in columns])
        same = np.logical_and.reduce([column.values == columns[0].values for column in columns])
        step = set_aside("one answer to everything in a row", where=" == ".join(battery))
        yield Found.among(battery[0], f"{battery[0]} to {battery[-1]}", np.asarray(answered & same), step)


def _chosen(data: Dataset, settings: Screening) -> list[str]:
    """The questions that an entry must have answered enough of (default: of all batteries), as far as they
    are there."""
    names = settings.questions or tuple(name for run in batteries(data, settings.battery) for name in run)
    return [name for name in dict.fromkeys(names) if name in data.columns]


def _answered(data: Dataset, names: list[str]) -> Ints:
    """How many of some questions each case answered; a code that means no answer is none."""
    return np.asarray(
        sum((data.column(name).answered.astype(np.int64) for name in names), np.zeros(data.n, np.int64))
    )


def answered_share(data: Dataset, settings: Screening) -> Floats | None:
    """The share of the chosen questions that each case answered.

    >>> from even_ballot.core.data.example import ferry
    >>> answered_share(ferry(), Screening(questions=("crosses", "age"))).tolist()
    [1.0, 1.0, 1.0, 1.0, 1.0, 1.0, 0.5, 0.0]
    """
    names = _chosen(data, settings)
    return np.asarray(_answered(data, names) / len(names)) if names else None


def too_little(data: Dataset, settings: Screening) -> Iterator[Found]:
    """Cases that answered less than a share of the chosen questions.

    >>> from even_ballot.core.data.example import ferry
    >>> [found.count for found in too_little(ferry(), Screening(questions=("crosses", "age")))]
    [1]
    """
    names = _chosen(data, settings)
    if names:
        least = settings.answered * len(names)
        step = set_aside(
            "(broken sentence, a leftover of “too little answered”) too few questions answered to be of use",
            where=f"answered({', '.join(names)}) < {least:.17g}",
        )
        yield Found.among(
            "", f"under {100 * settings.answered:g} % answered", _answered(data, names) < least, step
        )
