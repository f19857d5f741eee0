"""Steps that set cases aside."""

from typing import Literal, Self

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, model_validator

from even_ballot.core.data.dataset import ANSWERED, BLANK, Dataset
from even_ballot.core.data.formulas import Formula
from even_ballot.core.faults import fault, some
from even_ballot.core.ledger.step import Outcome, Reach, Step, Tables
from even_ballot.core.model import Model
from even_ballot.core.numerics.arrays import Bools
from even_ballot.core.numerics.grouping import alike


class Ids(Model):
    """Cases named by the values of an identifying variable."""

    variable: str
    among: tuple[int | str, ...] = Field(alias="in")


class Duplicates(Model):
    """Cases alike in all of these variables, answers and codes that mean none alike; one of each is kept.
    at_least: how many of them a case must have answered to be compared."""

    of: tuple[str, ...]
    keep: Literal["first", "last", "fullest"] = "first"
    at_least: int = Field(default=1, ge=1)


def _groups(data: Dataset, asked: Duplicates) -> tuple[NDArray[np.int64], Bools]:
    """Each case's group of cases alike, and whether it answered enough to be compared, (n,)."""
    columns = [data.column(name, "duplicates.of") for name in asked.of]
    if not columns:
        raise fault("No variables to tell duplicates by.", "duplicates.of", "Name at least one.")
    answered = sum(column.answered.astype(np.int64) for column in columns)
    # An entry that was not placed is a place among words, and no number.
    cells = [np.where(c.state == BLANK, 0, c.values).astype(np.float64) for c in columns]
    group = alike([*cells, *(column.state for column in columns)])
    return group, np.asarray(answered >= asked.at_least)


def in_groups(data: Dataset, asked: Duplicates) -> Bools:
    """Cases that another one is alike to, (n,).

    >>> from even_ballot.core.data.example import ferry
    >>> in_groups(ferry(), Duplicates(of=("isle", "boat", "said"))).tolist()
    [False, False, False, False, False, False, True, True]
    """
    if not data.n:
        return np.zeros(0, np.bool_)
    group, known = _groups(data, asked)
    return np.asarray(known & (np.bincount(group[known], minlength=int(group.max()) + 1)[group] > 1))


def _spelled(data: Dataset, name: str) -> list[str]:
    column = data.column(name)
    if data.variable(name).kind == "text":
        return [column.words[i] for i in column.values] if column.words else [""] * data.n
    return [f"{value:g}" if value != int(value) else str(int(value)) for value in column.values.tolist()]


class DropCases(Step):
    """Sets cases aside: those a condition is true of, those named, or all but one of those alike. spare:
    records (by their number in the source) that were looked at and stay in use all the same."""

    OFFERED = ("spare",)
    do: Literal["drop_cases"]
    where: str | None = None
    ids: Ids | None = None
    duplicates: Duplicates | None = None
    spare: tuple[int, ...] = ()

    @model_validator(mode="after")
    def _one_way(self) -> Self:
        if sum(part is not None for part in (self.where, self.ids, self.duplicates)) != 1:
            raise ValueError("drop_cases needs exactly one of where, ids or duplicates")
        return self

    @property
    def reach(self) -> Reach:
        return "row" if self.duplicates is None else "keyed"

    def sentence(self) -> str:
        but = f", but not record {some(self.spare)}" if self.spare else ""
        if self.ids is not None:
            return f"Set aside the cases whose {self.ids.variable} is {some(self.ids.among)}{but}"
        if self.duplicates is not None:
            same, keep = some(self.duplicates.of), self.duplicates.keep
            return f"Set aside duplicate cases (same {same}), keeping the {keep} of each{but}"
        return f"Set aside the cases where {self.where}{but}"

    def apply(self, data: Dataset, tables: Tables) -> Outcome:
        if self.where is not None:
            drop = Formula(self.where, "where").true(data)
        elif self.ids is not None:
            wanted = {str(value) for value in self.ids.among}
            answered = data.column(self.ids.variable, "ids.variable").answered
            drop = (
                np.array([word in wanted for word in _spelled(data, self.ids.variable)], np.bool_) & answered
            )
        else:
            assert self.duplicates is not None
            drop = self._repeated(data, self.duplicates)
        if self.spare:
            drop = drop & ~np.isin(data.rows, self.spare)
        return Outcome(data.where(~drop) if drop.any() else data)

    @staticmethod
    def _repeated(data: Dataset, asked: Duplicates) -> Bools:
        group, known = _groups(data, asked)
        order = np.arange(data.n)
        if asked.keep == "last":
            order = order[::-1]
        elif asked.keep == "fullest":
            filled = sum((c.state == ANSWERED).astype(np.int64) for c in data.columns.values())
            order = np.argsort(-np.asarray(filled), kind="stable")
        _, first = np.unique(group[order], return_index=True)
        keep = np.zeros(data.n, np.bool_)
        keep[order[first]] = True
        return np.asarray(~keep & known)
