"""The step that reads entries as numbers."""

from typing import Literal

from pydantic import Field

from even_ballot.core.data.codebook import in_words
from even_ballot.core.data.dataset import Dataset
from even_ballot.core.data.interpretation import parse_number
from even_ballot.core.faults import fault, some
from even_ballot.core.ledger.reading.placing import placed
from even_ballot.core.ledger.step import Outcome, Step, Tables
from even_ballot.core.written.number_words import number_in_words
from even_ballot.core.written.numbers import Decimal, NumberStyle, Thousands, read_number
from even_ballot.core.written.texts import tidied


def _bare(word: str) -> str:
    """A number's digits and signs without the marks of a currency or unit around them."""
    start, end = 0, len(word)
    while start < end and not (word[start].isalnum() or word[start] in "_+,-."):
        start += 1
    while end > start and not (word[end - 1].isalnum() or word[end - 1] in "_."):
        end -= 1
    return word[start:end].strip()


class ToNumber(Step):
    """ "12,50", "£ 3" and, with `words`, "thirty-four" become numbers; the rest stay findings.

    decimal: "either" where some numbers have a point and some a comma; thousands: what parts groups of three
    digits; multiples: "3k" is 3,000; clock: "1:05:00" is 3,900 seconds; unit: letters that may follow a
    number; entries: what whole entries become, "89 or older" 89.
    """

    OFFERED = ("decimal", "thousands", "unit", "words", "multiples", "clock", "entries")
    do: Literal["to_number"]
    variables: tuple[str, ...]
    decimal: str = "."
    words: bool = False
    thousands: Thousands | None = None
    multiples: bool = False
    clock: bool = False
    unit: str | None = Field(default=None, max_length=40)
    entries: dict[str, float] = {}

    def sentence(self) -> str:
        also = ", spelled-out ones too" if self.words else ""
        if self.clock:
            also += ", times as seconds"
        if self.entries:
            also += "; " + some([f"“{word}” as {value:g}" for word, value in self.entries.items()], 4)
        return f"Read {some(self.variables)} as numbers{also}"

    def number(self, word: str) -> float | None:
        """The number an entry is read as; None where it is none."""
        if word in self.entries:
            return self.entries[word]
        tidy = tidied(word)
        decimal: Decimal = "," if self.decimal == "," else "either" if self.decimal == "either" else "."
        style = NumberStyle(decimal, self.thousands, self.multiples, self.clock, self.unit)
        value = read_number(tidy, style)
        if value is None and not self.clock and self.thousands is None and decimal != "either":
            bare = _bare(tidy)
            value = parse_number(bare if self.decimal == "." else bare.replace(self.decimal, "."))
        return number_in_words(tidy) if value is None and self.words else value

    def reads(self) -> tuple[str, ...]:
        return self.variables

    def apply(self, data: Dataset, tables: Tables) -> Outcome:
        changed, unplaced = 0, {}
        for name in self.variables:
            column, variable = data.column(name, "variables"), data.variable(name)
            if variable.kind not in ("text", "number"):
                raise fault(
                    f"{name} is {in_words(variable.kind)}; only text can be read as numbers.", "variables"
                )
            new, cells = placed(column, variable, self.number)
            changed += cells
            if left := new.entries():
                unplaced[name] = left
            data = data.with_column(variable.model_copy(update={"kind": "number"}), new)
        return Outcome(data, changed, unplaced)
