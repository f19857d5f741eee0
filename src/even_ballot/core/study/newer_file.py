"""How a newer file of answers differs from the one a study was made on."""

from collections import defaultdict, deque
from dataclasses import dataclass, replace

import numpy as np

from even_ballot.core.data.dataset import BLANK, Column, RawTable

_FEW = 60


@dataclass(frozen=True)
class NewAnswers:
    """Answers of a column that the earlier file never had, with how many records give each."""

    column: str
    answers: dict[str, int]


@dataclass(frozen=True)
class CountChange:
    """An answer of a column with how many records gave it before and after."""

    answer: str
    before: int
    after: int


@dataclass(frozen=True)
class ChangedCounts:
    """A column of few answers whose counts changed, largest changes of a share first; moved: the largest
    of them."""

    column: str
    answers: tuple[CountChange, ...]
    moved: float


@dataclass(frozen=True)
class Drift:
    """What is new in a file: columns (name → heading), columns gone, answers never seen, counts that
    changed, records."""

    records_before: int
    records_after: int
    new_columns: dict[str, str]
    missing_columns: dict[str, str]
    new_answers: tuple[NewAnswers, ...]
    counts: tuple[ChangedCounts, ...]


def aligned(newer: RawTable, older: RawTable) -> RawTable:
    """The newer table with each column under the name that its heading had in the older one.

    >>> from even_ballot.core.data.example import ferry_answers
    >>> aligned(ferry_answers(), ferry_answers()).names[:2]
    ('isle', 'boat')
    """
    names: defaultdict[str, deque[str]] = defaultdict(deque)
    for name, label in zip(older.names, older.labels, strict=True):
        names[label].append(name)
    known = [names[label].popleft() if names[label] else None for label in newer.labels]
    taken = set(older.names)
    result = []
    for kept, own in zip(known, newer.names, strict=True):
        k, fresh = 2, kept or own
        while kept is None and fresh in taken:
            fresh, k = f"{own}_{k}", k + 1
        taken.add(fresh)
        result.append(fresh)
    return replace(newer, names=tuple(result))


def extended(newer: RawTable, older: RawTable, identifier: str | None) -> tuple[RawTable, int]:
    """The older table with the newer one's records below it, and how many of those were left out because
    their identifier is among the older ones already. Columns are matched by name; record numbers go on
    counting.

    >>> from even_ballot.core.data.example import ferry_answers
    >>> table, left_out = extended(ferry_answers(), ferry_answers(), None)
    >>> len(table.rows), left_out
    (16, 0)
    """
    fresh = np.ones(len(newer.rows), np.bool_)
    if identifier is not None and identifier in newer.names:
        before, after = (table.columns[table.names.index(identifier)] for table in (older, newer))
        known = {before.words[i] for i in np.unique(before.values[before.answered])}
        among = np.array([word in known for word in after.words] or [False])
        fresh = ~(among[np.where(after.answered, after.values, 0)] & after.answered)
    labels = {
        **dict(zip(newer.names, newer.labels, strict=True)),
        **dict(zip(older.names, older.labels, strict=True)),
    }
    names = (*older.names, *(name for name in newer.names if name not in older.names))
    columns = []
    for name in names:
        parts = [
            table.columns[table.names.index(name)] if name in table.names else _absent(len(table.rows))
            for table in (older, newer)
        ]
        columns.append(_joined(parts[0], parts[1].take(fresh)))
    first = int(older.rows.max(initial=0)) + 1
    rows = np.concatenate([older.rows, first + np.arange(int(fresh.sum()))])
    blank = older.blank_records
    return RawTable(names, tuple(labels[name] for name in names), tuple(columns), rows, blank), int(
        (~fresh).sum()
    )


def _absent(n: int) -> Column:
    """A column that a file did not have: blank."""
    return Column(np.zeros(n, np.int32), np.full(n, BLANK, np.uint8))


def _joined(a: Column, b: Column) -> Column:
    """Two text columns, one below the other."""
    words = {word: i for i, word in enumerate(dict.fromkeys((*a.words, *b.words)))}
    moved = [
        np.array([words[word] for word in column.words] or [0], np.int32)[column.values] for column in (a, b)
    ]
    return Column(np.concatenate(moved), np.concatenate([a.state, b.state]), tuple(words))


def _counts(column: Column) -> dict[str, int]:
    index = column.values[column.answered]
    counts = np.bincount(index, minlength=len(column.words))
    return {word: int(n) for word, n in zip(column.words, counts, strict=True) if n}


def drift(newer: RawTable, older: RawTable) -> Drift:
    """The differences between two tables whose columns bear the same names.

    >>> from even_ballot.core.data.example import ferry_answers
    >>> found = drift(ferry_answers(), ferry_answers())
    >>> found.new_columns, found.records_after
    ({}, 8)
    """
    before = dict(zip(older.names, older.columns, strict=True))
    after = dict(zip(newer.names, newer.columns, strict=True))
    answers, counts = [], []
    for name, column in after.items():
        if name in before and len(seen := _counts(before[name])) <= _FEW:
            now = _counts(column)
            fresh = {word: n for word, n in now.items() if word not in seen}
            if fresh:
                answers.append(NewAnswers(name, fresh))
            if seen != now and len(now) <= 2 * _FEW:
                counts.append(_changed(name, seen, now))
    heads = dict(zip(newer.names, newer.labels, strict=True))
    gone = dict(zip(older.names, older.labels, strict=True))
    return Drift(
        len(older.rows),
        len(newer.rows),
        {name: heads[name] for name in after if name not in before},
        {name: gone[name] for name in before if name not in after},
        tuple(answers),
        tuple(counts),
    )


def _changed(name: str, seen: dict[str, int], now: dict[str, int]) -> ChangedCounts:
    before, after = max(sum(seen.values()), 1), max(sum(now.values()), 1)
    moved = {word: abs(now.get(word, 0) / after - seen.get(word, 0) / before) for word in {**seen, **now}}
    order = sorted(moved, key=lambda word: -moved[word])
    changes = tuple(CountChange(word, seen.get(word, 0), now.get(word, 0)) for word in order)
    return ChangedCounts(name, changes, max(moved.values(), default=0.0))
