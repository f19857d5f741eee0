"""The step that reads entries as dates."""

from typing import Literal

import numpy as np
from pydantic import Field

from even_ballot.core.data.codebook import in_words
from even_ballot.core.data.dataset import Column, Dataset
from even_ballot.core.faults import fault, some
from even_ballot.core.ledger.reading.placing import placed
from even_ballot.core.ledger.step import Outcome, Step, Tables
from even_ballot.core.ledger.wording import as_words
from even_ballot.core.written.dates import TWO_DIGITS_UP_TO, DateOrder, DateStyle, read_date

_SAID: dict[DateOrder, str] = {
    "day_month_year": "day first",
    "month_day_year": "month first",
    "year_month_day": "year first",
    "serial": "from spreadsheet serial numbers",
}


class ToDate(Step):
    """Dates and times as they are written, "3/5/26 2:15 pm", become dates; the rest stay findings. order:
    of day, month and year where all are numbers; two_digits_up_to: the last year of the hundred that a year
    of two digits lies in."""

    OFFERED = ("order", "two_digits_up_to")
    do: Literal["to_date"]
    variables: tuple[str, ...]
    order: DateOrder
    two_digits_up_to: int = Field(default=TWO_DIGITS_UP_TO, ge=100, le=9999)

    def sentence(self) -> str:
        return f"Read {some(self.variables)} as dates, {_SAID[self.order]}"

    def reads(self) -> tuple[str, ...]:
        return self.variables

    def apply(self, data: Dataset, tables: Tables) -> Outcome:
        style = DateStyle(self.order, self.two_digits_up_to)
        changed, unplaced = 0, {}
        for name in self.variables:
            column, variable = data.column(name, "variables"), data.variable(name)
            if variable.kind == "number":
                column, variable = as_words(column), variable.model_copy(update={"kind": "text"})
            if variable.kind not in ("text", "date"):
                raise fault(
                    f"{name} is {in_words(variable.kind)}; only texts and numbers can be read as dates.",
                    "variables",
                )
            new, cells = placed(column, variable, lambda word: read_date(word, style))
            changed += cells
            if left := new.entries():
                unplaced[name] = left
            whole = Column(new.values.astype(np.float64), new.state, new.words)
            data = data.with_column(variable.model_copy(update={"kind": "date"}), whole)
        return Outcome(data, changed, unplaced)
