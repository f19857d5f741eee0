"""The cases of a study in parts."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from even_ballot.core.data.codebook import Variable
from even_ballot.core.data.dataset import ANSWERED, UNPLACED, Column, Dataset, number_column
from even_ballot.core.data.first_look import FirstLook
from even_ballot.core.data.periods import days_of
from even_ballot.core.lazy import lazy
from even_ballot.core.numerics.arrays import Bools, Floats
from even_ballot.core.numerics.parts import InParts, Merge, in_order, kept

_NAMED = 8
"""Records that are named, of those at fault."""


def first_look(data: Dataset) -> FirstLook:
    """What occurs in one part.

    >>> from even_ballot.core.data.example import ferry
    >>> first_look(ferry()).codes["isle"].tolist()
    [1, 2]
    """
    kinds = {name: data.variables[name].kind for name in data.columns}
    return FirstLook(
        {name: data.columns[name].distinct for name, kind in kinds.items() if kind == "coded"},
        {name: days_of(data.columns[name]) for name, kind in kinds.items() if kind == "date"},
    )


@dataclass(frozen=True)
class Records:
    """Some cases by the numbers of their records in the source: n, how many they are; first: the lowest of
    them, ascending."""

    n: int
    first: tuple[int, ...]

    def __add__(self, other: "Records") -> "Records":
        return Records(self.n + other.n, tuple(sorted(self.first + other.first))[:_NAMED])

    def __bool__(self) -> bool:
        return self.n > 0

    def __str__(self) -> str:
        """The first few, in words."""
        named = ", ".join(map(str, self.first))
        return named if self.n <= len(self.first) else f"{named} and {self.n - len(self.first)} more"


class Cases(InParts[Dataset]):
    """Cases in parts of the same variables and scales; a part may be empty. What categories there are is
    told by a first look at all of them; one part needs none."""

    def __init__(self, parts: Sequence[Dataset], merge: Merge = in_order) -> None:
        super().__init__(parts, merge)
        if self.several and any(part.look is None for part in parts):
            look = self.merged(first_look, add=FirstLook.merged)
            self.parts = kept(merge, (replace(part, look=look) for part in parts))

    @classmethod
    def of(cls, data: "Dataset | Cases") -> "Cases":
        """Cases in one part, or as they are."""
        return data if isinstance(data, Cases) else cls([data])

    @lazy
    def head(self) -> Dataset:
        """A part, for what is the same in all: variables, scales, categories."""
        return self.parts[0]

    @lazy
    def n(self) -> int:
        """How many cases there are."""
        found: int = self.merged(lambda part: part.n)
        return found

    def records(self, which: Sequence[Bools]) -> Records:
        """The records of some cases; which: (n,) for every part."""

        def look(part: Dataset, of: Bools) -> Records:
            rows = part.rows[of]
            return Records(len(rows), tuple(np.sort(rows)[:_NAMED].tolist()))

        return self.merged(look, which)

    def whole(self) -> Dataset:
        """All cases together, in the order of the source."""
        return self.parts[0] if len(self.parts) == 1 else _joined(self.parts)

    def with_number(self, variable: Variable, values: Sequence[Floats]) -> "Cases":
        """The cases with a number more, (n,) for every part."""
        made = self.each(lambda part, of: part.with_column(variable, number_column(of)), values)
        return Cases(made, self.merge)


def _joined(parts: Sequence[Dataset]) -> Dataset:
    rows = np.concatenate([part.rows for part in parts])
    order = np.argsort(rows, kind="stable")
    columns = {}
    for name in parts[0].columns:
        text = parts[0].variables[name].kind == "text"
        columns[name] = joined_columns([part.columns[name] for part in parts], text).take(order)
    return replace(parts[0], rows=rows[order], columns=columns, look=None)


def joined_columns(columns: Sequence[Column], text: bool = False) -> Column:
    """Columns of one variable, one below the other; text: whose answers are places among words.

    >>> a, b = (Column(np.array([0]), np.array([ANSWERED], np.uint8), (word,)) for word in ("yes", "no"))
    >>> both = joined_columns([a, b], text=True)
    >>> [both.words[i] for i in both.values]
    ['yes', 'no']
    """
    words = tuple(dict.fromkeys(word for column in columns for word in column.words))
    place = {word: i for i, word in enumerate(words)}
    values = []
    for column in columns:
        moved = np.array([place[word] for word in column.words], np.int64)
        worded = np.isin(column.state, (ANSWERED, UNPLACED) if text else (UNPLACED,))
        of = column.values.copy()
        of[worded] = moved[column.values[worded].astype(np.int64)]
        values.append(of)
    return Column(np.concatenate(values), np.concatenate([column.state for column in columns]), words)
