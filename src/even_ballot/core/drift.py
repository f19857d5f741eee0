"""How a newer file differs from the one a study was made on, and what that changes in its figures."""

from collections import defaultdict, deque
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from even_ballot.core.dataset import Column, RawTable
from even_ballot.core.results import Cell, TableResult

_FEW = 60


@dataclass(frozen=True)
class NewAnswers:
    """Answers of a column that the earlier file never had, with how many records give each."""

    column: str
    answers: dict[str, int]


@dataclass(frozen=True)
class Drift:
    """What is new in a file: columns (name → heading), columns gone, answers never seen, records."""

    records_before: int
    records_after: int
    new_columns: dict[str, str]
    missing_columns: dict[str, str]
    new_answers: tuple[NewAnswers, ...]


@dataclass(frozen=True)
class FigureChange:
    """A table's figures before and after: how many there are, how many differ, and the largest difference of a share."""

    table: str
    title: str
    figures: int
    changed: int
    largest: float


def aligned(newer: RawTable, older: RawTable) -> RawTable:
    """The newer table with each column under the name that its heading had in the older one."""
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


def _counts(column: Column) -> dict[str, int]:
    index = column.values[column.answered]
    counts = np.bincount(index, minlength=len(column.words))
    return {word: int(n) for word, n in zip(column.words, counts, strict=True) if n}


def drift(newer: RawTable, older: RawTable) -> Drift:
    """The differences between two tables whose columns bear the same names."""
    before = dict(zip(older.names, older.columns, strict=True))
    after = dict(zip(newer.names, newer.columns, strict=True))
    answers = []
    for name, column in after.items():
        if name in before and len(seen := _counts(before[name])) <= _FEW:
            fresh = {word: n for word, n in _counts(column).items() if word not in seen}
            if fresh:
                answers.append(NewAnswers(name, fresh))
    heads = dict(zip(newer.names, newer.labels, strict=True))
    gone = dict(zip(older.names, older.labels, strict=True))
    return Drift(
        len(older.rows),
        len(newer.rows),
        {name: heads[name] for name in after if name not in before},
        {name: gone[name] for name in before if name not in after},
        tuple(answers),
    )


def _key(cell: Cell) -> tuple[object, ...]:
    return cell.stub, cell.banner, cell.stat


def changed_figures(before: Sequence[TableResult], after: Sequence[TableResult]) -> tuple[FigureChange, ...]:
    """Table by table, the figures that a newer file changes (beyond rounding), added and gone ones included."""
    earlier = {table.id: {_key(cell): cell.est for cell in table.cells} for table in before}
    changes = []
    for table in after:
        was = earlier.get(table.id, {})
        now = {_key(cell): cell.est for cell in table.cells}
        keys = was.keys() | now.keys()
        moved = [
            key for key in keys if was.get(key) is None or now.get(key) is None or not np.isclose(was[key], now[key], rtol=1e-9)
        ]
        shares = [abs(now[k] - was[k]) for k in moved if k in was and k in now and str(k[2]).endswith("_pct")]
        changes.append(FigureChange(table.id, table.title, len(keys), len(moved), max(shares, default=0.0)))
    return tuple(changes)
