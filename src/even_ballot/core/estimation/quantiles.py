"""Quantiles and modes of weighted values."""

from dataclasses import dataclass

import numpy as np

from even_ballot.core.numerics.arrays import Floats


@dataclass(frozen=True)
class Ranked:
    """Values of one domain in ascending order with their weights; ties joined. value, weight: (k,)."""

    value: Floats
    cumulative: Floats

    def modes(self) -> list[float]:
        """Every value of the largest weight."""
        weight = np.diff(self.cumulative, prepend=0.0)
        return [float(v) for v in self.value[weight >= weight.max() * (1 - 1e-12)]]

    def quantile(self, q: float) -> float:
        """The smallest value whose cumulative weight passes q of the whole; where one meets it, the mean
        with the next."""
        whole = self.cumulative[-1]
        if q <= 0:
            return float(self.value[0])
        if q >= 1:
            return float(self.value[-1])
        at = int(np.searchsorted(self.cumulative, q * whole - 1e-9 * whole, side="left"))
        at = min(at, len(self.value) - 1)
        if abs(self.cumulative[at] - q * whole) <= 1e-9 * whole and at + 1 < len(self.value):
            return float((self.value[at] + self.value[at + 1]) / 2)
        return float(self.value[at])


def ranked(value: Floats, weight: Floats) -> Ranked:
    """Sorts a domain's values, joining ties."""
    distinct, index = np.unique(value, return_inverse=True)
    return Ranked(distinct, np.cumsum(np.bincount(index.ravel(), weights=weight, minlength=len(distinct))))
