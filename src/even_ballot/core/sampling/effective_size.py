"""What unequal weights cost (Kish, 1965)."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from even_ballot.core.numerics.arrays import Floats
from even_ballot.core.numerics.parts import Merge, in_order


@dataclass(frozen=True)
class WeightSums:
    """Sums of weights above 0: n, Σ w, Σ w², the smallest and the largest; those of parts add up."""

    n: int
    sum: float
    squares: float
    min: float
    max: float

    def __add__(self, other: "WeightSums") -> "WeightSums":
        return WeightSums(
            self.n + other.n,
            self.sum + other.sum,
            self.squares + other.squares,
            min(self.min, other.min),
            max(self.max, other.max),
        )

    @property
    def mean(self) -> float:
        """Their mean."""
        return self.sum / self.n

    @property
    def effective(self) -> float:
        """The effective sample size (Σ w)²/Σ w².

        >>> weight_sums([np.array([1.0, 1.0, 2.0, 0.0])]).effective
        2.6666666666666665
        """
        return self.sum**2 / self.squares


def weight_sums(weights: Sequence[Floats], merge: Merge = in_order) -> WeightSums:
    """Of the weights of every part, (n,).

    >>> sums = weight_sums([np.array([1.0, 3.0]), np.array([0.0, 2.0])])
    >>> sums.n, sums.sum, sums.max
    (3, 6.0, 3.0)
    """

    def of(w: Floats) -> WeightSums:
        live = w[w > 0]
        return WeightSums(
            len(live),
            float(live.sum()),
            float(live @ live),
            float(live.min(initial=np.inf)),
            float(live.max(initial=0.0)),
        )

    return merge(lambda a, b: a + b, [of(w) for w in weights])
