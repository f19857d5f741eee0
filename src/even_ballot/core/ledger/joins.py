"""Steps that join columns of another file."""

from dataclasses import replace
from itertools import product
from typing import Annotated, Literal, Self

import numpy as np
from pydantic import Field, model_validator

from even_ballot.core.data.codebook import Scale, Variable
from even_ballot.core.data.dataset import ANSWERED, BLANK, Column, Dataset, RawTable
from even_ballot.core.data.interpretation import as_number, guess_kind, parse_number
from even_ballot.core.faults import counted, fault, some
from even_ballot.core.ledger.step import Outcome, Step, Tables, new_name
from even_ballot.core.numerics.arrays import Bools, Ints

Way = tuple[str, ...]
"""One way that a key may be spelled, a part for each of its variables."""


def _with_row(table: RawTable) -> RawTable:
    """A lookup file with its own name for a column headed `row`, which stands for the record's number
    among the cases."""
    if "row" in table.names or "c_row" not in table.names:
        return table
    return replace(table, names=tuple("row" if name == "c_row" else name for name in table.names))


def _said(key: Way) -> str:
    return " × ".join(key)


def _key(word: str) -> str:
    """One spelling for a key: numbers without needless decimals, text without stray space."""
    number = parse_number(word)
    return word.strip() if number is None or (len(word) > 1 and word[0] == "0") else f"{number:.12g}"


def _spellings(column: Column, variable: Variable, scale: Scale | None) -> list[tuple[str, ...]]:
    """For each case the ways its key may be spelled in the file: the code or number, and the label."""
    if variable.kind == "text":
        by_word: list[tuple[str, ...]] = [(_key(word),) for word in column.words] or [()]
        return [
            by_word[v] if s == ANSWERED else ()
            for v, s in zip(column.values.tolist(), column.state.tolist(), strict=True)
        ]
    label: dict[int, str] = {item.code: item.label for item in scale.codes} if scale else {}
    ways: dict[float, tuple[str, ...]] = {}
    for value in np.unique(column.values[column.answered]).tolist():
        ways[value] = (
            f"{value:.12g}",
            *((label[int(value)],) if value == int(value) and int(value) in label else ()),
        )
    return [
        ways[v] if s == ANSWERED else ()
        for v, s in zip(column.values.tolist(), column.state.tolist(), strict=True)
    ]


class LookUp(Step):
    """Joins columns of a lookup file by one key or several together; keys must be unique there.

    on: the key, one name for both; several such names; or {variable: column of the file, …}. missing:
    "refuse" stops where a case has no match, "flag" leaves its new cells blank and reports it.
    """

    do: Literal["look_up"]
    from_: str = Field(alias="from")
    on: str | Annotated[tuple[str, ...], Field(min_length=1, max_length=20)] | dict[str, str]
    take: tuple[str, ...]
    missing: Literal["refuse", "flag"] = "refuse"

    @model_validator(mode="after")
    def _some_keys(self) -> Self:
        if isinstance(self.on, dict) and not 0 < len(self.on) <= 20:
            raise ValueError("on names the key: a name, names, or {variable: column of the file}")
        if isinstance(self.on, tuple) and len(set(self.on)) < len(self.on):
            raise ValueError("on names a key twice; name each once")
        return self

    @property
    def keys(self) -> tuple[tuple[str, str], ...]:
        """Each key's name among the variables, and in the file."""
        if isinstance(self.on, dict):
            return tuple(self.on.items())
        return tuple((name, name) for name in ((self.on,) if isinstance(self.on, str) else self.on))

    @property
    def title(self) -> str:
        """The keys' names among the variables."""
        return " × ".join(name for name, _ in self.keys)

    def sentence(self) -> str:
        return f"Look up {some(self.take)} in {self.from_} by {self.title}"

    def makes(self) -> tuple[str, ...]:
        return self.take

    def sources(self) -> dict[str, tuple[str, ...]]:
        return dict.fromkeys(self.take, tuple(name for name, _ in self.keys))

    def reads(self) -> tuple[str, ...]:
        return tuple(name for name, _ in self.keys)

    def files(self) -> tuple[str, ...]:
        return (self.from_,)

    def apply(self, data: Dataset, tables: Tables) -> Outcome:
        if self.from_ not in tables:
            raise fault(
                f"There is no lookup file {self.from_!r}.",
                "from",
                f"Lookup files: {some(list(tables)) or 'none'}.",
            )
        table = _with_row(tables[self.from_])
        for name in (*(there for _, there in self.keys), *self.take):
            if name not in table.names:
                raise fault(
                    f"{self.from_} has no column {name!r}.", "take", f"Its columns are: {some(table.names)}."
                )
        places = self._places(table)
        key = self.title
        each = [
            _spellings(data.column(name, "on"), data.variable(name), data.scale_of(name))
            for name, _ in self.keys
        ]
        ways = [tuple(product(*way)) for way in zip(*each, strict=True)]
        found = np.array([next((places[w] for w in way if w in places), -1) for way in ways], np.int64)
        lost = found < 0
        unmatched = self._unmatched(ways, lost)
        if lost.any() and self.missing == "refuse":
            raise fault(
                f"{counted(int(lost.sum()), 'case has', 'cases have')} no match in {self.from_}: {key} = "
                f"{some(list(unmatched))}.",
                "on",
                "Correct the keys, or keep unmatched keys as findings; their new cells are then blank.",
                write='"missing": "flag"',
            )
        for name in self.take:
            data = self._taken(data, table, name, found)
        return Outcome(data, int((~lost).sum()) * len(self.take), {key: unmatched} if unmatched else {})

    def _places(self, table: RawTable) -> dict[Way, int]:
        columns = [table.columns[table.names.index(there)] for _, there in self.keys]
        spelled = [[_key(word) for word in column.words] for column in columns]
        known = np.logical_and.reduce([column.state != BLANK for column in columns])
        places: dict[Way, int] = {}
        for place in np.flatnonzero(known).tolist():
            key = tuple(words[column.values[place]] for words, column in zip(spelled, columns, strict=True))
            if key in places:
                first, second = int(table.rows[places[key]]), int(table.rows[place])
                raise fault(
                    f"Key {_said(key)!r} occurs in records {first} and {second} of {self.from_}.",
                    "on",
                    "Keys must be unique in the lookup file.",
                )
            places[key] = place
        return places

    @staticmethod
    def _unmatched(ways: list[tuple[Way, ...]], lost: Bools) -> dict[str, int]:
        counts: dict[str, int] = {}
        for k in np.flatnonzero(lost).tolist():
            word = _said(ways[k][-1]) if ways[k] else "(blank)"
            counts[word] = counts.get(word, 0) + 1
        return counts

    @staticmethod
    def _taken(data: Dataset, table: RawTable, name: str, found: Ints) -> Dataset:
        source = table.columns[table.names.index(name)]
        kind = guess_kind(source)
        column = as_number(source) if kind == "number" else source
        taken = column.take(found)
        state = np.where(found < 0, BLANK, taken.state).astype(np.uint8)
        label = table.labels[table.names.index(name)]
        made = Variable(
            name=new_name(data, name),
            kind="number" if kind == "number" else "text",
            label=label if label != name else None,
        )
        return data.with_column(made, Column(taken.values, state, taken.words))
