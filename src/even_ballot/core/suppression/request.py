"""What a study says of small cells."""

from pydantic import Field

from even_ballot.core.model import Model


class Suppression(Model):
    """below: figures of fewer unweighted cases than this (but some) are hidden in every table, with as many others as it takes
    that nobody can work them out; null: nothing is hidden."""

    below: int | None = Field(default=None, ge=2, le=1000)
