"""Checks for cases that are there twice."""

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from even_ballot.core.data.dataset import Dataset
from even_ballot.core.ledger.cases import DropCases, Duplicates, cell_bits, in_groups
from even_ballot.core.numerics.arrays import Ints
from even_ballot.core.numerics.recurring import keys
from even_ballot.core.screening.finding import Found, set_aside
from even_ballot.core.screening.settings import Screening

_ANSWERS = ("coded", "number", "text")


@dataclass(frozen=True)
class Twice:
    """What cases are alike in that are there twice, and the step that sets all but one aside."""

    variable: str
    alike: Duplicates
    step: DropCases | None


def same_respondent(data: Dataset) -> Twice | None:
    """Cases of one identifier; None where there is no identifier.

    >>> from even_ballot.core.data.example import ferry
    >>> same_respondent(ferry()) is None
    True
    """
    name = data.with_role("id")
    if name is None or data.variable(name).kind == "multi":
        return None
    step = set_aside("the same respondent twice", duplicates={"of": [name]})
    return Twice(name, Duplicates(of=(name,)), step)


def compared_answers(data: Dataset) -> list[str]:
    """What entries are compared in: all coded variables, numbers and texts without a role.

    >>> from even_ballot.core.data.example import ferry
    >>> compared_answers(ferry())[:3]
    ['isle', 'boat', 'crosses']
    """
    return [v.name for v in data.variables.values() if v.kind in _ANSWERS and v.role is None]


def repeats(distinct: int, answered: int) -> bool:
    """Whether answers repeat at all: a column that numbers the entries tells no two of them alike.

    >>> repeats(5, 100), repeats(96, 100)
    (True, False)
    """
    return distinct < max(0.95 * answered, 2)


def same_entry(names: Iterable[str]) -> Twice | None:
    """Cases alike in all answers that repeat, half of them answered; None where too few do.

    >>> same_entry(["crosses"]) is None
    True
    """
    distinct = tuple(names)
    if len(distinct) < 5:
        return None
    alike = Duplicates(of=distinct, at_least=max((len(distinct) + 1) // 2, 1))
    return Twice("", alike, set_aside("the same entry twice", duplicates=alike))


def duplicate_identifier(data: Dataset, settings: Screening) -> Iterator[Found]:
    """Cases whose identifier another case has too.

    >>> from even_ballot.core.data.example import ferry
    >>> list(duplicate_identifier(ferry(), Screening()))
    []
    """
    if (twice := same_respondent(data)) is not None:
        yield Found.among(twice.variable, "", in_groups(data, twice.alike), twice.step)


def duplicate_entry(data: Dataset, settings: Screening) -> Iterator[Found]:
    """Cases alike in every answer to another, half of them answered: all coded variables, numbers and
    texts without a role.

    >>> from even_ballot.core.data.example import ferry
    >>> [found.count for found in duplicate_entry(ferry(), Screening())]
    [0]
    """
    twice = same_entry(name for name in compared_answers(data) if _repeats(data, name))
    if twice is None:
        return
    likely = _likely(data, twice.alike.of)
    found = np.zeros(data.n, np.bool_)
    found[likely] = in_groups(data.where(likely), twice.alike)
    yield Found.among("", "", found, twice.step)


def _likely(data: Dataset, names: Sequence[str]) -> Ints:
    """Places of cases whose digest another case has: equal digests only point at cases, the cells decide."""
    digest = keys((cell_bits(data.column(name)) for name in names), data.n)
    ordered = np.sort(digest)
    recurring = np.unique(ordered[1:][ordered[1:] == ordered[:-1]])
    return np.flatnonzero(np.isin(digest, recurring)) if len(recurring) else np.zeros(0, np.int64)


def _repeats(data: Dataset, name: str) -> bool:
    column = data.column(name)
    return repeats(len(column.distinct_values), int(column.answered.sum()))
