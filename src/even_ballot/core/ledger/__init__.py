"""What was done to the answers, in order: the steps and the ledger that runs them."""

from typing import Annotated, get_args

from pydantic import Field

from even_ballot.core.ledger import blanks, cases, cells, derived, joins, names, scales, wording
from even_ballot.core.ledger.reading import dates, replacing, to_number
from even_ballot.core.ledger.step import Effect, Outcome, Step, Tables, run_ledger, take_step

AnyStep = Annotated[
    cases.DropCases
    | wording.Tidy
    | wording.CodeAnswers
    | to_number.ToNumber
    | dates.ToDate
    | replacing.Replace
    | blanks.FillBlank
    | blanks.CountBlank
    | cells.Edit
    | cells.Split
    | scales.Recode
    | scales.Reverse
    | scales.Collapse
    | scales.Band
    | derived.Derive
    | derived.Score
    | joins.LookUp
    | names.Rename
    | names.Discard,
    Field(discriminator="do"),
]

STEPS: tuple[type[Step], ...] = get_args(get_args(AnyStep)[0])
"""Every kind of entry."""

__all__ = ["STEPS", "AnyStep", "Effect", "Outcome", "Step", "Tables", "run_ledger", "take_step"]
