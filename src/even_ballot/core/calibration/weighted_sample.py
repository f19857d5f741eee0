"""The design of a sample with the method of its variances laid on it."""

from collections.abc import Sequence
from dataclasses import replace
from operator import or_

import numpy as np

from even_ballot.core.calibration.margin_residuals import with_residuals
from even_ballot.core.calibration.remade_weights import fixes_numbers, remade_weights
from even_ballot.core.calibration.reweighting import adjusts, chain_of, made_again
from even_ballot.core.data.cases import Cases
from even_ballot.core.data.dataset import Dataset
from even_ballot.core.faults import counted, fault, some
from even_ballot.core.numerics.arrays import Floats
from even_ballot.core.sampling.design import (
    Balanced,
    Bootstrapped,
    Design,
    GivenColumns,
    Jackknifed,
    Linearised,
)
from even_ballot.core.sampling.replicates import (
    ByCase,
    Factors,
    GivenWeights,
    Jackknife,
    balanced,
    bootstrap,
)
from even_ballot.core.sampling.sample import Sample
from even_ballot.core.sampling.units import Units, by_case, units_of, weights_of
from even_ballot.core.weighting.raking import Raked

_MOST = 200_000_000


def _check_single(units: Units) -> None:
    single = [units.names[h] for h in np.flatnonzero(units.single)]
    if single and units.single_psu != "add_nothing":
        raise fault(
            "Replicate methods need at least two first-stage units in each stratum; "
            f"{counted(len(single), 'stratum has', 'strata have')} only one: {some(single)}.",
            "design.single_psu",
            "Combine them with other strata, let them add nothing, or use linearisation.",
        )


def _check_size(units: Units, replicates: int) -> None:
    if units.rows * replicates > _MOST:
        raise fault(
            f"{replicates:,} replicates of {units.rows:,} first-stage units are more than can be worked on "
            "at once.",
            "design.variance",
            "Use linearisation, or a bootstrap with fewer replicates.",
        )


def _by_unit(units: Units, method: Jackknifed | Bootstrapped | Balanced, raked: bool) -> Jackknife | Factors:
    match method:
        case Jackknifed():
            if raked:
                _check_size(units, units.rows)
            return Jackknife(units.stratum, units.psus, units.fraction)
        case Bootstrapped():
            _check_size(units, method.count)
            return bootstrap(units.stratum, units.psus, units.fraction, method.count, method.seed)
        case Balanced():
            others = [
                f"{units.names[h]} ({units.psus[h]})"
                for h in np.flatnonzero((units.psus != 2) & ~_taken(units))
            ]
            if others:
                raise fault(
                    "Balanced half samples need exactly two first-stage units in each stratum; "
                    f"these have a different number: {some(others)}.",
                    "design.variance",
                    "Use the jackknife or the bootstrap.",
                )
            _check_size(units, 2 * len(units.psus))
            return balanced(units.stratum, units.psus, units.fraction, method.fay)


def _taken(units: Units) -> np.ndarray:
    """Strata of one PSU that count nothing."""
    return np.asarray(units.psus == 1)


def _given(
    cases: Cases, method: GivenColumns, full: Sequence[Floats]
) -> tuple[ByCase, tuple[GivenWeights, ...]]:
    where = "design.variance.columns"
    twice = [name for name in method.columns if method.columns.count(name) > 1]
    if twice:
        raise fault(f"{twice[0]} is named twice.", where, "Name each replicate weight once.")
    columns = [weights_of(cases, name, f"{where}[{i}]") for i, name in enumerate(method.columns)]
    # Cases of weight 0 take no part in any replicate.
    weights = tuple(
        GivenWeights(np.ascontiguousarray(np.where(w[:, None] > 0, np.stack(of, 1), 0.0)))
        for w, *of in zip(full, *columns, strict=True)
    )
    any_weight = cases.merge(np.logical_or, [(of.weights > 0).any(0) for of in weights])
    return ByCase(np.array(method.scales), np.asarray(~any_weight)), weights


def sampled(
    data: Dataset | Cases, design: Design, weight: str | None = None, raked: Sequence[Raked] = ()
) -> Sample:
    """The cases with their design and the weight that estimates use. raked: the weightings that were made.

    Raises StudyError where the design does not fit the cases, or its method does not fit the design.

    >>> from even_ballot.core.data.example import ferry
    >>> sample = sampled(ferry(), Design(strata=("isle",), clusters=("boat",)), "w")
    >>> sample.n, sample.units.degrees_of_freedom
    (8, 2)
    """
    cases = Cases.of(data)
    w = weights_of(cases, weight)
    if not cases.merge(or_, [bool((of > 0).any()) for of in w]):
        raise fault("Every weight is 0.", "design.weight", "Choose another weight.")
    (units, unit), method = units_of(cases, design), design.variance
    source = next((r for r in raked if r.frame.weighting.save_as == weight), None)
    if design.calibrated and source is None:
        raise fault(
            f"The weight {weight or '(none)'} was not raked in this study, so standard errors "
            f"cannot account for its margins.",
            "design.calibrated",
            "Use the weight of one of this study's weightings, or leave calibrated out.",
        )
    known = source if design.calibrated else None
    if isinstance(method, Linearised):
        if known is None or not (known.margins or known.frame.numbers):
            return Sample(cases, units, unit, w)
        if known.frame.numbers:
            # Each has a residual of its own.
            units, unit = by_case(units, unit, cases)
        units, unit, margins = with_residuals(units, unit, known, w, cases.merge)
        return Sample(cases, units, unit, w, margins=margins)
    _check_single(units)
    if isinstance(method, GivenColumns):
        known_units = bool(design.strata and design.clusters)
        df = method.df or (None if known_units else len(method.columns) - 1)
        replicates, given = _given(cases, method, w)
        return Sample(cases, replace(units, replicates=replicates, df=df), unit, w, again=given)
    units, unit = by_case(units, unit, cases)
    chain = () if known is None else chain_of(raked, known)
    by_unit = _by_unit(units, method, adjusts(chain))
    if not adjusts(chain):
        return Sample(cases, replace(units, replicates=by_unit), unit, w)
    make = remade_weights if fixes_numbers(chain) else made_again
    remade, again = make(chain, by_unit, unit, cases.merge)
    return Sample(cases, replace(units, replicates=remade), unit, w, again=again)
