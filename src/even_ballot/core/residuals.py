"""Residuals of linearised values on the margins that weights were raked to (Särndal, Swensson and Wretman, ch. 6)."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.dataset import Floats
from even_ballot.core.linear import Linear


@dataclass(frozen=True)
class Residuals:
    """What turns linearised totals into those of residuals e = z − x′B, B = (Σ w x x′)⁺ Σ w x z.

    category: (M, n), each case's category of each margin, −1 without weight. sizes: categories of each margin. free: (n,),
    weights of the cases that B is made from. columns: (J, J_all), x from the 0/1 columns of all categories: those that are held
    have none, and the known ones of a held margin lose the share first given. by_unit: (U, J), Σ w x by unit. inverse: (J, J).
    Where every case is its own PSU and the cases of a unit are alike in x: x (U, J), and squares (U,), Σ w².
    """

    category: NDArray[np.int32]
    sizes: tuple[int, ...]
    free: Floats
    columns: Floats
    by_unit: Floats
    inverse: Floats
    x: Floats | None = None
    squares: Floats | None = None

    @property
    def extra(self) -> int:
        """Rows that a tally has beside those of units: one a category, and one that takes them out of the sum again."""
        return sum(self.sizes) + 1

    def of(self, linear: Linear) -> Linear:
        """Totals of residuals by unit, (U, m), from those of z with the rows of categories below, (U + extra, m)."""
        units = len(self.by_unit)
        slope = self.inverse @ (self.columns @ linear.totals[units:-1])
        totals = linear.totals[:units] - self.by_unit @ slope
        if self.x is None or self.squares is None:
            return Linear(totals)
        assert linear.squares is not None
        assert linear.cross is not None
        fitted = self.x @ slope
        squares = linear.squares[:units] - 2 * fitted * linear.cross[:units] + fitted**2 * self.squares[:, None]
        return Linear(totals, squares)
