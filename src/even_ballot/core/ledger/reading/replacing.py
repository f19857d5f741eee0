"""The step that replaces a wording wherever it stands."""

from typing import Literal

import numpy as np
from pydantic import Field, field_validator

from even_ballot.core.data.codebook import Variable
from even_ballot.core.data.dataset import UNPLACED, Column, Dataset, text_column
from even_ballot.core.faults import fault, some
from even_ballot.core.ledger.reading.placing import read_as
from even_ballot.core.ledger.step import Outcome, Step, Tables, changed_cells
from even_ballot.core.ledger.wording import renamed_words


class Replace(Step):
    """Wordings become others, in whole answers or wherever they stand in one; none at all is blank."""

    OFFERED = ("wordings", "part")
    do: Literal["replace"]
    variables: tuple[str, ...]
    wordings: dict[str, str] = Field(min_length=1)
    part: bool = False

    @field_validator("wordings")
    @classmethod
    def _something_to_find(cls, value: dict[str, str]) -> dict[str, str]:
        if "" in value:
            raise ValueError("the text to be replaced cannot be empty")
        return value

    def sentence(self) -> str:
        said = some(
            [f"“{old}” with {f'“{new}”' if new else 'a blank'}" for old, new in self.wordings.items()], 4
        )
        return f"Replace in {some(self.variables)}: {said}{', in parts of answers too' if self.part else ''}"

    def _replaced(self, word: str) -> str:
        if not self.part:
            return self.wordings.get(word, word)
        for old, new in self.wordings.items():
            word = word.replace(old, new)
        return word

    def _read_again(self, column: Column, data: Dataset, variable: Variable) -> Column:
        """Entries that were not placed, read again where their wording is replaced."""
        if not column.words:
            return column
        wordings = tuple(map(self._replaced, column.words))
        read = read_as(text_column([word or None for word in wordings]), data, variable)
        moved = np.array([old != new for old, new in zip(column.words, wordings, strict=True)])
        at = np.where(column.state == UNPLACED, column.values, 0).astype(np.int64)
        hit = (column.state == UNPLACED) & moved[at]
        # Those that fit nothing still are places among the new wordings, behind the old ones.
        again = np.where(read.state == UNPLACED, len(column.words) + np.arange(len(wordings)), read.values)
        values = np.where(hit, again[at], column.values).astype(column.values.dtype)
        state = np.where(hit, read.state[at], column.state).astype(np.uint8)
        words = (*column.words, *wordings) if (state == UNPLACED).any() else ()
        return Column(values, state, words)

    def reads(self) -> tuple[str, ...]:
        return self.variables

    def apply(self, data: Dataset, tables: Tables) -> Outcome:
        changed = 0
        for name in self.variables:
            column, variable = data.column(name, "variables"), data.variable(name)
            if variable.kind == "multi":
                raise fault(f"{name} is a several-answer question.", "variables", "Name its parts.")
            if variable.kind == "text":
                new = renamed_words(column, self._replaced)
            else:
                new = self._read_again(column, data, variable)
            changed += changed_cells(column, new, text=variable.kind == "text")
            data = data.with_column(variable, new)
        return Outcome(data, changed)
