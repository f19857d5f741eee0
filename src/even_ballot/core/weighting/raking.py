"""Raking: weights adjusted margin by margin until all are met (Deming and Stephan, 1940).

Works on the distinct combinations of margin categories with their base weight sums, and maps back at the end.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from even_ballot.core.data.cases import Cases
from even_ballot.core.data.codebook import Variable
from even_ballot.core.data.dataset import Dataset
from even_ballot.core.faults import fault
from even_ballot.core.numerics.arrays import Bools, Floats, Ints
from even_ballot.core.numerics.iterative_fitting import fit
from even_ballot.core.numerics.parts import Merge
from even_ballot.core.weighting.base_runs import BaseRuns, base_runs, ordered
from even_ballot.core.weighting.base_weights import base_weights
from even_ballot.core.weighting.combinations import Combinations, combinations_of, spread_out
from even_ballot.core.weighting.limits import Bounded, Possible, possible, solve
from even_ballot.core.weighting.margins import LaidMargin, check_sums, codes_of, groups_of, lay_margin
from even_ballot.core.weighting.request import Weighting
from even_ballot.core.weighting.response_cells import AdjustedCell, Response, adjusted_for_nonresponse

_AGREE = 0.001


@dataclass(frozen=True)
class Frame:
    """What a weighting asks for, laid on the cases before any weight is known: combinations, margins with
    targets as given, what each group's targets sum to, and, with counts, the population and each group's
    share of it."""

    weighting: Weighting
    combos: Combinations
    laid: tuple[LaidMargin, ...]
    sums: tuple[Floats, ...]
    group_of: Ints
    groups: int
    population: float | None
    counted: Floats | None

    @property
    def categories(self) -> Ints:
        """Each combination's category of each margin, (M, K)."""
        return (
            np.stack([m.category for m in self.laid])
            if self.laid
            else np.zeros((0, len(self.combos.base)), np.int64)
        )

    def aimed(self, base: Floats) -> tuple[Floats, Floats, tuple[LaidMargin, ...]]:
        """From base weights by combination, (K,): where raking starts, as shares of the whole; each
        group's share; the margins with targets as shares of the whole."""
        start = base / base.sum()
        shares = np.bincount(self.group_of, weights=start, minlength=self.groups).astype(np.float64)
        totals = shares if self.counted is None else self.counted
        started = (
            start * np.divide(totals, shares, out=np.zeros_like(shares), where=shares > 0)[self.group_of]
        )
        return (
            started,
            totals,
            tuple(_as_shares(m, s, totals, started) for m, s in zip(self.laid, self.sums, strict=True)),
        )

    def whole(self) -> float:
        """What the final weights sum to."""
        scale_to = self.weighting.scale_to
        if scale_to == "cases":
            return float(self.combos.cases.sum())
        if scale_to == "population":
            assert self.population is not None
            return self.population
        return float(scale_to)


@dataclass(frozen=True)
class RakedCases:
    """For a part's cases, (n,) each: final weights; base weights; given: base weights before an adjustment;
    free: with limits, whether they lie strictly between them; response: of an adjustment."""

    weights: Floats
    base: Floats
    given: Floats
    free: Bools | None = None
    response: Response | None = None


@dataclass(frozen=True)
class Raked:
    """Final weights and how they came about.

    parts: the cases of every part. frame: the combinations and margins as asked for; before, after: (K,),
    sums by combination as shares of the whole. margins: targets as shares of the whole. max_gap: largest
    |Σ w − target| as a share of the total. cells: of a non-response adjustment. possible: where limits cannot
    be met, those that could be.
    """

    parts: tuple[RakedCases, ...]
    frame: Frame
    margins: tuple[LaidMargin, ...]
    before: Floats
    after: Floats
    cycles: int
    max_gap: float
    converged: bool
    cells: tuple[AdjustedCell, ...] = ()
    possible: Possible | None = None

    @property
    def combos(self) -> Combinations:
        """The distinct combinations of margin categories."""
        return self.frame.combos

    @cached_property
    def weights(self) -> Floats:
        """Final weights of all cases, part by part, (n,)."""
        return _together([of.weights for of in self.parts])

    @cached_property
    def base(self) -> Floats:
        """Their base weights, after an adjustment, (n,)."""
        return _together([of.base for of in self.parts])


