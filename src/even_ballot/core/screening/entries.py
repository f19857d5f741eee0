"""Checks of whole entries: who made them, how fast, how often, with how much thought."""

import re
from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.codebook import Role
from even_ballot.core.dataset import BLANK, Bools, Column, Dataset, Floats
from even_ballot.core.screening.finding import Found
from even_ballot.core.screening.settings import Screening

_OWN = re.compile(r"\b(staff|test|tests|testing|preview|trial)\b", re.IGNORECASE)
_ANSWERS = ("coded", "number", "text")


def with_role(data: Dataset, role: Role) -> str | None:
    """The first variable of a role."""
    return next((v.name for v in data.variables.values() if v.role == role), None)


def batteries(data: Dataset, least: int) -> list[tuple[str, ...]]:
    """Runs of neighbouring coded variables that share an ordered scale."""
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
    """Entries whose status says that they were made to try the form."""
    name = with_role(data, "status")
    if name is None or data.variable(name).kind != "text":
        return
    column = data.column(name)
    for i, word in enumerate(column.words):
        if _OWN.search(word):
            yield Found(name, word, column.answered & (column.values == i))


def seconds_of(data: Dataset) -> tuple[str, Floats] | None:
    """How long each case took (NaN unknown), and the variable that says so."""
    name = with_role(data, "seconds")
    if name is not None and data.variable(name).kind == "number":
        column = data.column(name)
        return name, np.where(column.answered, column.values, np.nan)
    started, ended = with_role(data, "started"), with_role(data, "ended")
    if started is None or ended is None:
        return None
    a, b = data.column(started), data.column(ended)
    if data.variable(started).kind != "date" or data.variable(ended).kind != "date":
        return None
    return ended, np.where(a.answered & b.answered, b.values - a.values, np.nan)


def too_fast(data: Dataset, settings: Screening) -> Iterator[Found]:
    """Entries finished in less than `fast` seconds, or than a third of the median where none is said."""
    timed = seconds_of(data)
    if timed is None or np.isnan(timed[1]).all():
        return
    name, seconds = timed
    cut = settings.fast if settings.fast is not None else float(np.nanmedian(seconds)) / 3
    with np.errstate(invalid="ignore"):
        yield Found(name, f"under {cut:.0f} seconds", np.asarray(seconds < cut))


def ended_before_started(data: Dataset, settings: Screening) -> Iterator[Found]:
    """Entries that took less than no time: their end lies before their start."""
    timed = seconds_of(data)
    if timed is not None:
        with np.errstate(invalid="ignore"):
            yield Found(timed[0], "", np.asarray(timed[1] < 0))


def duplicate_identifier(data: Dataset, settings: Screening) -> Iterator[Found]:
    """Cases whose identifier another case has too."""
    name = with_role(data, "id")
    if name is None:
        return
    column = data.column(name)
    values, index, counts = np.unique(column.values, return_inverse=True, return_counts=True)
    answered = np.bincount(index.ravel(), weights=column.answered, minlength=len(values))
    yield Found(name, "", column.answered & (answered[index.ravel()] > 1) & (counts[index.ravel()] > 1))


def duplicate_entry(data: Dataset, settings: Screening) -> Iterator[Found]:
    """Cases alike in every answer to another: all coded variables, numbers and texts without a role."""
    names = [v.name for v in data.variables.values() if v.kind in _ANSWERS and v.role is None]
    distinct = [name for name in names if _repeats(data, name)]
    if len(distinct) < 5:
        return
    columns = [data.column(name) for name in distinct]
    filled = np.sum([column.state != BLANK for column in columns], axis=0) >= len(distinct) / 2
    digest = _digest(columns, data.n)
    _, first, counts = np.unique(digest, return_inverse=True, return_counts=True)
    likely = np.flatnonzero(filled & (counts[first.ravel()] > 1))
    # Equal digests only point at cases; the cells decide.
    cells = np.stack([np.where(c.state[likely] == BLANK, np.nan, c.values[likely].astype(float)) for c in columns], 1)
    _, group, alike = np.unique(cells, axis=0, return_inverse=True, return_counts=True, equal_nan=True)
    found = np.zeros(data.n, np.bool_)
    found[likely] = alike[group.ravel()] > 1
    yield Found("", "", found)


def _digest(columns: list[Column], n: int) -> NDArray[np.uint64]:
    """A number for each case that is the same for equal cells; blanks count as such."""
    digest = np.full(n, 14_695_981_039_346_656_037, np.uint64)
    for column in columns:
        bits = np.where(column.state == BLANK, np.inf, column.values).astype(np.float64).view(np.uint64)
        digest = (digest ^ bits) * np.uint64(1_099_511_628_211)
        digest ^= digest >> np.uint64(29)
    return digest


def _repeats(data: Dataset, name: str) -> bool:
    """Whether answers repeat at all: a column that numbers the entries tells no two of them alike."""
    column = data.column(name)
    return len(column.distinct) < max(0.95 * int(column.answered.sum()), 2)


def straight_line(data: Dataset, settings: Screening) -> Iterator[Found]:
    """Cases that gave one and the same answer to all questions of a battery, every one answered."""
    for battery in batteries(data, settings.battery):
        columns = [data.column(name) for name in battery]
        answered = np.logical_and.reduce([column.answered for column in columns])
        same = np.logical_and.reduce([column.values == columns[0].values for column in columns])
        yield Found(battery[0], f"{battery[0]} to {battery[-1]}", np.asarray(answered & same))


def answered_share(data: Dataset, settings: Screening) -> Floats | None:
    """The share of the chosen questions (default: of all batteries) that each case answered."""
    names = settings.questions or tuple(name for run in batteries(data, settings.battery) for name in run)
    there = [name for name in names if name in data.columns]
    if not there:
        return None
    answered: list[Bools] = [data.column(name).state != BLANK for name in there]
    return np.asarray(np.mean(answered, axis=0), np.float64)


def too_little(data: Dataset, settings: Screening) -> Iterator[Found]:
    """Cases that answered less than a share of the chosen questions."""
    share = answered_share(data, settings)
    if share is not None:
        yield Found("", f"under {100 * settings.answered:g} % answered", share < settings.answered)
