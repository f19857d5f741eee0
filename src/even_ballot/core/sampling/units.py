"""The design laid on cases: first-stage units by stratum, their fractions, and the weight of each case."""

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.data.dataset import Dataset
from even_ballot.core.faults import Fault, StudyError, counted, fault, some
from even_ballot.core.numerics.arrays import Floats
from even_ballot.core.sampling.design import Design, SinglePsu
from even_ballot.core.sampling.replicates import Replicates
from even_ballot.core.sampling.residuals import Residuals


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
    """The design of a set of cases.

    unit: int32 (n,), each case's row in the tallies: its PSU, or, where every case is a PSU of its own
    (`own`), a group of cases of one stratum. stratum: int32 (rows,), of each row, ascending. psus: int64
    (strata,), n_h. fraction: float64 (strata,), f_h. names: of the strata, for messages. replicates: how
    variances are made, where not by linearisation. residuals: what takes the raking into account, where
    linearisation does. df: degrees of freedom where they are not PSUs less strata. recurring: names of
    clusters that stand in more than one stratum, and are different units there. weights: where every case
    is a PSU.
    """

    unit: NDArray[np.int32]
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

    def weighed(self, weight: Floats) -> "Units":
        """The same design with the weights of its units, where every case is a PSU of its own; weight:
        (n,)."""
        if not self.own or self.weights is not None:
            return self
        there = weight > 0
        unit, w = self.unit[there], weight[there]
        n = np.bincount(unit, minlength=self.rows).astype(np.float64)
        centre = np.bincount(unit, weights=w, minlength=self.rows) / np.maximum(n, 1)
        d = w - centre[unit]
        d1, d2 = (np.bincount(unit, weights=x, minlength=self.rows).astype(np.float64) for x in (d, d * d))
        return replace(self, weights=UnitWeights(n, centre, d1, d2))

    def by_case(self) -> "Units":
        """The same design where every case that is a PSU of its own has a row of its own."""
        if not self.own:
            return self
        order = np.argsort(self.unit, kind="stable")
        unit = np.empty(len(order), np.int32)
        unit[order] = np.arange(len(order), dtype=np.int32)
        return replace(self, unit=unit, own=False, stratum=self.stratum[self.unit[order]], weights=None)

    def apart(self, group: NDArray[np.int64]) -> "Units":
        """The same design where cases that are PSUs of their own have a row for each stratum and group,
        (n,)."""
        stratum = self.stratum[self.unit].astype(np.int64)
        width = int(group.max(initial=0)) + 1
        pairs, unit = np.unique(stratum * width + group, return_inverse=True)
        return replace(
            self, unit=unit.ravel().astype(np.int32), stratum=(pairs // width).astype(np.int32), weights=None
        )

    @cached_property
    def single(self) -> NDArray[np.bool_]:
        """Strata of one PSU that would have a variance: those not taken whole."""
        return np.asarray((self.psus == 1) & (self.fraction < 1))

    @cached_property
    def factor(self) -> Floats:
        """(1 − f_h) n_h/(n_h − 1) by stratum, 0 where n_h is 1."""
        n = self.psus
        return np.where(n > 1, (1 - self.fraction) * n / np.maximum(n - 1, 1), 0.0)

    @cached_property
    def inflation(self) -> float:
        """What `average` multiplies the other strata's sum by."""
        if self.single_psu != "average":
            return 1.0
        return len(self.psus) / max(len(self.psus) - int(self.single.sum()), 1)


def _grouped(data: Dataset, names: tuple[str, ...], where: str) -> tuple[NDArray[np.int64], list[str]]:
    """Group numbers of cases by one or several variables, and the groups' names; missing values stop."""
    if not names:
        return np.zeros(data.n, np.int64), ["all"]
    keys, spelled = [], []
    for name in names:
        column, variable = data.column(name, where), data.variable(name)
        lost = ~column.answered
        if lost.any():
            rows = some([int(r) for r in data.rows[lost]])
            raise fault(
                f"{name} is missing for {counted(int(lost.sum()), 'case')} (records {rows}).",
                where,
                "Fill it in, or set these cases aside.",
            )
        values, index = np.unique(column.values, return_inverse=True)
        keys.append(index.ravel())
        if variable.kind == "text":
            spelled.append([column.words[int(v)] for v in values])
        else:
            scale = data.scale_of(name)
            labels = {c.code: c.label for c in scale.codes} if scale else {}
            spelled.append([labels.get(int(v), f"{v:g}") for v in values])
    combined = keys[0]
    for key, names_of in zip(keys[1:], spelled[1:], strict=True):
        combined = combined * len(names_of) + key
    found, index = np.unique(combined, return_inverse=True)
    titles = []
    for value in found.tolist():
        parts = []
        for names_of in reversed(spelled):
            value, at = divmod(value, len(names_of))
            parts.append(names_of[at])
        titles.append(" · ".join(reversed(parts)))
    return index.ravel().astype(np.int64), titles


def _population(
    data: Dataset, design: Design, stratum: NDArray[np.int64], psus: NDArray[np.int64], names: list[str]
) -> Floats:
    """f_h by stratum; 0 where no population size is given."""
    if design.population_size is None:
        return np.zeros(len(psus))
    where = "design.population_size"
    column = data.column(design.population_size, where)
    if data.variable(design.population_size).kind not in ("number", "coded"):
        raise fault(f"{design.population_size} is no number.", where, "Read it as a number first.")
    if not column.answered.all():
        rows = some([int(r) for r in data.rows[~column.answered]])
        raise fault(
            f"{design.population_size} is missing for records {rows}.", where, "Fill it in for every case."
        )
    sizes = column.values.astype(np.float64)
    low, high = np.full(len(psus), np.inf), np.full(len(psus), -np.inf)
    np.minimum.at(low, stratum, sizes)
    np.maximum.at(high, stratum, sizes)
    faults = [
        Fault(
            f"{design.population_size} varies in stratum {names[h]}: {low[h]:g} to {high[h]:g}.",
            where,
            "It must be one number.",
        )
        for h in np.flatnonzero(low != high)
    ]
    faults += [
        Fault(
            f"Stratum {names[h]} holds {psus[h]} first-stage units, but {design.population_size} says "
            f"{low[h]:g}.",
            where,
            "It counts the units in the population, so it cannot be fewer than were drawn.",
        )
        for h in np.flatnonzero((low == high) & (low < psus))
    ]
    if faults:
        raise StudyError(faults)
    return np.asarray(psus / low)


def units_of(data: Dataset, design: Design) -> Units:
    """The design laid on the cases.

    Raises StudyError for a missing stratum or PSU, for population sizes that vary or are too small, and,
    under `refuse`, for strata of one PSU; each is named.
    """
    stratum, names = _grouped(data, design.strata, "design.strata")
    recurring: tuple[str, ...] = ()
    if design.clusters:
        cluster, titles = _grouped(data, design.clusters, "design.clusters")
        width = int(cluster.max(initial=0)) + 1
        pairs, unit = np.unique(stratum * width + cluster, return_inverse=True)
        stratum_of = (pairs // width).astype(np.int32)
        psus = np.bincount(stratum_of, minlength=len(names))
        recurring = tuple(titles[c] for c in np.flatnonzero(np.bincount(pairs % width, minlength=width) > 1))
    else:
        unit, stratum_of = stratum, np.arange(len(names), dtype=np.int32)
        psus = np.bincount(stratum, minlength=len(names))
    psus = psus.astype(np.int64)
    fraction = _population(data, design, stratum, psus, names)
    units = Units(
        unit.ravel().astype(np.int32),
        not design.clusters,
        stratum_of,
        psus,
        fraction,
        tuple(names),
        design.single_psu,
        recurring=recurring,
    )
    _check_single(units)
    return units


def _check_single(units: Units) -> None:
    single = [units.names[h] for h in np.flatnonzero(units.single)]
    if not single:
        return
    if units.single_psu == "refuse":
        raise fault(
            f"{len(single)} {'stratum has' if len(single) == 1 else 'strata have'} one first-stage unit "
            f"only: {some(single)}.",
            "design.strata",
            "Join them to others, or say what they contribute: certainty, centre or average.",
            write='"single_psu": "certainty"',
        )
    if units.single_psu == "average" and len(single) == len(units.psus):
        raise fault(
            "Every stratum has one first-stage unit only, so there is nothing to average.",
            "design.single_psu",
            "Join strata, or let them contribute their distance from the mean of all.",
            write='"single_psu": "centre"',
        )


def weights_of(data: Dataset, name: str | None, where: str = "design.weight") -> Floats:
    """The weight of every case, float64 (n,); 1 each without a variable. Missing and negative ones stop."""
    if name is None:
        return np.ones(data.n)
    column = data.column(name, where)
    if data.variable(name).kind not in ("number", "coded"):
        raise fault(f"{name} is a {data.variable(name).kind}, not a number.", where, "A weight is a number.")
    if not column.answered.all():
        lost = data.rows[~column.answered]
        raise fault(
            f"{name} is missing for {counted(len(lost), 'case')} (records {some(lost.tolist())}).",
            where,
            "Fill it in, or set these cases aside.",
        )
    weights = np.asarray(column.values, np.float64)
    if weights.min(initial=0) < 0:
        rows = data.rows[weights < 0]
        raise fault(
            f"{name} is negative for {counted(len(rows), 'case')} (records {some(rows.tolist())}).",
            where,
            "A weight is 0 or more.",
        )
    return weights
