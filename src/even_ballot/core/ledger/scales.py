"""Steps that change codes and make categories."""

from itertools import pairwise
from typing import Literal, Self

import numpy as np
from pydantic import Field, model_validator

from even_ballot.core.data.codebook import Code, CodeNumber, Scale, Variable, in_words
from even_ballot.core.data.dataset import ANSWERED, BLANK, MISSING, Column, Dataset
from even_ballot.core.faults import fault, some
from even_ballot.core.ledger.step import Outcome, Step, Tables, changed_cells, made_scale, new_name
from even_ballot.core.model import Model

_CODED = {
    "text": "Code its answers first.",
    "number": "Code its answers first.",
    "multi": "Use its parts.",
}


def coded(data: Dataset, name: str, where: str) -> tuple[Column, Variable]:
    """A coded variable and its column; any other kind is refused.

    >>> from even_ballot.core.data.example import ferry
    >>> coded(ferry(), "isle", "of")[1].name
    'isle'
    """
    column, variable = data.column(name, where), data.variable(name, where)
    if variable.kind != "coded":
        raise fault(
            f"{name} is {in_words(variable.kind)}, not a coded variable.",
            where,
            _CODED.get(variable.kind, ""),
        )
    return column, variable


class Recode(Step):
    """Changes codes, in place or into new variables; null is blank."""

    OFFERED = ("suffix",)
    do: Literal["recode"]
    variables: tuple[str, ...]
    codes: dict[CodeNumber, CodeNumber | None]
    suffix: str | None = None

    def sentence(self) -> str:
        moves = some([f"{old} → {'blank' if new is None else new}" for old, new in self.codes.items()])
        return f"Recode {some(self.variables)}: {moves}"

    def makes(self) -> tuple[str, ...]:
        return tuple(name + self.suffix for name in self.variables) if self.suffix else ()

    def made_of(self) -> dict[str, tuple[str, ...]]:
        return {name + self.suffix: (name,) for name in self.variables} if self.suffix else {}

    def apply(self, data: Dataset, tables: Tables) -> Outcome:
        changed = 0
        for name in self.variables:
            column, variable = coded(data, name, "variables")
            scale = data.scale_of(name)
            declared = {m.code for m in variable.missing} | (
                {m.code for m in scale.missing} if scale else set()
            )
            values, state = column.values.copy(), column.state.copy()
            for old, new in self.codes.items():
                hit = (column.values == old) & np.isin(column.state, (ANSWERED, MISSING))
                state[hit] = BLANK if new is None else MISSING if new in declared else ANSWERED
                values[hit] = 0 if new is None else new
            new_column = Column(values, state, column.words)
            changed += changed_cells(column, new_column)
            if self.suffix:
                variable = variable.model_copy(
                    update={"name": new_name(data, name + self.suffix), "role": None}
                )
            data = data.with_column(variable, new_column)
        return Outcome(data, changed)


class Reverse(Step):
    """Turns an ordered scale round, labels with it: each answer keeps its label and takes the mirrored
    code."""

    OFFERED = (
        "suffix",
        "again",
    )
    do: Literal["reverse"]
    variables: tuple[str, ...]
    suffix: str | None = None
    again: bool = False

    def sentence(self) -> str:
        into = f" into {some([name + self.suffix for name in self.variables])}" if self.suffix else ""
        whose = "its" if len(self.variables) == 1 else "their"
        return f"Reverse {some(self.variables)}{into}, with {whose} labels"

    def makes(self) -> tuple[str, ...]:
        return tuple(name + self.suffix for name in self.variables) if self.suffix else ()

    def made_of(self) -> dict[str, tuple[str, ...]]:
        return {name + self.suffix: (name,) for name in self.variables} if self.suffix else {}

    def apply(self, data: Dataset, tables: Tables) -> Outcome:
        changed = 0
        for name in self.variables:
            column, variable = coded(data, name, "variables")
            scale = data.scale_of(name)
            if scale is None or not scale.ordered:
                raise fault(
                    f"The scale of {name} is not ordered, so it cannot be reversed.",
                    "variables",
                    "Mark the scale as ordered.",
                )
            if name in data.reversed_ and not self.again:
                raise fault(
                    f"{name} has been reversed already.",
                    "variables",
                    "Choose “Reverse again” if that is intended.",
                    kind="turned_round",
                    write='"again": true',
                )
            ranks = [item.code for item in scale.codes]
            mirror = dict(zip(ranks, reversed(ranks), strict=True))
            values = column.values.copy()
            for old, new in mirror.items():
                values[(column.values == old) & column.answered] = new
            labels = {mirror[item.code]: item.label for item in scale.codes}
            turned = Scale(
                codes=tuple(Code(code=c, label=labels[c]) for c in ranks), ordered=True, missing=scale.missing
            )
            target = new_name(data, name + self.suffix) if self.suffix else name
            scale_name = next(
                (key for key, s in data.scales.items() if s == turned), f"{variable.scale}, reversed"
            )
            update = {"name": target, "scale": scale_name, **({"role": None} if self.suffix else {})}
            new_column = Column(values, column.state, column.words)
            changed += changed_cells(column, new_column)
            data = data.with_column(variable.model_copy(update=update), new_column, turned)
            data = _marked(data, name, target)
        return Outcome(data, changed)


