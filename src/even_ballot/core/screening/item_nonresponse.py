"""Item non-response: how much each question and each case left out, and which questions go unanswered
together."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from even_ballot.core.data.dataset import ANSWERED, BLANK, MISSING, Dataset

_PATTERNS = 24


@dataclass(frozen=True)
class ItemNonResponse:
    """A question's cases without an answer: blank, with a code that means none, with an entry that was not
    placed."""

    variable: str
    label: str
    blank: int
    missing: int
    unplaced: int


@dataclass(frozen=True)
class MissingPattern:
    """The places, among the questions looked at, of those left out together; and in how many cases."""

    left_out: tuple[int, ...]
    cases: int


@dataclass(frozen=True)
class NonResponse:
    """cases: all; items: one a question; left_out[k]: cases that left out k of them; patterns: the most
    frequent first, with `other_patterns` more of `other_cases` cases."""

    cases: int
    items: tuple[ItemNonResponse, ...]
    left_out: tuple[int, ...]
    patterns: tuple[MissingPattern, ...]
    other_patterns: int
    other_cases: int


def questions_of(data: Dataset) -> tuple[str, ...]:
    """The variables that are questions put to everybody: answers without a role. Parts of a several-answer
    question count as one, under the question's name.

    >>> from even_ballot.core.data.example import ferry
    >>> questions_of(ferry())
    ('isle', 'boat', 'crosses', 'age', 'said', 'why')
    """
    parts = {part for v in data.variables.values() for part in v.parts}
    return tuple(
        v.name for v in data.variables.values() if v.role is None and v.name not in parts and v.kind != "date"
    )


def _states(data: Dataset, name: str) -> np.ndarray:
    """Each case's state of a question; of several answers BLANK where every part is."""
    variable = data.variable(name)
    if variable.kind != "multi":
        return data.column(name).state
    blank = np.logical_and.reduce([data.column(part).state != ANSWERED for part in variable.parts])
    return np.where(blank, BLANK, ANSWERED).astype(np.uint8)


def nonresponse(data: Dataset, questions: Sequence[str] = ()) -> NonResponse:
    """Non-response over some questions (default: `questions_of`).

    Cases of one pattern are told by a sum of 64-bit numbers, one a question; two patterns share it once in
    some 2^63 pairs.

    >>> from even_ballot.core.data.example import ferry
    >>> found = nonresponse(ferry(), ("crosses", "age"))
    >>> found.cases, found.left_out
    (8, (6, 1, 1))
    """
    names = tuple(questions) or questions_of(data)
    counts = np.zeros(data.n, np.int32)
    key = np.zeros(data.n, np.uint64)
    generator = np.random.default_rng(20_260_301)
    items, states = [], []
    for name in names:
        data.variable(name, "questions")
        states.append(state := _states(data, name))
        tally = np.bincount(state, minlength=4)
        items.append(
            ItemNonResponse(
                name, data.variable(name).title, int(tally[BLANK]), int(tally[MISSING]), int(tally[3])
            )
        )
        out = state != ANSWERED
        counts += out
        key[out] += generator.integers(1, 2**63, dtype=np.uint64)
    _, first, sizes = np.unique(key, return_index=True, return_counts=True)
    order = np.argsort(-sizes, kind="stable")
    patterns = []
    for at in order[:_PATTERNS]:
        case = int(first[at])
        left = tuple(i for i, state in enumerate(states) if state[case] != ANSWERED)
        patterns.append(MissingPattern(left, int(sizes[at])))
    rest = sizes[order[_PATTERNS:]]
    left_out = np.bincount(counts, minlength=len(names) + 1)
    return NonResponse(
        data.n, tuple(items), tuple(map(int, left_out)), tuple(patterns), len(rest), int(rest.sum())
    )
