"""Steps about what was left blank."""

from typing import Literal

import numpy as np

from even_ballot.core.data.codebook import CodeNumber, Variable, in_words
from even_ballot.core.data.dataset import ANSWERED, BLANK, MISSING, Column, Dataset, number_column
from even_ballot.core.data.formulas import condition
from even_ballot.core.faults import fault, some
from even_ballot.core.ledger.step import Outcome, Step, Tables, new_name


class FillBlank(Step):
    """A blank becomes a code, usually one that means no answer; `where` says for whom."""

    OFFERED = ("where",)
    do: Literal["fill_blank"]
    variables: tuple[str, ...]
    code: CodeNumber
    where: str | None = None

    def sentence(self) -> str:
        for_whom = f" where {self.where}" if self.where else ""
        return f"Code blanks of {some(self.variables)} as {self.code}{for_whom}"

    def apply(self, data: Dataset, tables: Tables) -> Outcome:
        inside = condition(self.where, data, "where")
        changed = 0
        for name in self.variables:
            column, variable = data.column(name, "variables"), data.variable(name)
            if variable.kind not in ("coded", "number"):
                raise fault(
                    f"{name} is {in_words(variable.kind)}; only coded variables and numbers can "
                    f"have a code for "
                    "blanks.",
                    "variables",
                )
            scale = data.scale_of(name)
            missing = {item.code for item in (*variable.missing, *(scale.missing if scale else ()))}
            blank = column.state == BLANK
            if inside is not None:
                blank &= inside
            values = np.where(blank, self.code, column.values).astype(column.values.dtype)
            state = np.where(blank, MISSING if self.code in missing else ANSWERED, column.state).astype(
                np.uint8
            )
            changed += int(blank.sum())
            data = data.with_column(variable, Column(values, state, column.words))
        return Outcome(data, changed)


class CountBlank(Step):
    """How many of some variables a case left blank, in a new variable."""

    do: Literal["count_blank"]
    variables: tuple[str, ...]
    into: str

    def sentence(self) -> str:
        return f"Count in {self.into} how many of {some(self.variables)} were left blank"

    def makes(self) -> tuple[str, ...]:
        return (self.into,)

    def made_of(self) -> dict[str, tuple[str, ...]]:
        return {self.into: self.variables}

    def apply(self, data: Dataset, tables: Tables) -> Outcome:
        blanks = np.zeros(data.n)
        for name in self.variables:
            variable = data.variable(name, "variables")
            parts = variable.parts if variable.kind == "multi" else (name,)
            blanks += np.logical_and.reduce([data.column(part).state == BLANK for part in parts])
        label = f"Left blank, of {len(self.variables)}"
        made = Variable(name=new_name(data, self.into), kind="number", label=label)
        return Outcome(data.with_column(made, number_column(blanks)), data.n)
