"""Steps that change single cells, and take cells apart."""

import re
from collections import Counter
from dataclasses import replace
from typing import Literal

import numpy as np
from pydantic import Field

from even_ballot.core.data.codebook import Code, Variable, in_words
from even_ballot.core.data.dataset import ANSWERED, BLANK, UNPLACED, Column, Dataset, text_column
from even_ballot.core.faults import fault, some
from even_ballot.core.ledger.reading.placing import read_as
from even_ballot.core.ledger.step import Outcome, Reach, Step, Tables, made_scale, new_name
from even_ballot.core.numerics.arrays import Bools


class Edit(Step):
    """One cell of one case. id: the case's value of the variable with role id, else its record number;
    with `by` "row" always the record number, which tells cases apart that share an identifier. value: a
    code, a label, a number or a text as it would stand in a file; null is blank."""

    do: Literal["edit"]
    id: int | str
    variable: str
    value: int | float | str | None
    by: Literal["id", "row"] = "id"

    @property
    def reach(self) -> Reach:
        return "keyed"

    def sentence(self) -> str:
        case = "record" if self.by == "row" else "case"
        to = (
            "blank"
            if self.value is None
            else repr(self.value)
            if isinstance(self.value, str)
            else f"{self.value:g}"
        )
        return f"Set {self.variable} of {case} {self.id} to {to}"

    def apply(self, data: Dataset, tables: Tables) -> Outcome:
        column, variable = data.column(self.variable, "variable"), data.variable(self.variable)
        if variable.kind == "multi":
            raise fault(f"{self.variable} is a several-answer question.", "variable", "Edit its parts.")
        at = np.flatnonzero(self.cases(data))
        self.check(len(at))
        cell = self._cell(data, variable)
        values, state, words = column.values.copy(), column.state.copy(), column.words
        if variable.kind == "text" or cell.state[0] == UNPLACED:
            words = words if cell.words[0] in words else (*words, cell.words[0])
            values[at] = words.index(cell.words[0])
        else:
            values[at] = cell.values[0]
        state[at] = cell.state[0]
        changed = int(state[at[0]] != column.state[at[0]] or values[at[0]] != column.values[at[0]])
        return Outcome(data.with_column(variable, Column(values, state, words)), changed)

    def check(self, cases: int) -> None:
        """Raises StudyError where not exactly one case is meant."""
        if cases > 1:
            what, mend = (
                f"{cases} cases have the identifier {self.id}.",
                "Name it by its record number in the source.",
            )
            raise fault(what, "id", mend, write='"by": "row"')
        if not cases:
            what = f"No case in use has the identifier {self.id}."
            raise fault(what, "id", "Name one case that is in use.")

    def cases(self, data: Dataset) -> Bools:
        """Which cases are meant, (n,)."""
        identifier = data.with_role("id")
        if identifier is None or self.by == "row":
            return np.asarray(data.rows == (int(self.id) if str(self.id).isdigit() else -1))
        column = data.column(identifier)
        if data.variable(identifier).kind == "text":
            words = np.array([word == str(self.id) for word in column.words] or [False])
            return np.asarray(words[np.where(column.answered, column.values, 0)] & column.answered)
        try:
            return np.asarray(column.answered & (column.values == float(self.id)))
        except ValueError:
            return np.zeros(data.n, np.bool_)

    def _cell(self, data: Dataset, variable: Variable) -> Column:
        """The one cell, read as a file's would be."""
        spelled = (
            None
            if self.value is None
            else self.value
            if isinstance(self.value, str)
            else f"{self.value:.15g}"
        )
        return read_as(text_column([spelled]), data, variable)


class Split(Step):
    """One delimited cell becomes a several-answer question with parts into_CODE; an answer that is no
    option is a finding."""

    do: Literal["split"]
    variable: str
    separator: str = Field(min_length=1)
    into: str
    options: tuple[Code, ...] = Field(min_length=1)

    def sentence(self) -> str:
        return (
            f"Split {self.variable} at {self.separator!r} into {self.into}: "
            f"{some([o.label for o in self.options])}"
        )

    @property
    def parts(self) -> tuple[str, ...]:
        return tuple(re.sub(r"\W", "_", f"{self.into}_{option.code}") for option in self.options)

    def makes(self) -> tuple[str, ...]:
        return (self.into, *self.parts)

    def made_of(self) -> dict[str, tuple[str, ...]]:
        return dict.fromkeys(self.parts, (self.variable,))

    def reads(self) -> tuple[str, ...]:
        return (self.variable,)

    def apply(self, data: Dataset, tables: Tables) -> Outcome:
        column, variable = data.column(self.variable, "variable"), data.variable(self.variable)
        if variable.kind != "text":
            raise fault(f"{self.variable} is {in_words(variable.kind)}; only text can be split.", "variable")
        made_scale(self.options, "options")
        place = {option.label: k for k, option in enumerate(self.options)} | {
            str(o.code): k for k, o in enumerate(self.options)
        }
        chosen = np.zeros((len(self.options), max(len(column.words), 1)), np.int32)
        strange: list[list[str]] = []
        for w, word in enumerate(column.words):
            answers = [answer.strip() for answer in word.split(self.separator) if answer.strip()]
            strange.append([answer for answer in answers if answer not in place])
            for answer in answers:
                if answer in place:
                    chosen[place[answer], w] = 1
        at = np.where(column.answered, column.values, 0)
        state = np.where(column.answered, ANSWERED, BLANK).astype(np.uint8)
        for name, option, by_word in zip(self.parts, self.options, chosen, strict=True):
            made = Variable(name=new_name(data, name), kind="number", label=option.label)
            data = data.with_column(
                made, Column(np.where(column.answered, by_word[at], 0).astype(np.float64), state)
            )
        multi = Variable(
            name=new_name(data, self.into),
            kind="multi",
            label=variable.label,
            parts=self.parts,
            options=self.options,
        )
        counts = np.bincount(column.values[column.answered], minlength=len(column.words))
        left: Counter[str] = Counter()
        for answers, n in zip(strange, counts.tolist(), strict=True):
            for answer in answers:
                left[answer] += n
        unplaced = {self.variable: {word: n for word, n in left.most_common() if n}} if left.total() else {}
        data = replace(data, variables={**data.variables, self.into: multi})
        return Outcome(data, int(column.answered.sum()) * len(self.options), unplaced)
