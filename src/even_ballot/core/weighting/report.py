"""What a weighting did: fit by category, and the health of the weights."""

from dataclasses import dataclass
from functools import partial

import numpy as np

from even_ballot.core.data.dataset import Dataset
from even_ballot.core.numerics.arrays import Floats
from even_ballot.core.weighting.limits import Possible
from even_ballot.core.weighting.margins import CategoryCodes, LaidMargin
from even_ballot.core.weighting.raking import Raked
from even_ballot.core.weighting.request import Weighting
from even_ballot.core.weighting.response_cells import AdjustedCell


@dataclass(frozen=True)
class MarginRow:
    """One category: target and what base and final weights make of it, as shares (of its `within` group)."""

    at: CategoryCodes
    label: str
    target: float
    before: float
    after: float
    mean_weight: float
    n: int


@dataclass(frozen=True)
class HiddenRow:
    """A category or cell whose size is not released; its target is public."""

    at: CategoryCodes
    label: str
    target: float | None = None


@dataclass(frozen=True)
class MarginReport:
    """The categories of one margin. hidden: those not released, None where all are."""

    by: tuple[str, ...]
    rows: tuple[MarginRow, ...]
    hidden: tuple[HiddenRow, ...] | None = None


@dataclass(frozen=True)
class WeightBar:
    """A bar of the weights' histogram."""

    low: float
    high: float
    cases: int


@dataclass(frozen=True)
class WeightingReport:
    """n_effective = (Σ w)²/Σ w², efficiency = n_effective/n, deff_weights = n/n_effective (Kish, 1965).
    nonresponse: the cells of an adjustment; at_limits: cases whose weight lies on a limit; possible: where
    limits cannot be met, those that could be."""

    save_as: str
    converged: bool
    cycles: int
    max_gap: float
    n: int
    n_effective: float
    efficiency: float
    deff_weights: float
    min: float
    max: float
    margins: tuple[MarginReport, ...]
    histogram: tuple[WeightBar, ...]
    nonresponse: tuple[AdjustedCell, ...] | None = None
    nonresponse_hidden: tuple[HiddenRow, ...] | None = None
    at_limits: int | None = None
    possible: Possible | None = None


def _margin(data: Dataset, raked: Raked, laid: LaidMargin, whole: float) -> MarginReport:
    live = laid.category >= 0
    fold = partial(np.bincount, laid.category[live], minlength=len(laid.target))
    before, after, n = (fold(weights=x[live]) for x in (raked.before, raked.after, raked.combos.cases))
    groups = len(np.unique(laid.group))
    group_before, group_after, group_target = (
        np.bincount(laid.group, weights=x, minlength=groups)[laid.group] for x in (before, after, laid.target)
    )
    rows = tuple(
        MarginRow(at, laid.label(data, j), float(t), float(b), float(a), float(m), int(k))
        for j, (at, t, b, a, m, k) in enumerate(
            zip(
                laid.at,
                laid.target / group_target,
                before / group_before,
                after / group_after,
                after / after.sum() * whole / n,
                n,
                strict=True,
            )
        )
    )
    return MarginReport(laid.margin.by, rows)


def _histogram(weights: Floats, bins: int = 24) -> tuple[WeightBar, ...]:
    low, high = float(weights.min()), float(weights.max())
    if high - low <= 1e-9 * high:
        # Weights that are alike but for rounding are one bar; there would be no room for more between them.
        return (WeightBar(low, high, len(weights)),)
    counts, edges = np.histogram(weights, bins=bins)
    return tuple(
        WeightBar(float(a), float(b), int(c)) for a, b, c in zip(edges, edges[1:], counts, strict=False)
    )


def report(data: Dataset, raked: Raked, weighting: Weighting) -> WeightingReport:
    """The report on a weighting; cases of weight 0 are left out."""
    weights = raked.weights[raked.weights > 0]
    total, n = float(weights.sum()), len(weights)
    effective = total**2 / float(weights @ weights)
    return WeightingReport(
        save_as=weighting.save_as,
        converged=raked.converged,
        cycles=raked.cycles,
        max_gap=raked.max_gap,
        n=n,
        n_effective=effective,
        efficiency=effective / n,
        deff_weights=n / effective,
        min=float(weights.min()),
        max=float(weights.max()),
        margins=tuple(_margin(data, raked, laid, total) for laid in raked.margins),
        histogram=_histogram(weights),
        nonresponse=raked.cells or None,
        at_limits=None if raked.free is None else int(((raked.weights > 0) & ~raked.free).sum()),
        possible=raked.possible,
    )
