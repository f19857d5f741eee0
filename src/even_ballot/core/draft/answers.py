"""The answers in a column of a file, and how often each stands there."""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from even_ballot.core.data.dataset import ANSWERED, Column, RawTable
from even_ballot.core.lazy import lazy
from even_ballot.core.written.no_answer import means_no_answer

_LOOKED_AT = 500
"""Characters of a heading that are looked at; an entry of more is an open answer."""


@dataclass(frozen=True)
class Answers:
    """A column's entries that are not blank. words: with how many cells hold each; none: those of them that
    say in words that there is no answer."""

    name: str
    label: str
    words: dict[str, int]
    none: dict[str, int]
    rows: int

    @lazy
    def said(self) -> dict[str, int]:
        """The entries that are answers."""
        return {word: n for word, n in self.words.items() if word not in self.none}

    @lazy
    def cells(self) -> int:
        """How many cells are not blank."""
        return sum(self.words.values())

    @property
    def blank(self) -> int:
        """How many cells are blank."""
        return self.rows - self.cells

    @lazy
    def heading(self) -> str:
        """Name and the beginning of the question text, folded, for the words in them."""
        return f"{self.name.replace('_', ' ')} {self.label[:_LOOKED_AT]}".casefold()

    @lazy
    def long(self) -> bool:
        """Whether some entries are too long for anything but a text."""
        return any(len(word) > _LOOKED_AT for word in self.words)


def answers_in(name: str, label: str, column: Column) -> Answers:
    """The answers in a text column, in the order in which they first stand in it.

    >>> from even_ballot.core.data.dataset import text_column
    >>> found = answers_in("q1", "Q1", text_column(["late", "", "dk", "late"]))
    >>> found.words, found.none, found.blank
    ({'late': 2, 'dk': 1}, {'dk': 1}, 1)
    """
    counts = np.bincount(column.values[column.state == ANSWERED], minlength=len(column.words)).tolist()
    words = {word: n for word, n in zip(column.words, counts, strict=False) if n}
    none = {word: n for word, n in words.items() if means_no_answer(word)}
    return Answers(name, label, words, none, len(column.values))


def all_answers(raw: RawTable) -> Iterator[Answers]:
    """The answers in every column of a file.

    >>> from even_ballot.core.data.example import ferry_answers
    >>> [found.name for found in all_answers(ferry_answers())][:2]
    ['isle', 'boat']
    """
    for name, label, column in zip(raw.names, raw.labels, raw.columns, strict=True):
        yield answers_in(name, label, column)
