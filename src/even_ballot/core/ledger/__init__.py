"""What was done to the answers, in order: the steps and the ledger that runs them."""

from typing import Annotated, get_args

from pydantic import Field

from even_ballot.core.ledger import blanks, cases, cells, joins, names, numbers, scales, wording
from even_ballot.core.ledger.reading import dates as written_dates
from even_ballot.core.ledger.reading import numbers as written_numbers
from even_ballot.core.ledger.reading import replacing
from even_ballot.core.ledger.step import Effect, Outcome, Step, Tables, run_ledger, take_step

AnyStep = Annotated[
    cases.DropCases
    | wording.Tidy
    | wording.CodeAnswers
    | written_numbers.ToNumber
    | written_dates.ToDate
    | replacing.Replace
    | blanks.FillBlank
    | blanks.CountBlank
    | cells.Edit
    | cells.Split
    | scales.Recode
    | scales.Reverse
    | scales.Collapse
    | scales.Band
    | numbers.Derive
    | numbers.Score
    | joins.LookUp
    | names.Rename
    | names.Discard,
    Field(discriminator="do"),
]

STEPS: tuple[type[Step], ...] = get_args(get_args(AnyStep)[0])
"""Every kind of entry."""

__all__ = ["STEPS", "AnyStep", "Effect", "Outcome", "Step", "Tables", "run_ledger", "take_step"]
