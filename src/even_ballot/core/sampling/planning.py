"""How large a sample has to be: from one design effect taken apart to that of another number of cases in a
first-stage unit (Kish, 1965; Gabler, Häder and Lahiri, 1999), and to what it costs (Cochran, ch. 10)."""

import math
from dataclasses import dataclass

import scipy


@dataclass(frozen=True)
class DeffParts:
    """A design effect as a product. kish: of unequal weights alone, whatever the figure; weights: of weights,
    as they bear on this figure; clusters, strata: of first-stage units and of strata; population: of drawing
    a good part of all units; calibration: of what margins fix. per_unit: cases in a unit, as weights make
    them; rho: the intraclass correlation that `clusters` implies, None where each case is a unit. variance:
    of one case, S²."""

    est: float
    base_n: int
    deff: float
    kish: float
    weights: float
    clusters: float
    strata: float
    population: float
    calibration: float
    per_unit: float
    rho: float | None
    variance: float

    def at(self, per_unit: float) -> float:
        """The design effect with so many cases in a unit, all else as it is; a finite population is not
        counted on."""
        rho = 0.0 if self.rho is None else max(self.rho, 0.0)
        return self.weights * self.strata * self.calibration * (1 + (per_unit - 1) * rho)


@dataclass(frozen=True)
class Wanted:
    """What a sample is to show: half the width of an interval (in the figure's own size: 0.03 is 3 points),
    or a difference of two halves of the sample that is to be found with a probability (power). case_cost,
    unit_cost: of one more."""

    half_width: float | None = None
    difference: float | None = None
    level: float = 0.95
    power: float = 0.8
    case_cost: float | None = None
    unit_cost: float | None = None


@dataclass(frozen=True)
class Plan:
    """A way to draw it: cases in a unit, its design effect, units and cases needed, cost where known."""

    per_unit: int
    deff: float
    units: int
    cases: int
    cost: float | None


def effective_needed(variance: float, wanted: Wanted) -> float:
    """Cases of a simple random sample that would do.

    >>> round(effective_needed(0.25, Wanted(half_width=0.03)))
    1067
    >>> round(effective_needed(0.25, Wanted(difference=0.05)))
    3140
    """
    z = float(scipy.special.ndtri(1 - (1 - wanted.level) / 2))
    if wanted.half_width is not None:
        return (z / wanted.half_width) ** 2 * variance
    assert wanted.difference is not None
    # Half of the cases on each side: twice the variance of one half's mean, which is twice that of all.
    return ((z + float(scipy.special.ndtri(wanted.power))) / wanted.difference) ** 2 * 4 * variance


def plans(
    parts: DeffParts, wanted: Wanted, sizes: tuple[int, ...] = (1, 2, 3, 5, 8, 12, 20, 30)
) -> list[Plan]:
    """Ways to draw it, by cases in a unit; the one of the least cost is among them where costs are known.

    >>> parts = DeffParts(0.5, 900, 1.5, 1.2, 1.2, 1.25, 1.0, 1.0, 1.0, 6.0, 0.05, 0.25)
    >>> [(plan.per_unit, plan.units, plan.cases) for plan in plans(parts, Wanted(half_width=0.03), (1, 10))]
    [(1, 1281, 1281), (10, 186, 1860)]
    """
    known = wanted.case_cost is not None and wanted.unit_cost is not None
    if known and parts.rho is not None and 0 < parts.rho < 1 and wanted.case_cost and wanted.unit_cost:
        best = math.sqrt(wanted.unit_cost / wanted.case_cost * (1 - parts.rho) / parts.rho)
        sizes = tuple(sorted({*sizes, max(1, math.floor(best)), max(1, math.ceil(best))}))
    needed, found = effective_needed(parts.variance, wanted), []
    for size in sizes:
        deff = parts.at(size)
        units = math.ceil(needed * deff / size - 1e-9)
        cost = units * (wanted.unit_cost or 0) + units * size * (wanted.case_cost or 0) if known else None
        found.append(Plan(size, deff, units, units * size, cost))
    return found
