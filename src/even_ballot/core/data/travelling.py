"""Cases on the way to another process and back: columns that it does not look at are not sent, and those that
it did not change do not come back."""

from collections.abc import Collection, Mapping
from dataclasses import dataclass, replace

import numpy as np

from even_ballot.core.data.dataset import Column, Dataset
from even_ballot.core.numerics.arrays import Ints

_NO_CELLS = Column(np.zeros(0, np.int32), np.zeros(0, np.uint8))
_NO_CASES = np.zeros(0, np.int64)


def narrowed(data: Dataset, names: Collection[str]) -> Dataset:
    """Cases whose other columns are known by name alone.

    >>> from even_ballot.core.data.example import ferry
    >>> [len(narrowed(ferry(), ["age"]).column(name).values) for name in ("isle", "age")]
    [0, 8]
    """
    return replace(
        data, columns={name: of if name in names else _NO_CELLS for name, of in data.columns.items()}
    )


@dataclass(frozen=True)
class News:
    """What is new of a dataset beside the columns that it was made from. data: all but its cases; names: of
    its columns in order; columns: those that are new."""

    data: Dataset
    names: tuple[str, ...]
    columns: Mapping[str, Column]

    @classmethod
    def of(cls, data: Dataset, known: Mapping[str, Column]) -> "News":
        """What is new beside columns that are known."""
        new = {name: column for name, column in data.columns.items() if column is not known.get(name)}
        return cls(replace(data, rows=_NO_CASES, columns={}), tuple(data.columns), new)

    def beside(self, rows: Ints, known: Mapping[str, Column]) -> Dataset:
        """The dataset whole, where its columns are known.

        >>> from even_ballot.core.data.example import ferry
        >>> News.of(ferry(), {}).beside(ferry().rows, {}).n
        8
        """
        columns = {name: self.columns[name] if name in self.columns else known[name] for name in self.names}
        return replace(self.data, rows=rows, columns=columns)
