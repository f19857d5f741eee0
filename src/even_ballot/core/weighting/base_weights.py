"""Base weights: what each case stands for before anything is raked."""

from collections.abc import Sequence

import numpy as np

from even_ballot.core.data.cases import Cases
from even_ballot.core.data.dataset import Dataset
from even_ballot.core.data.groups import grouped
from even_ballot.core.faults import counted, fault
from even_ballot.core.numerics.arrays import Floats
from even_ballot.core.numerics.parts import kept
from even_ballot.core.sampling.units import weights_of
from even_ballot.core.weighting.weighting import ProductBase, StratumPopulation, Weighting


def base_weights(data: Dataset | Cases, weighting: Weighting, where: str) -> Sequence[Floats]:
    """For every part d, float64 (n,): a variable's values, 1 each, a product of columns, or stratum
    population over stratum cases.

    >>> from even_ballot.core.data.example import ferry
    >>> base_weights(ferry(), Weighting(base="w"), "weightings[0]")[0][:3].tolist()
    [1.0, 1.0, 2.0]
    """
    cases = Cases.of(data)
    if isinstance(weighting.base, ProductBase):
        return _product(cases, weighting.base, f"{where}.base")
    if isinstance(weighting.base, StratumPopulation):
        return _population_over_cases(cases, weighting.base, f"{where}.base")
    return weights_of(cases, weighting.base, f"{where}.base")


def _product(cases: Cases, spec: ProductBase, where: str) -> Sequence[Floats]:
    weights = cases.each(lambda part: np.ones(part.n))
    for name in spec.times:
        factors = weights_of(cases, name, f"{where}.times")
        weights = kept(cases.merge, (w * of for w, of in zip(weights, factors, strict=True)))
    for name in spec.over:
        chances = weights_of(cases, name, f"{where}.over")
        if rows := cases.records([of == 0 for of in chances]):
            raise fault(
                f"{name} is 0 (records {rows}), so the weight cannot be divided by it.",
                f"{where}.over",
                "Correct it in these records.",
            )
        weights = kept(cases.merge, (w / of for w, of in zip(weights, chances, strict=True)))
    weights = kept(cases.merge, (w / spec.divided_by for w in weights))
    whole = float(cases.merge(lambda a, b: a + b, [w.sum() for w in weights]))
    if spec.sum_to is None or not whole > 0:
        return weights
    times = (cases.n if spec.sum_to == "cases" else spec.sum_to) / whole
    return kept(cases.merge, (np.asarray(w * times) for w in weights))


def _population_over_cases(cases: Cases, spec: StratumPopulation, where: str) -> Sequence[Floats]:
    people = weights_of(cases, spec.stratum_population, f"{where}.stratum_population")
    for name in spec.by:
        cases.head.column(name, f"{where}.by")
        lost = cases.records(cases.each(lambda part, of=name: ~part.column(of).answered)).n
        if lost:
            raise fault(f"{name} is missing for {counted(lost, 'case')}.", f"{where}.by", "Fill it in.")
    strata = grouped(cases, spec.by, f"{where}.by")
    counts = cases.merge(np.add, [np.bincount(of, minlength=len(strata.keys)) for of in strata.index])
    shares = (np.asarray(of / counts[h]) for of, h in zip(people, strata.index, strict=True))
    return kept(cases.merge, shares)
