"""The design laid on cases: first-stage units by stratum, their fractions, and the weight of each case."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.data.cases import Cases
from even_ballot.core.data.dataset import Dataset
from even_ballot.core.data.groups import Groups, grouped
from even_ballot.core.faults import Fault, StudyError, counted, fault, some
from even_ballot.core.lazy import lazy
from even_ballot.core.numerics.arrays import Floats, Ints
from even_ballot.core.numerics.grouping import numbered
from even_ballot.core.numerics.parts import Merge, bounded, kept
from even_ballot.core.sampling.design import Design, SinglePsu
from even_ballot.core.sampling.replicates import ByCase, Replicates
from even_ballot.core.sampling.residuals import Residuals

MOST = 50_000_000
"""Cases of several parts that can have a row each in tallies."""
UnitOf = Sequence[NDArray[np.int32]]
"""For every part the row of each case in the tallies, (n,)."""


@dataclass(frozen=True)
class UnitWeights:
    """Weights of the cases of each unit, those of weight 0 left out: n, their mean (centre), and Σ d and Σ
    d², d what a weight is more than that; (U,) each."""

    n: Floats
    centre: Floats
    d1: Floats
    d2: Floats


@dataclass(frozen=True)
class Units:
    """The design of a set of cases, whose rows in tallies are its units: PSUs, or, where every case is a PSU
    of its own (`own`), groups of cases of one stratum.

    stratum: int32 (rows,), of each row, ascending. psus: int64 (strata,), n_h. fraction: float64 (strata,),
    f_h. names: of the strata, for messages. replicates: how variances are made, where not by linearisation.
    residuals: what takes the raking into account, where linearisation does. df: degrees of freedom where they
    are not PSUs less strata. recurring: names of clusters that stand in more than one stratum, and are
    different units there. weights: where every case is a PSU.
    """

    own: bool
    stratum: NDArray[np.int32]
    psus: NDArray[np.int64]
    fraction: Floats
    names: tuple[str, ...]
    single_psu: SinglePsu
    replicates: Replicates | None = None
    residuals: Residuals | None = None
    df: int | None = None
    recurring: tuple[str, ...] = ()
    weights: UnitWeights | None = None

    @property
    def rows(self) -> int:
        """Rows that tallies by unit have."""
        return len(self.stratum)

    @property
    def degrees_of_freedom(self) -> int:
        """PSUs less strata, or what the method says."""
        return int(self.psus.sum()) - len(self.psus) if self.df is None else self.df

    @lazy
    def single(self) -> NDArray[np.bool_]:
        """Strata of one PSU that would have a variance: those not taken whole."""
        return np.asarray((self.psus == 1) & (self.fraction < 1))

    @lazy
    def factor(self) -> Floats:
        """(1 − f_h) n_h/(n_h − 1) by stratum, 0 where n_h is 1."""
        n = self.psus
        return np.where(n > 1, (1 - self.fraction) * n / np.maximum(n - 1, 1), 0.0)

    @lazy
    def whole_factor(self) -> Floats:
        """The same without 1 − f_h, which rounding knows nothing of."""
        n = self.psus
        return np.where(n > 1, n / np.maximum(n - 1, 1), 0.0)

    @property
    def calibrated(self) -> bool:
        """Whether variances know that the weights meet margins."""
        return self.residuals is not None or isinstance(self.replicates, ByCase)

    @lazy
    def inflation(self) -> float:
        """What `mean_of_strata` multiplies the other strata's sum by."""
        if self.single_psu != "mean_of_strata":
            return 1.0
        return len(self.psus) / max(len(self.psus) - int(self.single.sum()), 1)


def _answered_groups(cases: Cases, names: tuple[str, ...], where: str) -> Groups:
    """Groups of cases by one or several variables; missing values stop."""
    for name in names:
        cases.head.column(name, where)
        lost = cases.each(lambda part, of=name: ~part.column(of).answered)
        if rows := cases.records(lost):
            raise fault(
                f"{name} is missing for {counted(rows.n, 'case')} (records {rows}).",
                where,
                "Fill it in, or set these cases aside.",
            )
    return grouped(cases, names, where)


def _titles(data: Dataset, names: tuple[str, ...], groups: Groups) -> list[str]:
    """Groups in words: the labels of their codes."""
    if not names:
        return ["all"]
    labels = []
    for name in names:
        scale = data.scale_of(name)
        labels.append({code.code: code.label for code in scale.codes} if scale else {})
    return [
        " · ".join(
            value if isinstance(value, str) else of.get(int(value), f"{value:g}")
            for value, of in zip(key, labels, strict=True)
        )
        for key in groups.keys
    ]


