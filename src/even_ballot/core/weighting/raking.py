"""Raking: weights adjusted_for_nonresponse margin by margin until all are met (Deming and Stephan, 1940).

Works on the distinct combinations of margin categories with their base weight sums, and maps back at the end.
"""

from dataclasses import dataclass, replace

import numpy as np

from even_ballot.core.data.codebook import Variable
from even_ballot.core.data.dataset import Dataset, number_column
from even_ballot.core.faults import counted, fault, some
from even_ballot.core.numerics.arrays import Bools, Floats, Ints
from even_ballot.core.sampling.units import weights_of
from even_ballot.core.weighting.limits import Possible, ordered, possible, solve
from even_ballot.core.weighting.margins import (
    Combinations,
    LaidMargin,
    check_sums,
    combinations_of,
    groups_of,
    lay_margin,
    spread_out,
)
from even_ballot.core.weighting.request import ProductBase, StratumPopulation, Weighting
from even_ballot.core.weighting.response_cells import AdjustedCell, adjusted_for_nonresponse

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
class Raked:
    """Final weights and how they came about.

    weights, base: float64 (n,). frame: the combinations and margins as asked for; before, after: (K,),
    sums by combination as shares of the whole. margins: targets as shares of the whole. max_gap: largest
    |Σ w − target| as a share of the total. free: (n,), with limits, the cases strictly between them.
    cells: of a non-response adjustment. possible: where limits cannot be met, those that could be. given:
    (n,), base weights before an adjustment; response: (n,) each, the cells it was made in, and who
    answered.
    """

    weights: Floats
    base: Floats
    given: Floats
    frame: Frame
    margins: tuple[LaidMargin, ...]
    before: Floats
    after: Floats
    cycles: int
    max_gap: float
    converged: bool
    free: Bools | None = None
    cells: tuple[AdjustedCell, ...] = ()
    possible: Possible | None = None
    response: tuple[Ints, Bools] | None = None

    @property
    def combos(self) -> Combinations:
        """The distinct combinations of margin categories."""
        return self.frame.combos


def _product(data: Dataset, spec: ProductBase, where: str) -> Floats:
    weights = np.ones(data.n)
    for name in spec.times:
        weights = weights * weights_of(data, name, f"{where}.times")
    for name in spec.over:
        chance = weights_of(data, name, f"{where}.over")
        if (chance == 0).any():
            rows = some(data.rows[chance == 0].tolist())
            raise fault(
                f"{name} is 0 (records {rows}), and nothing can be divided by it.",
                f"{where}.over",
                "Mend it there.",
            )
        weights = weights / chance
    weights = weights / spec.divided_by
    if spec.sum_to is None or not weights.sum() > 0:
        return weights
    return np.asarray(weights * ((data.n if spec.sum_to == "cases" else spec.sum_to) / weights.sum()))


def base_weights(data: Dataset, weighting: Weighting, where: str) -> Floats:
    """d, float64 (n,): a variable's values, 1 each, a product of columns, or stratum population over
    stratum cases."""
    if isinstance(weighting.base, ProductBase):
        return _product(data, weighting.base, f"{where}.base")
    if not isinstance(weighting.base, StratumPopulation):
        return weights_of(data, weighting.base, f"{where}.base")
    people = weights_of(data, weighting.base.stratum_population, f"{where}.base.stratum_population")
    keys = []
    for name in weighting.base.by:
        column = data.column(name, f"{where}.base.by")
        if not column.answered.all():
            lost = counted(int((~column.answered).sum()), "case")
            raise fault(f"{name} is missing for {lost}.", f"{where}.base.by", "Fill it in.")
        keys.append(np.unique(column.values, return_inverse=True)[1].ravel())
    _, stratum, cases = np.unique(np.stack(keys), axis=1, return_inverse=True, return_counts=True)
    return np.asarray(people / cases[stratum.ravel()])


def frame_of(data: Dataset, weighting: Weighting, base: Floats, where: str) -> Frame:
    """A weighting laid on the cases. Raises StudyError for whatever contradicts: unknown values, targets
    without cases, cases without targets, sums that are off, populations that disagree."""
    combos, codes = combinations_of(data, weighting, base, where)
    groups = groups_of(combos, weighting, where)
    group_of, group_places = groups
    names = [
        ", ".join(f"{name} {codes[name][p]}" for name, p in zip(weighting.within, places, strict=True))
        for places in group_places.tolist()
    ]
    laid = tuple(
        lay_margin(data, m, weighting, combos, codes, groups, f"{where}.margins[{i}]")
        for i, m in enumerate(weighting.margins)
    )
    sums = tuple(check_sums(m, names, f"{where}.margins[{i}]") for i, m in enumerate(laid))
    population, totals = _counted(laid, sums, where)
    return Frame(weighting, combos, laid, sums, group_of, len(names), population, totals)


