"""What a study says of disclosure control."""

from typing import Self

from pydantic import Field, model_validator

from even_ballot.core.model import Model


class Dominance(Model):
    """When a total or mean of a number says too much of its largest cases. n, k: the n largest make up
    more than k per cent of it; p: the second largest could tell the largest to within p per cent."""

    n: int | None = Field(default=None, ge=1, le=100)
    k: float | None = Field(default=None, gt=0, lt=100)
    p: float | None = Field(default=None, gt=0, le=100)

    @model_validator(mode="after")
    def _some_rule(self) -> Self:
        if (self.n is None) != (self.k is None):
            raise ValueError("give n and k together: the n largest make up more than k per cent")
        if self.n is None and self.p is None:
            raise ValueError("a dominance rule needs n and k, or p")
        return self


class Suppression(Model):
    """below: figures of fewer unweighted cases than this (but some) are hidden in every table, with as
    many others as it takes that nobody can work them out; null: nothing is hidden. range: how far apart
    the smallest and the largest count must lie that agree with all that is released; null: they hold 0 and
    `below`. dominance: for totals and means of numbers."""

    below: int | None = Field(default=None, ge=2, le=1000)
    range: int | None = Field(default=None, ge=1, le=10_000)
    dominance: Dominance | None = None
