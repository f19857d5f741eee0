"""Residuals of linearised values on the margins that weights were raked to (Särndal, Swensson and Wretman,
ch. 6)."""

from dataclasses import dataclass

import numpy as np

from even_ballot.core.numerics.arrays import Floats
from even_ballot.core.sampling.linearisation import Linear


@dataclass(frozen=True)
class Residuals:
    """What turns linearised totals into those of residuals e = z − x′B, B = (Σ w x x′)⁺ Σ w x z.

    sizes: categories of each margin. columns: (J, J_all), x from the 0/1
    columns of all categories: a constant; a held one has none, and the known ones of a held margin, like
    all of a group whose total is an estimate, lose their target's share of it. by_unit: (U, J), Σ w x by
    unit; size: the same of |x|. inverse: (J, J). Where every case is its own PSU and the cases of a unit
    are alike in x: x (U, J), and squares (U,), Σ w².
    """

    sizes: tuple[int, ...]
    columns: Floats
    by_unit: Floats
    size: Floats
    inverse: Floats
    x: Floats | None = None
    squares: Floats | None = None

    @property
    def extra(self) -> int:
        """Rows that a tally has beside those of units: one a category, and one that takes them out of the
        sum again."""
        return sum(self.sizes) + 1

    def slope(self, totals: Floats) -> Floats:
        """B, (J, m), from Σ w z by unit with the rows of categories below, (U + extra, m)."""
        return np.asarray(self.inverse @ (self.columns @ totals[len(self.by_unit) : -1]))

    def of(self, linear: Linear, slope: Floats) -> Linear:
        """Totals of residuals by unit, (U, m), from those of z with the rows of categories below."""
        totals = linear.totals[: len(self.by_unit)] - self.by_unit @ slope
        if self.x is None or self.squares is None:
            return Linear(totals, linear.terms + self.size @ np.abs(slope))
        fitted = np.abs(self.x @ slope) * np.sqrt(self.squares)[:, None]
        return Linear(totals, linear.terms + fitted, linear.groups)