def rake(data: Dataset, weighting: Weighting, where: str = "weightings[0]") -> Raked:
    """Base weights, adjusted_for_nonresponse for non-response where that is asked for, raked to the margins
    of a weighting.

    Margins that cannot all be met are reported, not raised (`converged`).
    """
    base = base_weights(data, weighting, where)
    if not base.max(initial=0) > 0:
        raise fault("No case has a base weight above 0.", f"{where}.base", "Choose another base weight.")
    given = base
    cells: tuple[AdjustedCell, ...] = ()
    response = None
    if weighting.nonresponse is not None:
        base, cells, response = adjusted_for_nonresponse(
            data, base, weighting.nonresponse, f"{where}.nonresponse"
        )
    frame = frame_of(data, weighting, base, where)
    combos = frame.combos
    start = combos.base / combos.base.sum()
    started, totals, margins = frame.aimed(combos.base)
    if weighting.limits is not None and weighting.limits.bind and margins:
        found = _within_limits(frame, base, start, started, totals, margins)
        return replace(found, given=given, cells=cells, response=response)
    after, cycles, gap = _cycle(started, margins, weighting)
    factor = np.divide(after, combos.base, out=np.zeros_like(after), where=combos.base > 0)
    weights = spread_out(base, factor * frame.whole(), combos.index)
    met = gap <= weighting.tolerance
    return Raked(
        weights, base, given, frame, margins, start, after, cycles, gap, met, cells=cells, response=response
    )


def bounds_of(frame: Frame, totals: Floats, cases: Ints) -> tuple[Floats, Floats, Floats]:
    """Bounds of a case's weight and the mean weight, as shares of the whole, by combination, (K,). cases:
    (K,), of positive weight."""
    limits = frame.weighting.limits
    assert limits is not None
    n = np.bincount(frame.group_of, weights=cases, minlength=frame.groups)
    mean = np.divide(totals, n, out=np.zeros_like(totals), where=n > 0)[frame.group_of]
    high = np.full_like(mean, np.inf) if limits.high is None else limits.high * mean
    return limits.low * mean, high, mean


def _within_limits(
    frame: Frame,
    base: Floats,
    start: Floats,
    started: Floats,
    totals: Floats,
    margins: tuple[LaidMargin, ...],
) -> Raked:
    combos, weighting = frame.combos, frame.weighting
    limits = weighting.limits
    assert limits is not None
    low, high, mean = bounds_of(frame, totals, combos.cases)
    grown = np.divide(started, combos.base, out=np.zeros_like(started), where=combos.base > 0)
    targets = tuple(m.target for m in margins)
    of = ordered(combos.index, base, len(combos.base))
    found = solve(of, grown, frame.categories, targets, low, high, weighting.tolerance, weighting.max_cycles)
    converged = found.gap <= weighting.tolerance
    nearest = (
        None
        if converged
        else possible(frame.categories, targets, combos.cases, mean, limits.low, limits.high)
    )
    weights, free = found.weights(combos.index, base, frame.whole())
    return Raked(
        weights,
        base,
        base,
        frame,
        margins,
        start,
        found.after,
        found.cycles,
        found.gap,
        converged,
        free,
        possible=nearest,
    )


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


def _cycle(start: Floats, margins: tuple[LaidMargin, ...], weighting: Weighting) -> tuple[Floats, int, float]:
    """Each margin in turn multiplied to its targets, until the largest gap is within tolerance."""
    live = np.flatnonzero(start > 0)
    w = start[live].copy()
    sides = [(margin.category[live], margin.target) for margin in margins]

    def gap() -> float:
        return max((float(np.abs(np.bincount(c, w, len(t)) - t).max()) for c, t in sides), default=0.0)

    cycles, worst = 0, gap()
    while worst > weighting.tolerance and cycles < weighting.max_cycles:
        for category, target in sides:
            w *= (target / np.bincount(category, w, len(target)))[category]
        cycles += 1
        worst = gap()
    result = np.zeros_like(start)
    result[live] = w
    return result, cycles, worst


def with_weight(data: Dataset, weighting: Weighting, weights: Floats, where: str) -> Dataset:
    """The cases with their new weight."""
    if weighting.save_as in data.variables:
        raise fault(
            f"There is a variable {weighting.save_as!r} already.",
            f"{where}.save_as",
            "Choose another name for the weight.",
        )
    return data.with_column(
        Variable(name=weighting.save_as, kind="number", label="Final weight"), number_column(weights)
    )
