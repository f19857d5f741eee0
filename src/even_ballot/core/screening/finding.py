"""One thing found."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np
from pydantic import ValidationError

from even_ballot.core.data.dataset import Dataset
from even_ballot.core.data.formulas import Formula
from even_ballot.core.faults import StudyError
from even_ballot.core.ledger.cases import DropCases
from even_ballot.core.numerics.arrays import Bools
from even_ballot.core.screening.settings import Screening


@dataclass(frozen=True)
class Usual:
    """Numbers between which nothing is found."""

    low: float
    high: float


@dataclass(frozen=True)
class Finding:
    """A kind of fault in a variable (one value of it, where that matters), and how many cases have it.
    accepted: why it may stand, where somebody has said so. step: what sets these cases aside, as a rule
    that holds for answers still to come; None where their cells want mending instead."""

    variable: str
    kind: str
    value: str
    cases: int
    accepted: str | None = None
    step: DropCases | None = None
    usual: Usual | None = None


@dataclass(frozen=True)
class Found:
    """What a check found: in how many cases, which they are, (n,), the step that sets them aside, what
    would be usual."""

    variable: str
    value: str
    count: int
    cases: Callable[[], Bools]
    step: DropCases | None = None
    usual: Usual | None = None

    @classmethod
    def among(
        cls,
        variable: str,
        value: str,
        cases: Bools,
        step: DropCases | None = None,
        usual: Usual | None = None,
    ) -> "Found":
        """Of cases that are known already."""
        return cls(variable, value, int(np.count_nonzero(cases)), lambda: cases, step, usual)


Check = Callable[[Dataset, Screening], Iterator[Found]]


def set_aside(why: str, **how: Any) -> DropCases | None:
    """The step that sets cases aside; None where it cannot be written (a formula of too many questions).

    >>> set_aside("none of our own", where="age < 16").sentence()
    'Set aside the cases where age < 16'
    """
    try:
        step = DropCases.model_validate({"do": "drop_cases", "why": why, **how})
        if step.where is not None:
            Formula(step.where)
    except (StudyError, ValidationError):
        return None
    return step
