"""A step of the ledger, what it reports, and the running of many."""

from abc import abstractmethod
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from even_ballot.core.dataset import BLANK, Column, Dataset, RawTable
from even_ballot.core.faults import Fault, StudyError, fault
from even_ballot.core.model import Model

Tables = Mapping[str, RawTable]
"""Lookup files by name."""


@dataclass(frozen=True)
class Outcome:
    """What a step made of a dataset."""

    data: Dataset
    cells_changed: int = 0
    unplaced: Mapping[str, Mapping[str, int]] = field(default_factory=dict)


@dataclass(frozen=True)
class Effect:
    """What a step did: cases before and after, cells changed, entries it could not place (variable → entry → cells)."""

    step: int
    do: str
    sentence: str
    why: str | None
    off: bool
    cases_before: int
    cases_after: int
    cells_changed: int
    unplaced: Mapping[str, Mapping[str, int]]


class Step(Model):
    """One entry of the ledger: a pure function from one dataset to the next."""

    do: str
    why: str | None = None
    off: bool = False

    @abstractmethod
    def apply(self, data: Dataset, tables: Tables) -> Outcome:
        """The next dataset. Raises StudyError where the step cannot be taken."""

    @abstractmethod
    def sentence(self) -> str:
        """The entry as a sentence without its full stop."""

    def makes(self) -> tuple[str, ...]:
        """Names of the variables this step makes."""
        return ()


def changed_cells(before: Column, after: Column) -> int:
    """How many cells two columns of one length differ in."""
    if before.words != after.words or before.values.dtype != after.values.dtype:
        old = [before.words[i] for i in before.values] if before.words and before.values.dtype == np.int32 else None
        new = [after.words[i] for i in after.values] if after.words and after.values.dtype == np.int32 else None
        if old is None or new is None:
            return int(((before.state != BLANK) | (after.state != BLANK)).sum())
        both = (before.state == BLANK) & (after.state == BLANK)
        return sum(a != b for a, b, skip in zip(old, new, both, strict=True) if not skip)
    return int(((before.state != after.state) | ((before.values != after.values) & (before.state != BLANK))).sum())


def new_name(data: Dataset, name: str) -> str:
    """A name for a variable to be made, refused where there is one already."""
    if name in data.variables:
        raise fault(f"There is a variable {name!r} already.", "", "Choose another name for the new one.")
    if not name.isidentifier():
        raise fault(f"{name!r} cannot stand in a formula.", "", "Names are letters, digits and _, and begin with a letter.")
    return name


def run_ledger(data: Dataset, steps: Sequence[Step], tables: Tables, where: str = "ledger") -> Iterator[tuple[Dataset, Effect]]:
    """Each state after a step, with the step's effect. Faults are placed at the step they arose in."""
    for i, step in enumerate(steps):
        before = data
        outcome = Outcome(data)
        if not step.off:
            try:
                outcome = step.apply(data, tables)
            except StudyError as error:
                place = f"{where}[{i}]"
                named = [Fault(f.what, f"{place}.{f.where}" if f.where else place, f.mend) for f in error.faults]
                raise StudyError(named) from None
        data = outcome.data
        yield (
            data,
            Effect(i + 1, step.do, step.sentence(), step.why, step.off, before.n, data.n, outcome.cells_changed, outcome.unplaced),
        )
