"""Linearised values of estimates, summed by unit; where variances come from replicates, the replicates' differences."""

from dataclasses import dataclass
from typing import Any

from even_ballot.core.dataset import Floats


@dataclass(frozen=True)
class Linear:
    """What the variances of estimates of any shape S, and of differences between them, are made of.

    totals: float64 (U, *S), Σ w z by unit, or θ_r − θ by replicate. squares: (U, *S), Σ w² z², and cross: (U, *S), Σ w² z, where
    every case is its own PSU.
    """

    totals: Floats
    squares: Floats | None = None
    cross: Floats | None = None

    def minus(self, other: "Linear") -> "Linear":
        """Of differences between estimates whose domains have no case in common (z z′ is 0 for every case)."""
        squares = None if self.squares is None or other.squares is None else self.squares + other.squares
        cross = None if self.cross is None or other.cross is None else self.cross - other.cross
        return Linear(self.totals - other.totals, squares, cross)

    def at(self, *index: Any) -> "Linear":
        """Some of the estimates, by an index of S."""
        squares, cross = (None if x is None else x[(slice(None), *index)] for x in (self.squares, self.cross))
        return Linear(self.totals[(slice(None), *index)], squares, cross)

    def flat(self) -> "Linear":
        """The same with S as one axis."""
        squares, cross = (None if x is None else x.reshape(len(x), -1) for x in (self.squares, self.cross))
        return Linear(self.totals.reshape(len(self.totals), -1), squares, cross)
