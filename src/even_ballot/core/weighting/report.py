"""What a weighting did: fit by category, and the health of the weights."""

from dataclasses import dataclass
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.data.cases import Cases
from even_ballot.core.data.dataset import Dataset
from even_ballot.core.numerics.arrays import Floats
from even_ballot.core.numerics.parts import Merge, in_order, kept, plus
from even_ballot.core.sampling.effective_size import WeightSums, weight_sums
from even_ballot.core.weighting.laying.margins import CategoryCodes, LaidMargin
from even_ballot.core.weighting.laying.number_margins import LaidNumber
from even_ballot.core.weighting.raking import Raked, RakedCases
from even_ballot.core.weighting.response_cells import AdjustedCell
from even_ballot.core.weighting.solving.limits import Possible
from even_ballot.core.weighting.weighting import Weighting


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
    """The categories of one margin. hidden: those not released, None where all are. total_of: the number that
    it fixes; target, before and after then are its totals in the population (fixes: totals), or its means."""

    by: tuple[str, ...]
    rows: tuple[MarginRow, ...]
    hidden: tuple[HiddenRow, ...] | None = None
    total_of: str | None = None
    fixes: str | None = None

    @property
    def title(self) -> str:
        """What it is called."""
        over = " × ".join(self.by)
        if self.total_of is None:
            return over
        what = f"{'mean' if self.fixes == 'means' else 'total'} of {self.total_of}"
        return f"{what} by {over}" if over else what

    def missed(self, row: MarginRow) -> float:
        """What is left of a category's target: of a size as a share of the whole, of a number as one of
        itself."""
        apart = abs(row.after - row.target)
        return apart if self.total_of is None else apart / max(abs(row.target), abs(row.before), 1e-300)


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


def _margin(head: Dataset, raked: Raked, laid: LaidMargin, whole: float) -> MarginReport:
    live = laid.category >= 0
    fold = partial(np.bincount, laid.category[live], minlength=len(laid.target))
    before, after, n = (fold(weights=x[live]) for x in (raked.before, raked.after, raked.combos.cases))
    groups = len(np.unique(laid.group))
    group_before, group_after, group_target = (
        np.bincount(laid.group, weights=x, minlength=groups)[laid.group] for x in (before, after, laid.target)
    )
    rows = tuple(
        MarginRow(at, laid.label(head, j), float(t), float(b), float(a), float(m), int(k))
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


def _number(head: Dataset, raked: Raked, of: LaidNumber, whole: float, merge: Merge) -> MarginReport:
    """A margin that fixes a number."""
    laid, size = of.laid, len(of.laid.target)

    # Base weights scaled to the population, in each group to the group's.
    started = raked.frame.aimed(raked.combos.base)[0]
    grown = np.divide(started, raked.combos.base, out=np.zeros_like(started), where=raked.combos.base > 0)

    def seen(y: Floats, index: NDArray[Any], part: RakedCases) -> Floats:
        there = part.weights > 0
        at, y = laid.category[index[there]], y[there]
        d, w = part.base[there] * grown[index[there]], part.weights[there]
        sums = (d * y, w * y, d, w, np.ones(len(y)))
        return np.stack([np.bincount(at, weights=x, minlength=size) for x in sums])

    parts = zip(of.values, raked.combos.index, raked.parts, strict=True)
    of_base, of_weights, d, w, n = merge(np.add, [seen(*part) for part in parts])
    if of.means:
        before, after = of_base / d, of_weights / w
    else:
        before, after = of_base * raked.frame.of, of_weights * raked.frame.of / whole
    rows = tuple(
        MarginRow(at, laid.label(head, j) or "All", t, b, a, m, int(n[j]))
        for j, (at, t, b, a, m) in enumerate(
            zip(laid.at, laid.target.tolist(), before.tolist(), after.tolist(), (w / n).tolist(), strict=True)
        )
    )
    return MarginReport(laid.margin.by, rows, total_of=laid.margin.total_of, fixes=laid.margin.as_)


def _margins(head: Dataset, raked: Raked, whole: float, merge: Merge) -> tuple[MarginReport, ...]:
    """All margins in their order."""
    numbers = {of.place: of for of in raked.frame.numbers}
    sizes = iter(raked.margins)
    return tuple(
        _number(head, raked, numbers[i], whole, merge)
        if i in numbers
        else _margin(head, raked, next(sizes), whole)
        for i in range(len(numbers) + len(raked.margins))
    )


def _histogram(raked: Raked, of: WeightSums, merge: Merge, bins: int = 24) -> tuple[WeightBar, ...]:
    low, high = of.min, of.max
    if high - low <= 1e-9 * high:
        # Weights that are alike but for rounding are one bar; there would be no room for more between them.
        return (WeightBar(low, high, of.n),)
    parts = [np.histogram(part.weights[part.weights > 0], bins, (low, high)) for part in raked.parts]
    counts, edges = merge(np.add, [counts for counts, _ in parts]), parts[0][1]
    return tuple(
        WeightBar(float(a), float(b), int(c)) for a, b, c in zip(edges, edges[1:], counts, strict=False)
    )


def at_limits(raked: Raked, merge: Merge = in_order) -> int | None:
    """Cases whose weight lies on a limit; None without limits.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.weighting.raking import rake
    >>> at_limits(rake(ferry(), Weighting(base="w"))) is None
    True
    """
    if raked.parts[0].free is None:
        return None
    return merge(plus, [_bounded(of) for of in raked.parts])


def _bounded(part: RakedCases) -> int:
    return 0 if part.free is None else int(((part.weights > 0) & ~part.free).sum())


def report(data: Dataset | Cases, raked: Raked, weighting: Weighting) -> WeightingReport:
    """The report on a weighting; cases of weight 0 are left out.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.weighting.raking import rake
    >>> weighting = Weighting(base="w")
    >>> round(report(ferry(), rake(ferry(), weighting), weighting).n_effective, 3)
    7.043
    """
    cases = Cases.of(data)
    weights = weight_sums(kept(cases.merge, (of.weights for of in raked.parts)), cases.merge)
    effective = weights.effective
    return WeightingReport(
        save_as=weighting.save_as,
        converged=raked.converged,
        cycles=raked.cycles,
        max_gap=raked.max_gap,
        n=weights.n,
        n_effective=effective,
        efficiency=effective / weights.n,
        deff_weights=weights.n / effective,
        min=weights.min,
        max=weights.max,
        margins=_margins(cases.head, raked, weights.sum, cases.merge),
        histogram=_histogram(raked, weights, cases.merge),
        nonresponse=raked.cells or None,
        at_limits=at_limits(raked, cases.merge),
        possible=raked.possible,
    )
