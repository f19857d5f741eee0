"""The functions of formulas that look at all cases, by sums that parts add up to."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TypeVar

import numpy as np

from even_ballot.core.numerics.arrays import Floats
from even_ballot.core.numerics.parts import Looks, Merge, plus

P = TypeVar("P")


@dataclass(frozen=True)
class OverAll:
    """A function of all cases: the sums that it passes over their values and weights for, each pass with the
    sums of those before, and what these come to."""

    passes: tuple[Callable[[Floats, Floats, Sequence[Floats]], Floats], ...]
    come_to: Callable[[Sequence[Floats]], float]

    def over(self, parts: Sequence[P], look: Callable[[P], tuple[Floats, Floats]], merge: Merge) -> float:
        """What it is over parts, each with values and weights; NaN where it is nothing."""
        sums = list[Floats]()
        for one in self.passes:
            sums.append(merge(plus, Looks(parts, lambda part, see=one: see(*look(part), sums))))
        return self.come_to(sums)


def _sums(values: Floats, weights: Floats, before: Sequence[Floats]) -> Floats:
    """Σ w, Σ w v and how many weigh anything."""
    return np.array([weights.sum(), (weights * values).sum(), (weights > 0).sum()], np.float64)


def _spread(values: Floats, weights: Floats, before: Sequence[Floats]) -> Floats:
    return np.array([(weights * (values - _mean(before)) ** 2).sum()])


def _mean(sums: Sequence[Floats]) -> float:
    total, of_values, _ = sums[0].tolist()
    return float(of_values / total) if total > 0 else float("nan")


def _sd(sums: Sequence[Floats]) -> float:
    (total, _, n), (spread,) = sums[0].tolist(), sums[1].tolist()
    return float(np.sqrt(spread / total * n / (n - 1))) if n >= 2 and total > 0 else float("nan")


OVER_ALL = {"column_mean": OverAll((_sums,), _mean), "column_sd": OverAll((_sums, _spread), _sd)}
