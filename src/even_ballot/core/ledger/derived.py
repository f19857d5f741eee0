"""Steps that compute new variables."""

from collections.abc import Sequence
from functools import partial
from typing import Literal

import numpy as np

from even_ballot.core.data.codebook import Kind, Variable, in_words
from even_ballot.core.data.dataset import Column, Dataset, number_column
from even_ballot.core.data.formulas import Formula, Known, column_of
from even_ballot.core.data.interpretation import with_missing_codes
from even_ballot.core.faults import fault, some
from even_ballot.core.ledger.step import Apply, Outcome, Reach, Step, Tables, new_name
from even_ballot.core.numerics.parts import Merge

_CODES = 2**31 - 1


class Derive(Step):
    """A formula's value in a new variable; coded where a scale is named."""

    OFFERED = (
        "label",
        "scale",
    )
    SHOWN = {"value": ("Formula", "formula")}
    do: Literal["derive"]
    into: str
    value: str
    label: str | None = None
    scale: str | None = None

    def sentence(self) -> str:
        return f"Create {self.into} = {self.value}"

    @property
    def reach(self) -> Reach:
        return "whole" if Formula(self.value, "value", whole=True).whole else "row"

    def makes(self) -> tuple[str, ...]:
        return (self.into,)

    def made_of(self) -> dict[str, tuple[str, ...]]:
        return {self.into: Formula(self.value, "value", whole=True).names}

    def over(self, parts: Sequence[Dataset], merge: Merge) -> Sequence[Apply]:
        known = Formula(self.value, "value", whole=True).over(parts, merge)
        return [partial(self._with, known)] * len(parts)

    def apply(self, data: Dataset, tables: Tables) -> Outcome:
        return self._with(None, data, tables)

    def _with(self, known: Known | None, data: Dataset, tables: Tables) -> Outcome:
        """known: what functions of all cases come to, where these are not all."""
        value = Formula(self.value, "value", whole=True).evaluate(data, known)
        column = column_of(value)
        kind: Kind = "text" if value.kind == "text" else "date" if value.kind == "date" else "number"
        if self.scale is not None:
            if self.scale not in data.scales:
                raise fault(
                    f"There is no scale {self.scale!r}.",
                    "scale",
                    f"Scales: {some(list(data.scales)) or 'none'}.",
                )
            if (
                kind != "number"
                or (column.values != np.floor(column.values)).any()
                or (np.abs(column.values) > _CODES).any()
            ):
                raise fault(
                    "An answer scale needs whole numbers as codes.",
                    "value",
                    "Leave the scale out, or round() the formula.",
                )
            kind = "coded"
            column = with_missing_codes(
                Column(column.values.astype(np.int32), column.state), data.scales[self.scale].missing
            )
        made = Variable(
            name=new_name(data, self.into), kind=kind, label=self.label or self.value, scale=self.scale
        )
        return Outcome(data.with_column(made, column), int((~value.missing).sum()))


class Score(Step):
    """The mean or total of items over those answered; missing under `at_least` answers."""

    OFFERED = (
        "how",
        "at_least",
        "label",
    )
    do: Literal["score"]
    items: tuple[str, ...]
    into: str
    how: Literal["mean", "total"] = "mean"
    at_least: int = 1
    label: str | None = None

    def sentence(self) -> str:
        least = f"{self.at_least} {'is' if self.at_least == 1 else 'are'}"
        return f"Score {self.into}: the {self.how} of {some(self.items)}, where at least {least} answered"

    def makes(self) -> tuple[str, ...]:
        return (self.into,)

    def made_of(self) -> dict[str, tuple[str, ...]]:
        return {self.into: self.items}

    def apply(self, data: Dataset, tables: Tables) -> Outcome:
        total, answered = np.zeros(data.n), np.zeros(data.n)
        for name in self.items:
            column, variable = data.column(name, "items"), data.variable(name)
            if variable.kind not in ("number", "coded"):
                raise fault(
                    f"{name} is {in_words(variable.kind)}; items must be numbers or coded variables.", "items"
                )
            counts = column.answered
            if scale := data.scale_of(name):
                counts = counts & np.isin(column.values, [item.code for item in scale.codes])
            total += np.where(counts, column.values, 0)
            answered += counts
        enough = answered >= max(self.at_least, 1)
        values = np.full(data.n, np.nan)
        values[enough] = total[enough] / answered[enough] if self.how == "mean" else total[enough]
        made = Variable(name=new_name(data, self.into), kind="number", label=self.label)
        return Outcome(data.with_column(made, number_column(values)), int(enough.sum()))
