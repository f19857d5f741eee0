"""What a study file says of models, scales of items and correlations."""

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from even_ballot.core.data.codebook import CodeNumber
from even_ballot.core.model import Model

Term = Annotated[tuple[str, ...], Field(min_length=1, max_length=6)]


def _listed(names: tuple[str, ...], most: int = 4) -> str:
    more = f" and {len(names) - most} more" if len(names) > most else ""
    return ", ".join(names[:most]) + more


class Level(Model):
    """The level of two-sided intervals."""

    level: float = Field(default=0.95, gt=0, lt=1)

    @property
    def tail(self) -> float:
        """The probability beyond one limit."""
        return (1 - self.level) / 2


class Analysis(Model):
    """What models, scales of items and correlations have in common. where: a filter, a domain; group: the
    heading it stands under in the plan."""

    id: str = Field(min_length=1)
    title: str | None = None
    group: str | None = None
    where: str | None = None
    interval: Level = Level()

    @property
    def name(self) -> str:
        """What it is called: its title, else what it is of."""
        return self.title or self._gist() or self.id

    def _gist(self) -> str:
        """What it is of, in a line; nothing where that is not said yet."""
        return ""


class ModelRequest(Analysis):
    """A linear or logistic model. event: codes of the outcome that count as 1; terms: a list of variables
    each, several of them an interaction; reference: of coded variables, the code that the others are held
    against; as_number: coded variables that enter by their codes; predictions: coded variables whose average
    predictions are wanted."""

    kind: Literal["linear", "logistic"]
    outcome: str = ""
    event: tuple[CodeNumber, ...] = ()
    terms: tuple[Term, ...] = Field(default=(), max_length=200)
    reference: dict[str, CodeNumber] = {}
    as_number: tuple[str, ...] = ()
    predictions: tuple[str, ...] = Field(default=(), max_length=50)

    @model_validator(mode="after")
    def _fits_together(self) -> Self:
        used = self.variables
        for key, names in (
            ("reference", self.reference),
            ("as_number", self.as_number),
            ("predictions", self.predictions),
        ):
            strange = [name for name in names if name not in used]
            if strange:
                raise ValueError(
                    f"{key} names {strange[0]!r}, which is in no term; add a term with it, or leave it out"
                )
        twice = [term for term in self.terms if sum(sorted(term) == sorted(of) for of in self.terms) > 1]
        if twice:
            raise ValueError(f"the term {' × '.join(twice[0])} occurs twice; keep one")
        if self.outcome and self.outcome in used:
            raise ValueError(f"{self.outcome!r} is the outcome and cannot be in a term; leave it out of one")
        if self.event and self.kind == "linear":
            raise ValueError("event belongs to a logistic model; leave it out")
        return self

    def _gist(self) -> str:
        terms = ", ".join(" × ".join(term) for term in self.terms)
        return f"{self.outcome} by {terms}" if self.outcome and terms else self.outcome

    @property
    def variables(self) -> tuple[str, ...]:
        """Those of the terms, each once."""
        return tuple(dict.fromkeys(name for term in self.terms for name in term))


class ReliabilityRequest(Analysis):
    """The reliability of a scale of items."""

    items: tuple[str, ...] = Field(default=(), max_length=200)

    @model_validator(mode="after")
    def _once_each(self) -> Self:
        if len(set(self.items)) < len(self.items):
            raise ValueError("an item stands twice; name each item once")
        return self

    def _gist(self) -> str:
        return f"Reliability of {_listed(self.items)}" if self.items else ""


class CorrelationsRequest(Analysis):
    """Correlations of every pair of some variables."""

    variables: tuple[str, ...] = Field(default=(), max_length=60)
    method: Literal["pearson", "spearman"] = "pearson"

    @model_validator(mode="after")
    def _once_each(self) -> Self:
        if len(set(self.variables)) < len(self.variables):
            raise ValueError("a variable stands twice; name each once")
        return self

    def _gist(self) -> str:
        return f"Correlations of {_listed(self.variables)}" if self.variables else ""


ModelFigure = Literal["est", "se", "interval", "p", "odds_ratio", "or_interval"]


class SideBySide(Model):
    """Models of the plan in one table: terms down, models across in this order. show: which figures of
    each."""

    id: str = Field(min_length=1)
    title: str | None = None
    models: tuple[str, ...] = Field(default=(), max_length=20)
    show: tuple[ModelFigure, ...] = ("est", "se")

    @model_validator(mode="after")
    def _once_each(self) -> Self:
        if len(set(self.models)) < len(self.models):
            raise ValueError("a model stands twice; name each once")
        return self

    @property
    def name(self) -> str:
        """What it is called."""
        return self.title or "Models side by side"