def _together(parts: Sequence[Floats]) -> Floats:
    return parts[0] if len(parts) == 1 else np.concatenate(parts)


def frame_of(data: Dataset | Cases, weighting: Weighting, base: Sequence[Floats], where: str) -> Frame:
    """A weighting laid on the cases; base: for every part, (n,). Raises StudyError for whatever contradicts:
    unknown values, targets without cases, cases without targets, sums that are off, populations that
    disagree.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.weighting.request import Margin, Target
    >>> targets = tuple(Target(at={"isle": code}, value=0.5) for code in (1, 2))
    >>> weighting = Weighting(margins=(Margin(by=("isle",), targets=targets),))
    >>> frame_of(ferry(), weighting, [np.ones(8)], "").combos.cases.tolist()
    [3, 5, 0]
    """
    cases = Cases.of(data)
    head = cases.head
    used = dict.fromkeys((*weighting.within, *(name for m in weighting.margins for name in m.by)))
    codes = {name: list(codes_of(head, name, where)) for name in used}
    combos = combinations_of(cases, weighting, base, codes)
    groups = groups_of(combos, weighting, where)
    group_of, group_places = groups
    names = [
        ", ".join(f"{name} {codes[name][p]}" for name, p in zip(weighting.within, places, strict=True))
        for places in group_places.tolist()
    ]
    laid = tuple(
        lay_margin(head, m, weighting, combos, codes, groups, f"{where}.margins[{i}]")
        for i, m in enumerate(weighting.margins)
    )
    sums = tuple(check_sums(m, names, f"{where}.margins[{i}]") for i, m in enumerate(laid))
    population, totals = _counted(laid, sums, where)
    return Frame(weighting, combos, laid, sums, group_of, len(names), population, totals)


def rake(data: Dataset | Cases, weighting: Weighting, where: str = "weightings[0]") -> Raked:
    """Base weights, adjusted for non-response where that is asked for, raked to the margins of a weighting.

    Margins that cannot all be met are reported, not raised (`converged`).

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.weighting.request import Margin, Target
    >>> targets = tuple(Target(at={"isle": code}, value=0.5) for code in (1, 2))
    >>> weighting = Weighting(margins=(Margin(by=("isle",), targets=targets),))
    >>> rake(ferry(), weighting).weights.round(4)[[0, 7]].tolist()
    [1.3333, 0.8]
    """
    cases = Cases.of(data)
    base = given = base_weights(cases, weighting, where)
    if not max(of.max(initial=0) for of in base) > 0:
        raise fault("No case has a base weight above 0.", f"{where}.base", "Choose another base weight.")
    cells: tuple[AdjustedCell, ...] = ()
    response: Sequence[Response | None] = (None,) * len(cases.parts)
    if weighting.nonresponse is not None:
        base, cells, response = adjusted_for_nonresponse(
            cases, base, weighting.nonresponse, f"{where}.nonresponse"
        )
    frame = frame_of(cases, weighting, base, where)
    combos, whole = frame.combos, frame.whole()
    start = combos.base / combos.base.sum()
    started, totals, margins = frame.aimed(combos.base)
    if weighting.limits is not None and weighting.limits.bind and margins:
        found, nearest = _within_limits(frame, base, started, totals, margins, cases.merge)
        spread = [found.weights(of, d, whole) for of, d in zip(combos.index, base, strict=True)]
        weights, free = zip(*spread, strict=True)
        after, cycles, gap = found.after, found.cycles, found.gap
    else:
        nearest, free = None, (None,) * len(cases.parts)
        targets = tuple(margin.target for margin in margins)
        after, cycles, gap = fit(
            started, frame.categories, targets, weighting.tolerance, weighting.max_cycles
        )
        factor = np.divide(after, combos.base, out=np.zeros_like(after), where=combos.base > 0) * whole
        weights = tuple(spread_out(d, factor, of) for d, of in zip(base, combos.index, strict=True))
    parts = tuple(map(RakedCases, weights, base, given, free, response))
    met = gap <= weighting.tolerance
    return Raked(parts, frame, margins, start, after, cycles, gap, met, cells, nearest)