def _population(
    cases: Cases, design: Design, stratum: Sequence[Ints], psus: NDArray[np.int64], names: list[str]
) -> Floats:
    """f_h by stratum; 0 where no population size is given."""
    if design.population_size is None:
        return np.zeros(len(psus))
    where, name = "design.population_size", design.population_size
    cases.head.column(name, where)
    if cases.head.variable(name).kind not in ("number", "coded"):
        raise fault(f"{name} is not a number.", where, "Read it as a number first.")
    if rows := cases.records(cases.each(lambda part: ~part.column(name).answered)):
        raise fault(f"{name} is missing for records {rows}.", where, "Fill it in for every case.")

    def ends(part: Dataset, of: Ints) -> tuple[Floats, Floats]:
        sizes = part.column(name).values.astype(np.float64)
        low, high = np.full(len(psus), np.inf), np.full(len(psus), -np.inf)
        np.minimum.at(low, of, sizes)
        np.maximum.at(high, of, sizes)
        return low, high

    low, high = cases.merged(ends, stratum, add=lambda a, b: (np.minimum(a[0], b[0]), np.maximum(a[1], b[1])))
    faults = [
        Fault(
            f"{name} varies in stratum {names[h]}: {low[h]:g} to {high[h]:g}.",
            where,
            "It must be one number.",
        )
        for h in np.flatnonzero(low != high)
    ]
    faults += [
        Fault(
            f"Stratum {names[h]} has {psus[h]} first-stage units in the sample, but its "
            f"population size {name} is {low[h]:g}.",
            where,
            "It counts the units in the population, so it cannot be fewer than were drawn.",
        )
        for h in np.flatnonzero((low == high) & (low < psus))
    ]
    if faults:
        raise StudyError(faults)
    return np.asarray(psus / low)


