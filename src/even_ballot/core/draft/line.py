"""A line of a draft: what is proposed for one question, or for all that are answered alike."""

from typing import Literal

from pydantic import Field

from even_ballot.core.data.codebook import Code, Role, Scale
from even_ballot.core.model import Model
from even_ballot.core.written.dates import TWO_DIGITS_UP_TO, DateOrder
from even_ballot.core.written.numbers import Decimal, Thousands

LineKind = Literal["coded", "number", "text", "date", "several", "discard"]
Why = Literal[
    "known_order",
    "natural_order",
    "numbered_labels",
    "few_words",
    "few_whole_numbers",
    "numbers",
    "top_codes",
    "counts",
    "written_numbers",
    "durations",
    "dates",
    "ambiguous_dates",
    "ticks",
    "separated",
    "open_answers",
    "identifier",
    "role",
    "leading_zeros",
    "index",
    "empty",
]
"""Why a line is what it is."""


UNSURE = 0.8
"""Below this, a line is one to look at first."""


class NumberReading(Model):
    """How a line's numbers are written, as in the step `to_number`."""

    decimal: Decimal = "."
    thousands: Thousands | None = None
    multiples: bool = False
    clock: bool = False
    unit: str | None = None
    words: bool = False
    entries: dict[str, float] = {}


class DateReading(Model):
    """How a line's dates are written, as in the step `to_date`."""

    order: DateOrder
    two_digits_up_to: int = TWO_DIGITS_UP_TO


class DraftLine(Model, defer_build=False):
    """A proposal for some questions. sure: from 0 to 1. scale_name, scale, answers: of coded questions, with
    the codes of wordings other than the labels. missing: codes of numbers that mean no answer. name,
    options, separator: of a several-answer question, its columns or the one that holds them all. stem: what
    the questions have in common."""

    questions: tuple[str, ...] = Field(min_length=1)
    kind: LineKind
    why: Why
    sure: float = Field(default=1.0, ge=0, le=1)
    role: Role | None = None
    stem: str | None = None
    scale_name: str | None = None
    scale: Scale | None = None
    answers: dict[str, int] = {}
    missing: tuple[Code, ...] = ()
    number: NumberReading | None = None
    date: DateReading | None = None
    name: str | None = None
    options: tuple[Code, ...] = ()
    separator: str | None = None

    @property
    def unsure(self) -> bool:
        """Whether it is one to look at first."""
        return self.sure < UNSURE
