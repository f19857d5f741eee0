"""Weights made again in every replicate, from base weight to final weight: non-response adjustment in its
cells, earlier weightings that a later one starts from, raking."""

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.numerics.arrays import Floats, Ints
from even_ballot.core.numerics.iterative_fitting import fit
from even_ballot.core.numerics.parts import Merge, in_order, plus, with_others
from even_ballot.core.sampling.replicates import Again, ByCase, Factors, Jackknife, Stages
from even_ballot.core.sampling.units import UnitOf
from even_ballot.core.weighting.laying.frame import Frame, bounds_of
from even_ballot.core.weighting.meeting import FINE
from even_ballot.core.weighting.raking import Raked
from even_ballot.core.weighting.response_cells import Response
from even_ballot.core.weighting.solving.base_runs import BaseRuns, base_runs, ordered
from even_ballot.core.weighting.solving.limits import solve
from even_ballot.core.weighting.weighting import ProductBase


def chain_of(raked: Sequence[Raked], last: Raked) -> tuple[Raked, ...]:
    """The weightings that the last one comes from, first to last.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.weighting.raking import rake
    >>> from even_ballot.core.weighting.weighting import Weighting
    >>> raked = rake(ferry(), Weighting(base="w"))
    >>> chain_of([raked], raked) == (raked,)
    True
    """
    base = last.frame.weighting.base
    names = (base,) if isinstance(base, str) else base.times if isinstance(base, ProductBase) else ()
    for earlier in raked:
        if earlier is not last and earlier.frame.weighting.save_as in names:
            return (*chain_of(raked, earlier), last)
    return (last,)


def adjusts(chain: Sequence[Raked]) -> bool:
    """Whether anything in a chain depends on who is in the sample.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.weighting.raking import rake
    >>> from even_ballot.core.weighting.weighting import Weighting
    >>> adjusts([rake(ferry(), Weighting(base="w"))])
    False
    """
    return any(raked.margins or raked.frame.numbers or raked.parts[0].response is not None for raked in chain)


def _again(frame: Frame, base: Floats, tolerance: float) -> Floats:
    """The factor that each combination's base weight is multiplied by, (K,); NaN where the margins cannot
    be met."""
    started, _, margins = frame.aimed(base)
    if not margins:
        return np.divide(started, base, out=np.zeros_like(base), where=base > 0)
    fine = min(tolerance, FINE)
    targets = tuple(margin.target for margin in margins)
    w, _, gap = fit(started, frame.categories, targets, fine, frame.weighting.max_cycles)
    if not gap <= tolerance:
        return np.full_like(base, np.nan)
    return np.divide(w, base, out=np.zeros_like(base), where=base > 0)


def _again_within(
    frame: Frame, index: Sequence[NDArray[Any]], d: Sequence[Floats], merge: Merge
) -> tuple[Floats, Floats, Floats]:
    """The same within limits, for base weights d of cases in combinations index, (n,) for every part: factors
    (K,), and bounds (K,) as shares of the whole."""
    k, weighting = len(frame.combos.base), frame.weighting

    def sums(of: NDArray[Any], w: Floats) -> tuple[Floats, Ints]:
        base = np.bincount(of, weights=w, minlength=k).astype(np.float64)
        return base, np.bincount(of[w > 0], minlength=k)

    base, cases = merge(plus, [sums(of, w) for of, w in zip(index, d, strict=True)])
    started, totals, margins = frame.aimed(base)
    low, high, _ = bounds_of(frame, totals, cases)
    grown = np.divide(started, base, out=np.zeros_like(started), where=base > 0)
    targets = tuple(m.target for m in margins)
    runs = merge(BaseRuns.merged, [base_runs(of, w, k) for of, w in zip(index, d, strict=True)])
    found = solve(
        ordered(runs),
        grown,
        frame.categories,
        targets,
        low,
        high,
        weighting.tolerance,
        weighting.max_cycles,
    )
    factor = found.factor if found.gap <= weighting.tolerance else np.full(k, np.nan)
    return factor, low, high


