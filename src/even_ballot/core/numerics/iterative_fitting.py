"""Iterative proportional fitting (Deming and Stephan, 1940)."""

from typing import Any

import numpy as np

from even_ballot.core.numerics.arrays import Floats, Ints
from even_ballot.core.numerics.compiled import compiled


@compiled
def _sums(w: Any, category: Any, sums: Any) -> None:
    sums[:] = 0.0
    for k in range(w.shape[0]):
        if category[k] >= 0:
            sums[category[k]] += w[k]


@compiled
def _gap(w: Any, categories: Any, targets: Any, sums: Any) -> float:
    """The largest |Σ w − target|; NaN where a weight is."""
    worst = 0.0
    for m in range(categories.shape[0]):
        _sums(w, categories[m], sums)
        for j in range(targets.shape[1]):
            gap = abs(sums[j] - targets[m, j])
            if not gap <= worst:
                worst = gap
    return worst


@compiled
def _cycle(w: Any, categories: Any, targets: Any, sums: Any) -> None:
    """Each margin in turn multiplied to its targets."""
    for m in range(categories.shape[0]):
        _sums(w, categories[m], sums)
        for k in range(w.shape[0]):
            c = categories[m, k]
            if c >= 0 and w[k] > 0:
                w[k] *= targets[m, c] / sums[c]


def fit(
    start: Floats, categories: Ints, targets: tuple[Floats, ...], tolerance: float, most: int
) -> tuple[Floats, int, float]:
    """Weights, from start, (K,), that sum to the targets of every margin; how many cycles that took, and the
    largest gap that is left. categories: (M, K), of each margin, below 0 for what has no weight; targets: of
    each margin, (J_m,).

    >>> w, cycles, gap = fit(np.ones(2) / 2, np.array([[0, 1]]), (np.array([0.6, 0.4]),), 1e-10, 100)
    >>> w.tolist(), cycles, gap
    ([0.6, 0.4], 1, 0.0)
    """
    wide = max((len(target) for target in targets), default=0)
    aims = np.zeros((len(targets), wide))
    for aim, target in zip(aims, targets, strict=True):
        aim[: len(target)] = target
    w, sums, cycles = start.copy(), np.zeros(wide), 0
    gap = float(_gap(w, categories, aims, sums))
    while gap > tolerance and cycles < most and gap < np.inf:
        _cycle(w, categories, aims, sums)
        gap = float(_gap(w, categories, aims, sums))
        cycles += 1
    return w, cycles, gap
