"""Raking: weights adjusted margin by margin until all are met (Deming and Stephan, 1940).

Works on the distinct combinations of margin categories with their base weight sums, and maps back at the end.
"""

from dataclasses import dataclass

import numpy as np

from even_ballot.core.codebook import Variable
from even_ballot.core.dataset import Dataset, Floats, Ints, number_column
from even_ballot.core.design import weights_of
from even_ballot.core.faults import fault
from even_ballot.core.weighting.margins import Combinations, Laid, check_sums, combinations_of, groups_of, lay, spread_out
from even_ballot.core.weighting.request import StratumPopulation, Weighting

_AGREE = 0.001


@dataclass(frozen=True)
class Raked:
    """Final weights and how they came about.

    weights, base: float64 (n,). combos: the distinct combinations; before, after: (K,), their sums as shares of the
    whole. margins: as laid, targets as shares of the whole. max_gap: largest |Σ w − target| as a share of the total.
    """

    weights: Floats
    base: Floats
    combos: Combinations
    margins: tuple[Laid, ...]
    group_of: Ints
    before: Floats
    after: Floats
    cycles: int
    max_gap: float
    converged: bool


def base_weights(data: Dataset, weighting: Weighting, where: str) -> Floats:
    """d, float64 (n,): a variable's values, 1 each, or stratum population over stratum cases."""
    if not isinstance(weighting.base, StratumPopulation):
        return weights_of(data, weighting.base, f"{where}.base")
    people = weights_of(data, weighting.base.stratum_population, f"{where}.base.stratum_population")
    keys = []
    for name in weighting.base.by:
        column = data.column(name, f"{where}.base.by")
        if not column.answered.all():
            raise fault(f"{name} is missing for {int((~column.answered).sum())} cases.", f"{where}.base.by", "Fill it in.")
        keys.append(np.unique(column.values, return_inverse=True)[1].ravel())
    _, stratum, cases = np.unique(np.stack(keys), axis=1, return_inverse=True, return_counts=True)
    return np.asarray(people / cases[stratum.ravel()])


def rake(data: Dataset, weighting: Weighting, where: str = "weightings[0]") -> Raked:
    """Base weights raked to the margins of a weighting.

    Raises StudyError for whatever contradicts: unknown values, targets without cases, cases without targets, sums
    that are off, populations that disagree. Margins that cannot all be met are reported, not raised (`converged`).
    """
    base = base_weights(data, weighting, where)
    if not base.max(initial=0) > 0:
        raise fault("No case has a base weight above 0.", f"{where}.base", "Choose another base weight.")
    combos, codes = combinations_of(data, weighting, base, where)
    groups = groups_of(combos, weighting, where)
    group_of, group_places = groups
    names = [
        ", ".join(f"{name} {codes[name][p]}" for name, p in zip(weighting.within, places, strict=True))
        for places in group_places.tolist()
    ]
    start = combos.base / combos.base.sum()
    laid = [lay(data, m, weighting, combos, codes, groups, f"{where}.margins[{i}]") for i, m in enumerate(weighting.margins)]
    sums = [check_sums(m, names, f"{where}.margins[{i}]") for i, m in enumerate(laid)]
    shares = np.bincount(group_of, weights=start, minlength=len(names)).astype(np.float64)
    population, totals = _totals(weighting, laid, sums, shares, where)
    started = start * (totals / shares)[group_of]
    margins = tuple(_as_shares(m, s, totals, started) for m, s in zip(laid, sums, strict=True))
    after, cycles, gap = _cycle(started, margins, weighting)
    factor = np.divide(after, combos.base, out=np.zeros_like(after), where=combos.base > 0)
    factor *= _whole(weighting, combos, population)
    weights = spread_out(base, factor, combos.index)
    return Raked(weights, base, combos, margins, group_of, start, after, cycles, gap, gap <= weighting.tolerance)


def _totals(weighting: Weighting, laid: list[Laid], sums: list[Floats], shares: Floats, where: str) -> tuple[float | None, Floats]:
    """The population where margins are in counts, and each group's share of the whole."""
    population, totals = None, shares
    for i, (margin, total) in enumerate(zip(laid, sums, strict=True)):
        if margin.margin.as_ != "counts":
            continue
        if population is None:
            population, totals = float(total.sum()), total / total.sum()
        elif (np.abs(total - totals * population) > _AGREE * totals * population).any():
            raise fault(
                f"The counts of {margin.margin.title} sum to {total.sum():,.0f}, those of an earlier margin to {population:,.0f}.",
                f"{where}.margins[{i}].targets",
                "Margins in counts describe one population; make them agree within 0.1 %.",
            )
    return population, totals


def _as_shares(laid: Laid, sums: Floats, totals: Floats, started: Floats) -> Laid:
    """Targets as shares of the whole; an unknown that is held keeps its share, the known ones share the rest."""
    live = laid.category >= 0
    sizes = np.bincount(laid.category[live], weights=started[live], minlength=len(laid.target))
    held = np.isnan(laid.target)
    kept = np.bincount(laid.group, weights=np.where(held, sizes, 0.0), minlength=len(totals))
    known = np.nan_to_num(laid.target) / sums[laid.group] * (totals - kept)[laid.group]
    return Laid(laid.margin, laid.category, laid.at, np.where(held, sizes, known), laid.group)


def _cycle(start: Floats, margins: tuple[Laid, ...], weighting: Weighting) -> tuple[Floats, int, float]:
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


def _whole(weighting: Weighting, combos: Combinations, population: float | None) -> float:
    """What the final weights sum to."""
    if weighting.scale_to == "cases":
        return float(combos.cases.sum())
    if weighting.scale_to == "population":
        assert population is not None
        return population
    return float(weighting.scale_to)


def with_weight(data: Dataset, weighting: Weighting, weights: Floats, where: str) -> Dataset:
    """The cases with their new weight."""
    if weighting.save_as in data.variables:
        raise fault(
            f"There is a variable {weighting.save_as!r} already.", f"{where}.save_as", "Choose another name for the weight."
        )
    return data.with_column(Variable(name=weighting.save_as, kind="number", label="Final weight"), number_column(weights))