def units_of(data: Dataset | Cases, design: Design) -> tuple[Units, UnitOf]:
    """The design laid on the cases, and for every part the row of each case in tallies, int32 (n,).

    Raises StudyError for a missing stratum or PSU, for population sizes that vary or are too small, and,
    under `stop`, for strata of one PSU; each is named.

    >>> from even_ballot.core.data.example import ferry
    >>> units, (unit,) = units_of(ferry(), Design(strata=("isle",), clusters=("boat",)))
    >>> units.psus.tolist(), units.degrees_of_freedom, unit.tolist()
    ([2, 2], 2, [0, 0, 1, 2, 2, 3, 3, 3])
    """
    cases = Cases.of(data)
    strata = _answered_groups(cases, design.strata, "design.strata")
    stratum, names = strata.index, _titles(cases.head, design.strata, strata)
    recurring: tuple[str, ...] = ()
    unit = stratum
    if design.clusters:
        clusters = _answered_groups(cases, design.clusters, "design.clusters")
        titles = _titles(cases.head, design.clusters, clusters)
        width = max(len(titles), 1)
        pairs_of = (h * width + i for h, i in zip(stratum, clusters.index, strict=True))
        placed = kept(cases.merge, map(numbered, pairs_of))
        pairs = cases.merge(np.union1d, [found for found, _ in placed])
        unit = kept(cases.merge, (np.searchsorted(pairs, found)[at] for found, at in placed))
        stratum_of = (pairs // width).astype(np.int32)
        psus = np.bincount(stratum_of, minlength=len(names))
        recurring = tuple(titles[c] for c in np.flatnonzero(np.bincount(pairs % width, minlength=width) > 1))
    else:
        stratum_of = np.arange(len(names), dtype=np.int32)
        psus = cases.merge(np.add, [np.bincount(of, minlength=len(names)) for of in stratum])
    psus = psus.astype(np.int64)
    fraction = _population(cases, design, stratum, psus, names)
    units = Units(
        not design.clusters, stratum_of, psus, fraction, tuple(names), design.single_psu, recurring=recurring
    )
    _check_single(units)
    return units, kept(cases.merge, (of.astype(np.int32) for of in unit))


def _check_single(units: Units) -> None:
    single = [units.names[h] for h in np.flatnonzero(units.single)]
    if not single:
        return
    if units.single_psu == "stop":
        have = counted(len(single), "stratum has", "strata have")
        raise fault(
            f"{have} only one first-stage unit: {some(single)}.",
            "design.strata",
            "Combine them with other strata, or say what they contribute: nothing, their distance from the "
            "mean of all units, or the mean of the other strata.",
            write='"single_psu": "add_nothing"',
        )
    if units.single_psu == "mean_of_strata" and len(single) == len(units.psus):
        raise fault(
            "Every stratum has only one first-stage unit, so there is nothing to average.",
            "design.single_psu",
            "Combine strata, or let them contribute their distance from the mean of all.",
            write='"single_psu": "mean_of_units"',
        )


def weights_of(data: Dataset | Cases, name: str | None, where: str = "design.weight") -> Sequence[Floats]:
    """For every part the weight of each case, float64 (n,); 1 each without a variable. Missing and negative
    ones stop.

    >>> from even_ballot.core.data.example import ferry
    >>> weights_of(ferry(), "w")[0][:4].tolist()
    [1.0, 1.0, 2.0, 1.0]
    """
    cases = Cases.of(data)
    if name is None:
        return cases.each(lambda part: np.ones(part.n))
    cases.head.column(name, where)
    kind = cases.head.variable(name).kind
    if kind not in ("number", "coded"):
        raise fault(f"{name} is a {kind}, not a number.", where, "A weight is a number.")
    if rows := cases.records(cases.each(lambda part: ~part.column(name).answered)):
        raise fault(
            f"{name} is missing for {counted(rows.n, 'case')} (records {rows}).",
            where,
            "Fill it in, or set these cases aside.",
        )
    weights = cases.each(lambda part: np.asarray(part.column(name).values, np.float64))
    if rows := cases.records([of < 0 for of in weights]):
        raise fault(
            f"{name} is negative for {counted(rows.n, 'case')} (records {rows}).",
            where,
            "A weight is 0 or more.",
        )
    return weights


def by_case(units: Units, unit: UnitOf, cases: Cases) -> tuple[Units, UnitOf]:
    """The same design where every case that is a PSU of its own has a row of its own: by stratum, then in the
    order of the source.

    >>> from even_ballot.core.data.example import ferry
    >>> cases = Cases.of(ferry())
    >>> units, (unit,) = by_case(*units_of(cases, Design(strata=("isle",))), cases)
    >>> units.rows, unit.tolist()
    (8, [0, 1, 2, 3, 4, 5, 6, 7])
    """
    if not units.own:
        return units, unit
    if not cases.several:
        order = np.argsort(unit[0], kind="stable")
        place = np.empty(len(order), np.int32)
        place[order] = np.arange(len(order), dtype=np.int32)
        return replace(units, own=False, stratum=units.stratum[unit[0][order]], weights=None), (place,)
    bounded(
        cases.n,
        MOST,
        "Margins that fix numbers, and replicates, need a row for each case that is a unit of its own",
        "design",
        "Name the clusters, or rake to categories.",
    )
    rows = cases.each(lambda part: part.rows)
    # Records by stratum, then by their number: one number each, in that order.
    last = 1 + cases.merge(max, [int(of.max(initial=0)) for of in rows])
    numbers = (of * np.int64(last) + row for of, row in zip(unit, rows, strict=True))
    placed = kept(cases.merge, numbers)
    every = np.sort(cases.merge(lambda a, b: np.concatenate([a, b]), placed))
    own = replace(units, own=False, stratum=units.stratum[every // last], weights=None)
    return own, kept(cases.merge, (np.searchsorted(every, of).astype(np.int32) for of in placed))


def apart(units: Units, unit: UnitOf, group: Sequence[NDArray[Any]], merge: Merge) -> tuple[Units, UnitOf]:
    """The same design where cases that are PSUs of their own have a row for each stratum and group; group:
    (n,) for every part.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.numerics.parts import in_order
    >>> cases = Cases.of(ferry())
    >>> group = [np.array([0, 1, 0, 0, 0, 0, 1, 1])]
    >>> units, (unit,) = apart(*units_of(cases, Design(strata=("isle",))), group, in_order)
    >>> units.stratum.tolist(), unit.tolist()
    ([0, 0, 1, 1], [0, 1, 0, 2, 2, 2, 3, 3])
    """
    width = 1 + merge(max, [int(of.max(initial=0)) for of in group])
    keys = (units.stratum[of].astype(np.int64) * width + g for of, g in zip(unit, group, strict=True))
    placed = kept(merge, map(numbered, keys))
    pairs = merge(np.union1d, [found for found, _ in placed])
    rows = replace(units, stratum=(pairs // width).astype(np.int32), weights=None)
    return rows, kept(merge, (np.searchsorted(pairs, found)[at].astype(np.int32) for found, at in placed))