def bounds_of(frame: Frame, totals: Floats, cases: Ints) -> tuple[Floats, Floats, Floats]:
    """Bounds of a case's weight and the mean weight, as shares of the whole, by combination, (K,). cases:
    (K,), of positive weight.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.weighting.request import Limits
    >>> frame = frame_of(ferry(), Weighting(limits=Limits(low=0.5, high=2)), [np.ones(8)], "")
    >>> low, high, mean = bounds_of(frame, np.ones(1), frame.combos.cases)
    >>> low.tolist(), high.tolist(), mean.tolist()
    ([0.0625], [0.25], [0.125])
    """
    limits = frame.weighting.limits
    assert limits is not None
    n = np.bincount(frame.group_of, weights=cases, minlength=frame.groups)
    mean = np.divide(totals, n, out=np.zeros_like(totals), where=n > 0)[frame.group_of]
    high = np.full_like(mean, np.inf) if limits.high is None else limits.high * mean
    return limits.low * mean, high, mean


def _within_limits(
    frame: Frame,
    base: Sequence[Floats],
    started: Floats,
    totals: Floats,
    margins: tuple[LaidMargin, ...],
    merge: Merge,
) -> tuple[Bounded, Possible | None]:
    """What base weights are multiplied by within the limits; and, where the margins cannot be met so, the
    nearest limits within which they can."""
    combos, weighting = frame.combos, frame.weighting
    limits = weighting.limits
    assert limits is not None
    low, high, mean = bounds_of(frame, totals, combos.cases)
    grown = np.divide(started, combos.base, out=np.zeros_like(started), where=combos.base > 0)
    targets = tuple(m.target for m in margins)
    runs = [base_runs(of, d, len(combos.base)) for of, d in zip(combos.index, base, strict=True)]
    of = ordered(merge(BaseRuns.merged, runs))
    found = solve(of, grown, frame.categories, targets, low, high, weighting.tolerance, weighting.max_cycles)
    if found.gap <= weighting.tolerance:
        return found, None
    return found, possible(frame.categories, targets, combos.cases, mean, limits.low, limits.high)


def _counted(
    laid: tuple[LaidMargin, ...], sums: tuple[Floats, ...], where: str
) -> tuple[float | None, Floats | None]:
    """The population where margins are in counts, and each group's share of it."""
    population, totals = None, None
    for i, (margin, total) in enumerate(zip(laid, sums, strict=True)):
        if margin.margin.as_ != "counts":
            continue
        if population is None or totals is None:
            population, totals = float(total.sum()), total / total.sum()
        elif (np.abs(total - totals * population) > _AGREE * totals * population).any():
            raise fault(
                f"The counts of {margin.margin.title} sum to {total.sum():,.0f}, those of an earlier "
                f"margin to {population:,.0f}.",
                f"{where}.margins[{i}].targets",
                "Margins in counts describe one population; make them agree within 0.1 %.",
            )
    return population, totals


def _as_shares(laid: LaidMargin, sums: Floats, totals: Floats, started: Floats) -> LaidMargin:
    """Targets as shares of the whole; an unknown that is held keeps its share, the known ones share the
    rest."""
    live = laid.category >= 0
    sizes = np.bincount(laid.category[live], weights=started[live], minlength=len(laid.target))
    held = np.isnan(laid.target)
    kept = np.bincount(laid.group, weights=np.where(held, sizes, 0.0), minlength=len(totals))
    known = np.nan_to_num(laid.target) / sums[laid.group] * (totals - kept)[laid.group]
    return LaidMargin(laid.margin, laid.category, laid.at, np.where(held, sizes, known), laid.group)


def with_weight(cases: Cases, raked: Raked, where: str) -> Cases:
    """The cases with their new weight.

    >>> from even_ballot.core.data.example import ferry
    >>> cases = Cases.of(ferry())
    >>> weighted = with_weight(cases, rake(cases, Weighting(base="w")), "")
    >>> weighted.head.column("weight").values[:3].round(3).tolist()
    [0.889, 0.889, 1.778]
    """
    name = raked.frame.weighting.save_as
    if name in cases.head.variables:
        raise fault(
            f"There is a variable {name!r} already.",
            f"{where}.save_as",
            "Choose another name for the weight.",
        )
    made = Variable(name=name, kind="number", label="Final weight")
    return cases.with_number(made, [of.weights for of in raked.parts])
