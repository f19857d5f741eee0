"""Steps that join columns of another file."""

from typing import Literal, Self

import numpy as np
from pydantic import Field, model_validator

from even_ballot.core.codebook import Scale, Variable
from even_ballot.core.dataset import ANSWERED, BLANK, Bools, Column, Dataset, Ints, RawTable
from even_ballot.core.faults import counted, fault, some
from even_ballot.core.ledger.step import Outcome, Step, Tables, new_name
from even_ballot.core.reading import as_number, guess_kind, parse_number


def _key(word: str) -> str:
    """One spelling for a key: numbers without needless decimals, text without stray space."""
    number = parse_number(word)
    return word.strip() if number is None or (len(word) > 1 and word[0] == "0") else f"{number:.12g}"


def _spellings(column: Column, variable: Variable, scale: Scale | None) -> list[tuple[str, ...]]:
    """For each case the ways its key may be spelled in the file: the code or number, and the label."""
    if variable.kind == "text":
        by_word: list[tuple[str, ...]] = [(_key(word),) for word in column.words] or [()]
        return [by_word[v] if s == ANSWERED else () for v, s in zip(column.values.tolist(), column.state.tolist(), strict=True)]
    label: dict[int, str] = {item.code: item.label for item in scale.codes} if scale else {}
    ways: dict[float, tuple[str, ...]] = {}
    for value in np.unique(column.values[column.answered]).tolist():
        ways[value] = (f"{value:.12g}", *((label[int(value)],) if value == int(value) and int(value) in label else ()))
    return [ways[v] if s == ANSWERED else () for v, s in zip(column.values.tolist(), column.state.tolist(), strict=True)]


class LookUp(Step):
    """Joins columns of a lookup file by key; keys must be unique there.

    on: the key, one name for both, or {variable: column of the file}. missing: "refuse" stops where a case has no
    match, "flag" leaves its new cells blank and reports it.
    """

    do: Literal["look_up"]
    from_: str = Field(alias="from")
    on: str | dict[str, str]
    take: tuple[str, ...]
    missing: Literal["refuse", "flag"] = "refuse"

    @model_validator(mode="after")
    def _one_key(self) -> Self:
        if isinstance(self.on, dict) and len(self.on) != 1:
            raise ValueError("on names one key: a name, or {variable: column of the file}")
        return self

    @property
    def key(self) -> tuple[str, str]:
        """The key's name among the variables, and in the file."""
        return (self.on, self.on) if isinstance(self.on, str) else next(iter(self.on.items()))

    def sentence(self) -> str:
        return f"Look up {some(self.take)} in {self.from_} by {self.key[0]}"

    def makes(self) -> tuple[str, ...]:
        return self.take

    def apply(self, data: Dataset, tables: Tables) -> Outcome:
        if self.from_ not in tables:
            raise fault(f"There is no lookup file {self.from_!r}.", "from", f"Lookups there are: {some(list(tables)) or 'none'}.")
        table = tables[self.from_]
        for name in (self.key[1], *self.take):
            if name not in table.names:
                raise fault(f"{self.from_} has no column {name!r}.", "take", f"Its columns are: {some(table.names)}.")
        places = self._places(table)
        key = self.key[0]
        ways = _spellings(data.column(key, "on"), data.variable(key), data.scale_of(key))
        found = np.array([next((places[w] for w in way if w in places), -1) for way in ways], np.int64)
        lost = found < 0
        unmatched = self._unmatched(ways, lost)
        if lost.any() and self.missing == "refuse":
            raise fault(
                f"{counted(int(lost.sum()), 'case has', 'cases have')} no match in {self.from_}: {key} = {some(list(unmatched))}.",
                "on",
                'Mend the keys, or let keys without a match stay a finding ("missing": "flag") to leave their new cells blank.',
            )
        for name in self.take:
            data = self._taken(data, table, name, found)
        return Outcome(data, int((~lost).sum()) * len(self.take), {key: unmatched} if unmatched else {})

    def _places(self, table: RawTable) -> dict[str, int]:
        keys = table.columns[table.names.index(self.key[1])]
        places: dict[str, int] = {}
        for place, (value, state) in enumerate(zip(keys.values.tolist(), keys.state.tolist(), strict=True)):
            if state == BLANK:
                continue
            key = _key(keys.words[value])
            if key in places:
                first, second = int(table.rows[places[key]]), int(table.rows[place])
                raise fault(
                    f"Key {key!r} stands in records {first} and {second} of {self.from_}.", "on", "Keys must be unique there."
                )
            places[key] = place
        return places

    @staticmethod
    def _unmatched(ways: list[tuple[str, ...]], lost: Bools) -> dict[str, int]:
        counts: dict[str, int] = {}
        for k in np.flatnonzero(lost).tolist():
            word = ways[k][-1] if ways[k] else "(blank)"
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
            name=new_name(data, name), kind="number" if kind == "number" else "text", label=label if label != name else None
        )
        return data.with_column(made, Column(taken.values, state, taken.words))
