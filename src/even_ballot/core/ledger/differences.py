"""What a step changes, as old × new: which answers became which, and in how many cases."""

from dataclasses import dataclass

import numpy as np

from even_ballot.core.data.dataset import BLANK, UNPLACED, Dataset
from even_ballot.core.ledger import Step
from even_ballot.core.numerics.arrays import Ints

_SHOWN, _MANY, _SOURCES = 60, 24, 4


@dataclass(frozen=True)
class Turn:
    """Cases whose answer `old` became `new`; how many."""

    old: str
    new: str
    cases: int


@dataclass(frozen=True)
class OldNew:
    """Variable `old` before × variable `new` after, most frequent turns first within the order of old
    answers; `more` pairs are not listed. changed: cases whose entry is another than before."""

    old: str
    new: str
    turns: tuple[Turn, ...]
    more: int
    changed: int


def _written(value: float) -> str:
    return f"{value:.10g}"


def spelled(data: Dataset, name: str) -> tuple[Ints, list[str]]:
    """Every case's entry as a place in a list of entries as people read them, in the order of the answers.

    >>> from even_ballot.core.data.example import ferry
    >>> place, entries = spelled(ferry(), "crosses")
    >>> [entries[k] for k in place.tolist()]
    ['1 Never', '2 At times', '3 Weekly', '3 Weekly', '2 At times', '3 Weekly', '9 No answer', 'blank']
    """
    column, variable = data.column(name), data.variable(name)
    words = list(column.words)
    state, values = column.state, column.values
    at = np.zeros(data.n, np.int64)
    entries: list[str] = []

    def add(cells: np.ndarray, index: Ints, texts: list[str]) -> None:
        at[cells] = index + len(entries)
        entries.extend(texts)

    plain = (state != BLANK) & (state != UNPLACED)
    distinct, index = np.unique(values[plain], return_inverse=True)
    if variable.kind == "text":
        texts = [words[int(v)] for v in distinct]
    elif variable.kind == "coded":
        scale = data.scale_of(name)
        said = {item.code: item.label for item in variable.missing}
        labels = [(int(v), (scale.label_of(int(v)) if scale else None) or said.get(int(v))) for v in distinct]
        texts = [f"{code} {label}" if label else str(code) for code, label in labels]
    elif variable.kind == "date":
        texts = [str(np.datetime64(int(v), "s")).replace("T", " ") for v in distinct]
    else:
        texts = [_written(float(v)) for v in distinct]
    add(plain, index.ravel().astype(np.int64), texts)
    left = state == UNPLACED
    if left.any():
        add(left, values[left].astype(np.int64), [f"“{word}”, unrecognised" for word in words])
    add(state == BLANK, np.zeros(int((state == BLANK).sum()), np.int64), ["blank"])
    return at, entries


def _ranges(data: Dataset, name: str, at: Ints, entries: list[str], by: Ints) -> tuple[Ints, list[str]]:
    """Where a number has many values: in place of each its range among the cases that are alike in `by`."""
    column = data.column(name)
    number = (column.state != BLANK) & (column.state != UNPLACED)
    if data.variable(name).kind not in ("number", "date") or len(np.unique(at[number])) <= _MANY:
        return at, entries
    order = np.lexsort((column.values, by))[number[np.lexsort((column.values, by))]]
    groups, first = np.unique(by[order], return_index=True)
    last = np.append(first[1:], len(order)) - 1
    fresh, texts = at.copy(), list(entries)
    for group, a, b in zip(groups, order[first], order[last], strict=True):
        low, high = entries[at[a]], entries[at[b]]
        texts.append(low if low == high else f"{low} to {high}")
        fresh[number & (by == group)] = len(texts) - 1
    return fresh, texts


def old_new(before: Dataset, old: str, after: Dataset, new: str) -> OldNew:
    """Old × new of two variables over the same cases.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.ledger import run_ledger
    >>> from even_ballot.core.ledger.derived import Derive
    >>> data = ferry()
    >>> ((after, _),) = run_ledger(data, [Derive(do="derive", into="older", value="age >= 45")], {})
    >>> found = old_new(data, "age", after, "older")
    >>> found.old, found.new
    ('age', 'older')
    """
    a, olds = spelled(before, old)
    b, news = spelled(after, new)
    same = {text: i for i, text in enumerate(olds)}
    match = np.array([same.get(text, -1) for text in news] or [-1])
    changed = int((match[b] != a).sum())
    if len(news) <= max(4 * _MANY, 2):
        a, olds = _ranges(before, old, a, olds, b)
    pairs, counts = np.unique(a * len(news) + b, return_counts=True)
    turns = [
        Turn(olds[int(p) // len(news)], news[int(p) % len(news)], int(n))
        for p, n in zip(pairs, counts, strict=True)
    ]
    if len(turns) > _SHOWN:
        # What changed comes first; the most frequent of it.
        turns.sort(key=lambda turn: (turn.old == turn.new, -turn.cases))
    return OldNew(old, new, tuple(turns[:_SHOWN]), max(len(turns) - _SHOWN, 0), changed)


def differences(before: Dataset, after: Dataset, step: Step) -> tuple[OldNew, ...]:
    """Old × new of every variable that a step changed or made, as far as it has something to be compared
    with.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.ledger.derived import Derive
    >>> data, step = ferry(), Derive(do="derive", into="older", value="age >= 45")
    >>> [(of.old, of.new) for of in differences(data, step.apply(data, {}).data, step)]
    [('age', 'older')]
    """
    if before.n != after.n:
        return ()
    found = [
        old_new(before, name, after, name)
        for name, column in after.columns.items()
        if name in before.columns and column is not before.columns[name]
    ]
    for name, sources in step.made_of().items():
        if name in after.columns:
            there = [s for s in sources if s in before.columns][:_SOURCES]
            found += [old_new(before, source, after, name) for source in there]
    return tuple(found)