def _marked(data: Dataset, *names: str) -> Dataset:
    return Dataset(
        data.rows, data.columns, data.variables, data.scales, data.reversed_ | set(names), data.pending
    )


class MergedCategory(Model):
    """A category and the codes it is made of."""

    code: CodeNumber
    label: str
    from_: tuple[int, ...] = Field(alias="from")


class Collapse(Step):
    """Fewer categories, in a new variable. `otherwise`: the code for answers in no group; left out, they
    are blank."""

    OFFERED = (
        "label",
        "otherwise",
    )
    do: Literal["collapse"]
    variable: str
    into: str
    label: str | None = None
    groups: tuple[MergedCategory, ...]
    otherwise: CodeNumber | None = None

    @model_validator(mode="after")
    def _disjoint(self) -> Self:
        every = [code for group in self.groups for code in group.from_]
        if len(set(every)) < len(every):
            raise ValueError("a code stands in two groups; leave it in one")
        return self

    def sentence(self) -> str:
        into = some([group.label for group in self.groups])
        return f"Combine categories of {self.variable} into {self.into}: {into}"

    def makes(self) -> tuple[str, ...]:
        return (self.into,)

    def made_of(self) -> dict[str, tuple[str, ...]]:
        return {self.into: (self.variable,)}

    def apply(self, data: Dataset, tables: Tables) -> Outcome:
        column, variable = coded(data, self.variable, "variable")
        values, state = np.zeros(data.n, np.int32), np.full(data.n, BLANK, np.uint8)
        if self.otherwise is not None:
            values[column.answered], state[column.answered] = self.otherwise, ANSWERED
        for group in self.groups:
            hit = np.isin(column.values, group.from_) & np.isin(column.state, (ANSWERED, MISSING))
            values[hit], state[hit] = group.code, ANSWERED
        codes = [Code(code=group.code, label=group.label) for group in self.groups]
        if self.otherwise is not None and self.otherwise not in {c.code for c in codes}:
            codes.append(Code(code=self.otherwise, label="Other"))
        before = data.scale_of(self.variable)
        scale = made_scale(codes, "groups", before is not None and before.ordered)
        made = Variable(
            name=new_name(data, self.into), kind="coded", label=self.label or variable.label, scale=self.into
        )
        return Outcome(data.with_column(made, Column(values, state), scale), int((state == ANSWERED).sum()))


class Range(Model):
    """A category of numbers: from (included) up to below (not included)."""

    code: CodeNumber
    label: str
    from_: float | None = Field(default=None, alias="from")
    below: float | None = None


class Band(Step):
    """A number becomes ordered categories; numbers in no band are blank."""

    OFFERED = ("label",)
    do: Literal["band"]
    variable: str
    into: str
    label: str | None = None
    bands: tuple[Range, ...] = Field(min_length=1)

    @model_validator(mode="after")
    def _disjoint(self) -> Self:
        inf = float("inf")
        spans = sorted(
            (-inf if b.from_ is None else b.from_, inf if b.below is None else b.below, b.label)
            for b in self.bands
        )
        for low, high, label in spans:
            if low >= high:
                raise ValueError(f"band {label!r} is empty: from {low:g} to below {high:g}")
        for (_, high, label), (low, _, after) in pairwise(spans):
            if low < high:
                raise ValueError(f"bands {label!r} and {after!r} overlap between {low:g} and {high:g}")
        return self

    def sentence(self) -> str:
        return f"Band {self.variable} into {self.into}: {some([band.label for band in self.bands])}"

    def makes(self) -> tuple[str, ...]:
        return (self.into,)

    def made_of(self) -> dict[str, tuple[str, ...]]:
        return {self.into: (self.variable,)}

    def apply(self, data: Dataset, tables: Tables) -> Outcome:
        column, variable = data.column(self.variable, "variable"), data.variable(self.variable)
        if variable.kind not in ("number", "coded"):
            raise fault(
                f"{self.variable} is {in_words(variable.kind)}; only numbers and coded variables "
                f"can be banded.",
                "variable",
                "Read it as a number first." if variable.kind == "text" else "",
            )
        values, state = np.zeros(data.n, np.int32), np.full(data.n, BLANK, np.uint8)
        for band in self.bands:
            hit = column.answered.copy()
            if band.from_ is not None:
                hit &= column.values >= band.from_
            if band.below is not None:
                hit &= column.values < band.below
            values[hit], state[hit] = band.code, ANSWERED
        scale = made_scale([Code(code=b.code, label=b.label) for b in self.bands], "bands", True)
        made = Variable(
            name=new_name(data, self.into), kind="coded", label=self.label or variable.label, scale=self.into
        )
        unplaced = int((column.answered & (state == BLANK)).sum())
        left = {self.variable: {"in no band": unplaced}} if unplaced else {}
        return Outcome(
            data.with_column(made, Column(values, state), scale), int((state == ANSWERED).sum()), left
        )
