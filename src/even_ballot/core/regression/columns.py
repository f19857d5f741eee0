"""What a model is fitted to: an outcome and columns on the cases of a sample."""

from collections.abc import Sequence
from typing import Protocol

from even_ballot.core.numerics.arrays import Bools, Floats, Ints


class Columns(Protocol):
    """The columns of a model, an intercept first, and its outcome."""

    @property
    def width(self) -> int:
        """How many columns there are."""

    @property
    def inside(self) -> Sequence[Bools]:
        """For every part which cases the model is of, (n,)."""

    def block(self, number: int, at: Ints, /) -> Floats:
        """X of some cases of a part, (n, p)."""

    def y(self, number: int, at: Ints, /) -> Floats:
        """Their outcomes, (n,)."""
