"""Variables and answer scales."""

from collections.abc import Iterable
from typing import Annotated, Any, Literal, Self

from pydantic import Field, model_validator

from even_ballot.core.model import Model

Kind = Literal["coded", "number", "text", "date", "multi"]
Level = Literal["nominal", "ordinal", "interval", "ratio"]
Role = Literal[
    "id", "weight", "stratum", "cluster", "population_size", "status", "started", "ended", "seconds", "order"
]


CodeNumber = Annotated[int, Field(ge=-(2**31), le=2**31 - 1)]
"""A code: a whole number of 32 bits."""


class Code(Model):
    """An answer's code and its label. also: other wordings that mean the same, as files bring them."""

    code: CodeNumber
    label: str
    also: tuple[str, ...] = ()


def _twice(values: Iterable[Any]) -> list[Any]:
    seen: set[Any] = set()
    return [value for value in values if value in seen or seen.add(value)]  # type: ignore[func-returns-value]


class Scale(Model):
    """An answer scale: codes in the order they are shown, and the codes that mean no answer. midpoint: the
    code that leans neither way, where an ordered scale has one."""

    codes: tuple[Code, ...] = Field(min_length=1)
    ordered: bool = False
    missing: tuple[Code, ...] = ()
    midpoint: int | None = None

    @model_validator(mode="after")
    def _unambiguous(self) -> Self:
        every = (*self.codes, *self.missing)
        if codes := _twice(item.code for item in every):
            raise ValueError(f"code {codes[0]} is used twice in the scale; give each answer its own code")
        if labels := _twice(item.label for item in every):
            raise ValueError(
                f"label {labels[0]!r} occurs twice in the scale; give each code a label of its own"
            )
        if words := _twice(word for item in every for word in (item.label, *item.also)):
            raise ValueError(f"the wording {words[0]!r} is assigned to two codes; keep one")
        if self.midpoint is not None and self.midpoint not in {item.code for item in self.codes}:
            raise ValueError(
                f"midpoint {self.midpoint} is not a code of the scale; name one of its codes, or leave it out"
            )
        return self

    @property
    def wordings(self) -> dict[str, int]:
        """The code of every label, and of every other wording."""
        return {word: item.code for item in (*self.codes, *self.missing) for word in (item.label, *item.also)}

    def label_of(self, code: int) -> str | None:
        """The label of a code, substantive or missing; None where the scale does not know it."""
        return next((item.label for item in (*self.codes, *self.missing) if item.code == code), None)


def keeping_wordings(before: Scale, after: Scale) -> Scale:
    """A scale whose codes go on meaning what they meant: what a code was called, and is not called any
    more, stays as another wording of it, so that the answers of a file keep their code.

    >>> old, new = (Scale(codes=(Code(code=1, label=label),)) for label in ("Very much", "A lot"))
    >>> keeping_wordings(old, new).codes[0].also
    ('Very much',)
    """
    known = {item.code: (item.label, *item.also) for item in (*before.codes, *before.missing)}
    taken = set(after.wordings)

    def kept(item: Code) -> Code:
        words = tuple(word for word in known.get(item.code, ()) if word not in taken)
        return item.model_copy(update={"also": (*item.also, *words)}) if words else item

    return after.model_copy(
        update={"codes": tuple(map(kept, after.codes)), "missing": tuple(map(kept, after.missing))}
    )


_IN_WORDS: dict[str, str] = {
    "coded": "a coded variable",
    "number": "a number",
    "text": "a text variable",
    "date": "a date",
    "multi": "a multiple-response question",
}


def in_words(kind: str) -> str:
    """A kind of variable with its article.

    >>> in_words("multi")
    'a multiple-response question'
    """
    return _IN_WORDS.get(kind, kind)


class Variable(Model):
    """What a column means. least, most: the smallest and largest number there can be; what lies beyond is
    a finding."""

    name: str = Field(min_length=1)
    kind: Kind
    label: str | None = None
    note: str | None = None
    unit: str | None = None
    role: Role | None = None
    level: Level | None = None
    scale: str | None = None
    missing: tuple[Code, ...] = ()
    least: float | None = None
    most: float | None = None
    parts: tuple[str, ...] = ()
    options: tuple[Code, ...] = ()

    @model_validator(mode="after")
    def _keys_fit_the_kind(self) -> Self:
        if self.scale is not None and self.kind != "coded":
            raise ValueError(
                f"a {self.kind} variable has no answer scale; say kind coded, or leave scale out"
            )
        if self.least is not None and self.most is not None and self.least > self.most:
            raise ValueError(
                f"the smallest valid value, {self.least:g}, is larger than the largest, {self.most:g}; "
                "swap them"
            )
        if self.kind == "multi" and not self.parts:
            raise ValueError("a variable of several answers needs parts, the names of its 0/1 columns")
        if self.kind != "multi" and (self.parts or self.options):
            raise ValueError(f"parts and options belong to kind multi, not {self.kind}")
        if self.options and len(self.options) != len(self.parts):
            raise ValueError(
                f"{len(self.options)} options for {len(self.parts)} parts; give each part its option"
            )
        return self

    def level_on(self, scale: Scale | None) -> Level | None:
        """The level of measurement: as said, else what kind and scale imply."""
        if self.level is not None or self.kind in ("text", "multi"):
            return self.level
        if self.kind == "coded":
            return "ordinal" if scale is not None and scale.ordered else "nominal"
        return "interval" if self.kind == "date" else "ratio"

    @property
    def title(self) -> str:
        """The question text, or the name where there is none."""
        return self.label or self.name


class Rule(Model):
    """A condition every case must meet."""

    name: str
    must: str


class Accepted(Model):
    """A finding that was looked at and let stand; with `cases`, only while it concerns as many."""

    variable: str | None = None
    kind: str
    value: str | None = None
    cases: int | None = None
    why: str


class Codebook(Model):
    """All scales and variables of a study."""

    scales: dict[str, Scale] = {}
    variables: tuple[Variable, ...] = ()
    rules: tuple[Rule, ...] = ()
    accepted: tuple[Accepted, ...] = ()

    @model_validator(mode="after")
    def _names_exist(self) -> Self:
        if names := _twice(variable.name for variable in self.variables):
            raise ValueError(f"variable {names[0]} is described twice; keep one entry")
        for variable in self.variables:
            if variable.scale is not None and variable.scale not in self.scales:
                known = ", ".join(self.scales) or "none yet"
                raise ValueError(f"variable {variable.name} uses scale {variable.scale!r}; scales: {known}")
        return self
