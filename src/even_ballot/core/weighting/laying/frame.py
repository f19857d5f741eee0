"""What a weighting asks for, laid on the cases before any weight is known."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from even_ballot.core.data.cases import Cases
from even_ballot.core.data.dataset import Dataset
from even_ballot.core.faults import fault
from even_ballot.core.numerics.arrays import Floats, Ints
from even_ballot.core.weighting.laying.combinations import Combinations, combinations_of
from even_ballot.core.weighting.laying.margins import LaidMargin, check_sums, codes_of, groups_of, lay_margin
from even_ballot.core.weighting.laying.number_margins import LaidNumber, lay_number
from even_ballot.core.weighting.solving.exponential import Wanted
from even_ballot.core.weighting.weighting import Weighting

_AGREE = 0.001


@dataclass(frozen=True)
class Frame:
    """What a weighting asks for, laid on the cases before any weight is known: combinations, margins with
    targets as given, what each group's targets sum to, and, with counts, the population and each group's
    share of it. numbers: margins that fix a number."""

    weighting: Weighting
    combos: Combinations
    laid: tuple[LaidMargin, ...]
    sums: Sequence[Floats]
    group_of: Ints
    groups: int
    population: float | None
    counted: Floats | None
    numbers: tuple[LaidNumber, ...] = ()

    @property
    def of(self) -> float:
        """The population that totals of numbers hold at."""
        if self.population is not None:
            return self.population
        scale_to = self.weighting.scale_to
        return float(scale_to) if isinstance(scale_to, float) else float(self.combos.cases.sum())

    def wanted(self, totals: Floats, margins: tuple[LaidMargin, ...], low: Floats, high: Floats) -> Wanted:
        """What weights that sum to 1 are to meet beside totals of numbers: each group's share, (G,), and the
        margins, with targets as such shares. low, high: bounds of a case's weight, (K,)."""
        k = len(self.combos.base)
        rows = [(self.group_of == g).astype(np.float64) for g in range(self.groups)]
        rows += [(m.category == j).astype(np.float64) for m in margins for j in range(len(m.target))]
        live = self.combos.base > 0
        return Wanted(
            np.array(rows) * live,
            np.concatenate([totals, *(m.target for m in margins)]),
            np.stack([n.laid.category for n in self.numbers]).reshape(len(self.numbers), k),
            np.stack([n.centre for n in self.numbers]),
            np.array([n.size for n in self.numbers]),
            tuple(n.aim(self.of) / n.size for n in self.numbers),
            low,
            high,
        )

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


def frame_of(data: Dataset | Cases, weighting: Weighting, base: Sequence[Floats], where: str) -> Frame:
    """A weighting laid on the cases; base: for every part, (n,). Raises StudyError for whatever contradicts:
    unknown values, targets without cases, cases without targets, sums that are off, populations that
    disagree.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.weighting.weighting import Margin, Target
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
    places = [f"{where}.margins[{i}]" for i in range(len(weighting.margins))]
    every = [
        lay_margin(head, m, weighting, combos, codes, groups, place)
        for m, place in zip(weighting.margins, places, strict=True)
    ]
    sizes = [(m, place) for m, place in zip(every, places, strict=True) if m.margin.total_of is None]
    sums = tuple(check_sums(m, names, place) for m, place in sizes)
    population, totals = _counted(sizes, sums)
    numbers = tuple(
        lay_number(cases, m, i, combos.index, base, places[i])
        for i, m in enumerate(every)
        if m.margin.total_of is not None
    )
    laid = tuple(m for m, _ in sizes)
    return Frame(weighting, combos, laid, sums, group_of, len(names), population, totals, numbers)


def bounds_of(frame: Frame, totals: Floats, cases: Ints) -> tuple[Floats, Floats, Floats]:
    """Bounds of a case's weight and the mean weight, as shares of the whole, by combination, (K,). cases:
    (K,), of positive weight.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.weighting.weighting import Limits
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


def _counted(
    laid: Sequence[tuple[LaidMargin, str]], sums: Sequence[Floats]
) -> tuple[float | None, Floats | None]:
    """The population where margins are in counts, and each group's share of it. laid: margins with their
    places."""
    population, totals = None, None
    for (margin, where), total in zip(laid, sums, strict=True):
        if margin.margin.as_ != "counts":
            continue
        if population is None or totals is None:
            population, totals = float(total.sum()), total / total.sum()
        elif (np.abs(total - totals * population) > _AGREE * totals * population).any():
            raise fault(
                f"The counts of {margin.margin.title} sum to {total.sum():,.0f}, those of an earlier "
                f"margin to {population:,.0f}.",
                f"{where}.targets",
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
