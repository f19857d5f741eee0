"""Weights that meet the margins of a frame, from any base weights of its cases: raked, within limits, or
calibrated where margins fix numbers."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.data.dataset import Dataset
from even_ballot.core.faults import StudyError
from even_ballot.core.numerics.arrays import Bools, Floats, Ints
from even_ballot.core.numerics.iterative_fitting import fit
from even_ballot.core.numerics.parts import Merge, kept, plus
from even_ballot.core.weighting.laying.combinations import spread_out
from even_ballot.core.weighting.laying.frame import Frame, bounds_of
from even_ballot.core.weighting.laying.margins import LaidMargin
from even_ballot.core.weighting.laying.number_margins import refuse_unmet
from even_ballot.core.weighting.solving.base_runs import BaseRuns, base_runs, ordered
from even_ballot.core.weighting.solving.exponential import Met, calibrated
from even_ballot.core.weighting.solving.limits import Possible, possible, solve

_NEAR, _CYCLES = 1e-4, 20
FINE = 1e-13
"""How near weights made again come to their margins: nearer than the weights themselves, so that a figure
they fix is not seen to move."""


@dataclass(frozen=True)
class Found:
    """weights: for every part (n,), in the scale that is asked for; free: with limits, whether they lie
    strictly between them; after: (K,), their sums as shares of the whole; gap: the largest that is left of a
    target. with_numbers: where margins fix numbers, what is left of each."""

    weights: Sequence[Floats]
    free: tuple[Bools | None, ...]
    after: Floats
    cycles: int
    gap: float
    with_numbers: Met | None = None


class _Meeting:
    """A frame on base weights of its cases, (n,) for every part; sums: of them by combination, (K,), and how
    many are positive."""

    def __init__(
        self, frame: Frame, base: Sequence[Floats], sums: tuple[Floats, Ints], merge: Merge, fine: bool
    ) -> None:
        self.frame, self.base, self.merge, self.fine = frame, base, merge, fine
        self.sums, self.cases = sums
        self.index, self.whole = frame.combos.index, frame.whole()
        self.started, self.totals, self.margins = frame.aimed(self.sums)

    @property
    def grown(self) -> Floats:
        """What base weights are multiplied by before they are raked, (K,)."""
        there = self.sums > 0
        return np.divide(self.started, self.sums, out=np.zeros_like(self.sums), where=there)

    def raked(self) -> Found:
        weighting = self.frame.weighting
        targets = tuple(margin.target for margin in self.margins)
        tolerance = min(weighting.tolerance, FINE) if self.fine else weighting.tolerance
        after, cycles, gap = fit(
            self.started, self.frame.categories, targets, tolerance, weighting.max_cycles
        )
        there = self.sums > 0
        factor = np.divide(after, self.sums, out=np.zeros_like(after), where=there) * self.whole
        spread = (spread_out(d, factor, of) for d, of in zip(self.base, self.index, strict=True))
        weights = kept(self.merge, spread)
        return Found(weights, (None,) * len(weights), after, cycles, gap)

    def within_limits(self) -> Found:
        weighting, k = self.frame.weighting, len(self.sums)
        low, high, _ = bounds_of(self.frame, self.totals, self.cases)
        targets = tuple(m.target for m in self.margins)
        runs = [base_runs(of, d, k) for of, d in zip(self.index, self.base, strict=True)]
        of = ordered(self.merge(BaseRuns.merged, runs))
        found = solve(
            of,
            self.grown,
            self.frame.categories,
            targets,
            low,
            high,
            weighting.tolerance,
            weighting.max_cycles,
        )
        each = [found.weights(at, d, self.whole) for at, d in zip(self.index, self.base, strict=True)]
        return Found(
            tuple(w for w, _ in each), tuple(free for _, free in each), found.after, found.cycles, found.gap
        )

    def with_numbers(self) -> Found:
        frame, limits, k = self.frame, self.frame.weighting.limits, len(self.sums)
        bound = limits is not None and limits.bind
        low, high = np.zeros(k), np.full(k, np.inf)
        if bound:
            low, high, _ = bounds_of(frame, self.totals, self.cases)
        numbers = [np.stack(of) for of in zip(*(n.values for n in frame.numbers), strict=True)]
        # Raked to the other margins they begin nearer, and end at the same weights: the factors are of the
        # same columns.
        targets = tuple(m.target for m in self.margins)
        near = fit(self.started, frame.categories, targets, _NEAR, _CYCLES)[0] if targets else self.started
        there = self.sums > 0
        grown = np.divide(near, self.sums, out=np.zeros_like(near), where=there)
        if not np.isfinite(grown).all():
            grown = self.grown
        parts: list[tuple[NDArray[Any], Floats, Floats]] = [
            (of, spread_out(d, grown, of), y) for of, d, y in zip(self.index, self.base, numbers, strict=True)
        ]
        wanted = frame.wanted(self.totals, self.margins, low, high)
        met = calibrated(parts, wanted, frame.weighting.tolerance, self.merge)
        each = [met.weights(*part) for part in parts]
        free = tuple(of for _, of in each)
        weights = tuple(w * self.whole for w, _ in each)
        return Found(weights, free, met.after, met.cycles, met.gap, met)

    def found(self) -> Found:
        limits = self.frame.weighting.limits
        if self.frame.numbers:
            return self.with_numbers()
        return self.within_limits() if limits is not None and limits.bind and self.margins else self.raked()


def meet(frame: Frame, base: Sequence[Floats], merge: Merge) -> Found:
    """The weights of a frame from its own base weights, (n,) for every part.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.numerics.parts import in_order
    >>> from even_ballot.core.weighting.laying.frame import frame_of
    >>> from even_ballot.core.weighting.weighting import Margin, Target, Weighting
    >>> margin = Margin(total_of="w", as_="means", targets=(Target(at={}, value=1.2),))
    >>> base = [np.ones(8)]
    >>> frame = frame_of(ferry(), Weighting(margins=(margin,)), base, "")
    >>> meet(frame, base, in_order).gap < 1e-10
    True
    """
    return _Meeting(frame, base, (frame.combos.base, frame.combos.cases), merge, fine=False).found()


def meet_again(frame: Frame, base: Sequence[Floats], merge: Merge) -> Sequence[Floats] | None:
    """The weights of a frame from other base weights of its cases, as those of replicates; None where the
    margins cannot be met.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.numerics.parts import in_order
    >>> from even_ballot.core.weighting.raking import rake
    >>> from even_ballot.core.weighting.weighting import Weighting
    >>> float(meet_again(rake(ferry(), Weighting(base="w")).frame, [np.ones(8)], in_order)[0].sum())
    8.0
    """
    k = len(frame.combos.base)

    def seen(of: NDArray[Any], d: Floats) -> tuple[Floats, Ints]:
        sums = np.bincount(of, weights=d, minlength=k).astype(np.float64)
        return sums, np.bincount(of[d > 0], minlength=k)

    sums = merge(plus, [seen(of, d) for of, d in zip(frame.combos.index, base, strict=True)])
    if not sums[0].sum() > 0:
        return None
    found = _Meeting(frame, base, sums, merge, fine=True).found()
    return found.weights if found.gap <= frame.weighting.tolerance else None


def nearest_limits(frame: Frame, margins: tuple[LaidMargin, ...]) -> Possible:
    """Where limits cannot be met, those that could be.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.weighting.laying.frame import frame_of
    >>> from even_ballot.core.weighting.weighting import Limits, Margin, Target, Weighting
    >>> targets = tuple(Target(at={"isle": code}, value=value) for code, value in ((1, 0.9), (2, 0.1)))
    >>> weighting = Weighting(margins=(Margin(by=("isle",), targets=targets),), limits=Limits(high=2.0))
    >>> frame = frame_of(ferry(), weighting, [np.ones(8)], "")
    >>> nearest_limits(frame, frame.aimed(frame.combos.base)[2]).high.__round__(3)
    2.4
    """
    combos, limits = frame.combos, frame.weighting.limits
    assert limits is not None
    _, totals, _ = frame.aimed(combos.base)
    mean = bounds_of(frame, totals, combos.cases)[2]
    targets = tuple(m.target for m in margins)
    return possible(frame.categories, targets, combos.cases, mean, limits.low, limits.high)


def unmet(head: Dataset, frame: Frame, margins: tuple[LaidMargin, ...], met: Met, where: str) -> StudyError:
    """No weights meet all margins, with those that are off.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.weighting.raking import rake
    >>> from even_ballot.core.weighting.weighting import Margin, Target, Weighting
    >>> mean = Margin(total_of="w", as_="means", targets=(Target(at={}, value=1.9),))
    >>> shares = tuple(Target(at={"isle": code}, value=value) for code, value in ((1, 0.05), (2, 0.95)))
    >>> weighting = Weighting(margins=(mean, Margin(by=("isle",), targets=shares)))
    >>> rake(ferry(), weighting)  # doctest: +ELLIPSIS
    Traceback (most recent call last):
        ...
    even_ballot.core.faults.StudyError: ...No weights meet all margins: the mean of w...
    """
    tolerance = frame.weighting.tolerance
    names = [""] * frame.groups
    names += [f"{m.margin.title} {m.label(head, j)}" for m in margins for j in range(len(m.target))]
    off = [
        name for name, left in zip(names, met.of_totals.tolist(), strict=True) if name and left > tolerance
    ]
    return refuse_unmet(head, frame.numbers, [of * (of > tolerance) for of in met.of_numbers], off, where)