class _Chain:
    """Replicates of the cases of every part, as far as they have been taken through a chain of weightings.

    times: for every part what comes upon the weights before the next stage, (n,).
    """

    def __init__(self, by_psu: Floats, given: Sequence[Floats], unit: UnitOf, merge: Merge) -> None:
        self.merge, self.replicates = merge, by_psu.shape[1]
        stages = Stages.none(by_psu)
        self.parts = [
            Again(d, psu, np.zeros((0, len(d)), np.int32), np.zeros((0, len(d))), stages)
            for d, psu in zip(given, unit, strict=True)
        ]
        self.times: list[Floats] = [np.ones(len(d)) for d in given]

    def sums(self, index: Sequence[Ints], rows: int) -> Floats:
        """Weights so far by row, (rows, R); index: for every part, (n,), below 0 for cases that do not
        count."""
        seen = [
            part.sums(of, times, rows) for part, of, times in zip(self.parts, index, self.times, strict=True)
        ]
        return self.merge(np.add, seen)

    def stage(
        self,
        index: Sequence[Ints],
        factor: Floats,
        low: Floats | None = None,
        high: Floats | None = None,
    ) -> None:
        """A stage more; index: for every part, (n,), rows of factor, (K, R)."""
        low = np.zeros_like(factor) if low is None else low
        high = np.full_like(factor, np.inf) if high is None else high
        before = len(self.parts[0].stages.factor)
        stages = self.parts[0].stages.then(factor, low, high)
        self.parts = [
            part.then(np.where(of >= 0, of + before, -1).astype(np.int32), times, stages)
            for part, of, times in zip(self.parts, index, self.times, strict=True)
        ]

    def answered(self, response: Sequence[Response]) -> None:
        """In each cell those who answered take over the weight of those who did not, in every replicate."""
        size = 1 + self.merge(max, [int(of.cell.max(initial=0)) for of in response])
        known = [np.where(of.responded, of.cell, -1) for of in response]
        all_of, answered = self.sums([of.cell for of in response], size), self.sums(known, size)
        factor = np.where(answered > 0, all_of / answered, np.where(all_of > 0, np.nan, 1.0))
        self.stage(known, factor)
        self.times = [np.ones_like(times) for times in self.times]

    def raked(self, frame: Frame) -> None:
        """Raked to the margins in every replicate, within the limits."""
        index = [of.astype(np.int64) for of in frame.combos.index]
        k, whole = len(frame.combos.base), frame.whole()
        bases = self.sums(index, k)
        factor = np.zeros_like(bases)
        low, high = np.zeros_like(bases), np.full_like(bases, np.inf)
        limits = frame.weighting.limits
        bound = limits is not None and limits.bind and bool(frame.laid)

        def one(r: int) -> None:
            with np.errstate(all="ignore"):
                if not np.isfinite(bases[:, r]).all():
                    factor[:, r] = np.nan
                elif not bound:
                    factor[:, r] = _again(frame, bases[:, r], frame.weighting.tolerance) * whole
                else:
                    d = [part.of(r) * times for part, times in zip(self.parts, self.times, strict=True)]
                    found, lows, highs = _again_within(frame, index, d, self.merge)
                    factor[:, r], low[:, r], high[:, r] = found * whole, lows * whole, highs * whole

        # What others merge too, everybody merges in the same order.
        with ThreadPoolExecutor(1 if with_others(self.merge) else 2) as pool:
            list(pool.map(one, range(bases.shape[1])))
        self.stage(index, factor, low, high)


def made_again(
    chain: Sequence[Raked], by_unit: Jackknife | Factors, unit: UnitOf, merge: Merge = in_order
) -> tuple[ByCase, tuple[Again, ...]]:
    """Every replicate taken through a chain of weightings, from the first one's base weight times the
    factor of its PSU; each keeps the full sample's Σ w. unit: for every part each case's PSU, (n,). The
    replicates, and for every part the weights of its cases in them.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.weighting.raking import rake
    >>> from even_ballot.core.weighting.weighting import Margin, Target, Weighting
    >>> targets = tuple(Target(at={"isle": code}, value=0.5) for code in (1, 2))
    >>> weighting = Weighting(margins=(Margin(by=("isle",), targets=targets),))
    >>> jackknife = Jackknife(np.array([0, 0, 0, 0], np.int32), np.array([4]), np.array([0.0]))
    >>> psu = np.array([0, 0, 1, 2, 2, 3, 3, 3], np.int32)
    >>> replicates, (again,) = made_again([rake(ferry(), weighting)], jackknife, (psu,))
    >>> replicates.count, round(float(again.of(0).sum()), 6)
    (4, 8.0)
    """
    given = [of.given for of in chain[0].parts]
    made = _Chain(by_unit.factors().T, given, unit, merge)
    with np.errstate(all="ignore"):
        for k, raked in enumerate(chain):
            if k:
                made.times = [
                    np.divide(of.given, before.weights, out=np.zeros(len(of.given)), where=before.weights > 0)
                    for of, before in zip(raked.parts, chain[k - 1].parts, strict=True)
                ]
            response = [of.response for of in raked.parts if of.response is not None]
            if response:
                made.answered(response)
            made.raked(raked.frame)
    failed = np.asarray(np.isnan(made.parts[0].stages.factor).any(0))
    return ByCase(by_unit.c, failed, made=True), tuple(made.parts)
