"""A figure's design effect taken apart."""

from collections.abc import Sequence
from copy import copy
from dataclasses import replace

import numpy as np

from even_ballot.core.faults import fault
from even_ballot.core.numerics.arrays import Bools, Floats, Ints
from even_ballot.core.sampling.case_values import covariance, summed
from even_ballot.core.sampling.planning import DeffParts
from even_ballot.core.sampling.sample import Sample
from even_ballot.core.sampling.units import Units
from even_ballot.core.tables.contrasts.columns import column_at
from even_ballot.core.tables.contrasts.combined import Combined
from even_ballot.core.tables.contrasts.figures import StubFigures
from even_ballot.core.tables.results import StubKey
from even_ballot.core.tables.shared import SharedCounts
from even_ballot.core.tables.table_request import Contrast, ContrastTerm, TableRequest

_APART = ("col_pct", "row_pct", "total_pct", "mean")


def _with(sample: Sample, units: Units) -> Sample:
    """The same cases in another design."""
    other = copy(sample)
    other.units = units
    return other


def _whole(sample: Sample) -> Sample:
    """All units in one stratum, of a population without end."""
    units = sample.units
    psus = np.array([units.psus.sum()], np.int64)
    one = replace(
        units, stratum=np.zeros_like(units.stratum), psus=psus, fraction=np.zeros(1), names=("all",)
    )
    return _with(sample, one)


class _Figure:
    """One figure on the cases."""

    def __init__(self, combined: Combined, at: int, inside: Sequence[Bools]) -> None:
        self.combined, self.at, self.inside = combined, at, inside
        self.sample = combined.sample
        self.est, self.below = float(combined.theta[0, at]), float(combined.below[0, at])

    def z(self, number: int, at: Ints) -> Floats:
        return self.combined.linearised(number, at)[:, [self.at]]

    def variance(self, sample: Sample) -> float:
        return float(covariance(sample, self.inside, self.z, 1)[0, 0])

    def sums(self) -> Floats:
        """Of the cases of its base: n, Σ w, Σ w², Σ (w z)², and S² Σ w."""

        def of(number: int, at: Ints) -> Floats:
            w = self.sample.parts[number].weight[at]
            _, base = next(self.combined.each(number, at))
            w = w * (base[:, self.at] > 0)
            f = w * self.z(number, at)[:, 0]
            deviation = self.z(number, at)[:, 0] * self.below
            return np.array([(w > 0).sum(), w.sum(), w @ w, f @ f, w @ deviation**2])

        return summed(self.sample, self.inside, of, (5,))

    def by_unit(self) -> Floats:
        """Σ w of its base by unit, (rows,)."""

        def of(number: int, at: Ints) -> Floats:
            part = self.sample.parts[number]
            _, base = next(self.combined.each(number, at))
            w = part.weight[at] * (base[:, self.at] > 0)
            return np.bincount(part.unit[at], weights=w, minlength=self.sample.units.rows).astype(np.float64)

        return summed(self.sample, self.inside, of, (self.sample.units.rows,))


def design_effect(
    shared: SharedCounts, request: TableRequest, stub: StubKey, stat: str, at: dict[str, int], where: str = ""
) -> DeffParts:
    """The design effect of a share or mean as a product, by linearisation, whatever method the design has.
    at: the column, {} for the total. Raises StudyError where there is nothing to take apart.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> shared = SharedCounts(sampled(ferry(), Design(clusters=("boat",)), "w"))
    >>> request = TableRequest(id="t", stub=("age",), show=("mean",))
    >>> parts = design_effect(shared, request, StubKey("age"), "mean", {})
    >>> round(parts.weights * parts.clusters * parts.strata - parts.deff, 12)
    0.0
    """
    domain = shared.domain(request.where, f"{where}.where")
    asked = request.model_copy(update={"show": (stat,), "where": None})
    figures = StubFigures(shared, asked, stub.variable, where) if stat in _APART else None
    row = next((i for i, of in enumerate(figures.rows) if of.key == stub), None) if figures else None
    if figures is None or row is None:
        raise fault("Only shares and means have a design effect.", where, "Choose another figure.")
    column = column_at(shared, request, at, f"{where}.at")
    contrast = Contrast(label="figure", of=(ContrastTerm(at=at, times=1),))
    figure = _Figure(Combined(shared, figures, [column], contrast, domain.who), row, domain.who)
    n, w, w2, f2, squares = figure.sums().tolist()
    plain = squares / w / (n - 1) if n > 1 and w > 0 else 0.0
    if not plain > 0:
        raise fault("This figure does not vary, so that it has no design effect.", where, "Choose another.")
    bare = _with(shared.sample, replace(shared.sample.units, residuals=None, replicates=None))
    single, final = f2 * n / (n - 1), figure.variance(shared.sample)
    endless = _with(bare, replace(bare.units, fraction=np.zeros_like(bare.units.fraction)))
    clustered = single if bare.units.own else figure.variance(_whole(bare))
    stratified, drawn = figure.variance(endless), figure.variance(bare)
    if not min(single, clustered, stratified, drawn) > 0:
        raise fault(
            "The variance of this figure cannot be estimated under the design.", where, "Choose another."
        )
    per_unit = 1.0 if bare.units.own else float((figure.by_unit() ** 2).sum()) / w2
    rho = (clustered / single - 1) / (per_unit - 1) if per_unit > 1 + 1e-9 else None
    return DeffParts(
        figure.est,
        int(n),
        final / plain,
        n * w2 / w**2,
        single / plain,
        clustered / single,
        stratified / clustered,
        drawn / stratified,
        final / drawn,
        per_unit,
        rho,
        plain * n,
    )
