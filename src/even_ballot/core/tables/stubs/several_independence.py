"""Independence of a several-answer question and a banner variable: what each case chose, laid out for its
test."""

from collections.abc import Iterator

import numpy as np

from even_ballot.core.estimation.independence import Independence, of_several_answers
from even_ballot.core.estimation.intervals import EDGE
from even_ballot.core.numerics.arrays import Floats, Ints
from even_ballot.core.sampling.case_values import (
    absolute_moments,
    covariance,
    replicate_covariance,
    replicate_sums,
    summed,
)
from even_ballot.core.sampling.replicates import EMPTY
from even_ballot.core.tables.banner import BannerColumns
from even_ballot.core.tables.stubs.counts import several
from even_ballot.core.tables.stubs.domain import Domain
from even_ballot.core.tables.table_request import TableRequest

_ROUNDING, _NOTHING = 1e-20, 1e-30


class _Chosen:
    """J options by C columns of the cases that answered both: each case has its column, (n,), and its
    options, (n, J)."""

    def __init__(self, domain: Domain, name: str, over: BannerColumns, where: str) -> None:
        self.sample = domain.sample
        found = self.sample.each(lambda part: several(part.data, name, where))
        self.width = over.columns
        place = np.full(over.columns + 1, -1)
        place[: over.columns] = np.arange(over.columns)
        self.column = tuple(place[index] for index in over.index)
        self.chosen = tuple(np.stack(of.chosen, 1) for of in found)
        self.who = tuple(
            who & of.answered & (column >= 0)
            for who, of, column in zip(domain.who, found, self.column, strict=True)
        )
        options, columns = self.chosen[0].shape[1], over.columns
        w = summed(self.sample, self.who, self._weighted, (options + 1, columns))
        self.n = self.sample.count(self.who)
        # A weight that raking has driven to nothing is none.
        filled = w[-1] > _NOTHING * w[-1].sum()
        with np.errstate(all="ignore"):
            whole = w[:-1].sum(1) / w[-1].sum()
        some = (whole > EDGE) & (whole < 1 - EDGE)
        # Options that nobody or everybody chose, and columns without a case, have no part in it.
        self.options, self.columns = np.flatnonzero(some), np.flatnonzero(filled)
        self.place = np.full(columns, -1)
        self.place[self.columns] = np.arange(len(self.columns))
        self.w = w[-1, self.columns]
        self.sums = w[self.options][:, self.columns]
        with np.errstate(all="ignore"):
            self.shares = self.sums / self.w

    def _weighted(self, number: int, at: Ints) -> Floats:
        w, column = self.sample.parts[number].weight[at], self.column[number][at]
        chosen = self.chosen[number][at]
        total = np.zeros((chosen.shape[1] + 1, self.width))
        for j in range(chosen.shape[1]):
            total[j] = np.bincount(column, w * chosen[:, j], total.shape[1])
        total[-1] = np.bincount(column, w, total.shape[1])
        return total

    def _inside(self, number: int, at: Ints) -> tuple[Floats, Floats]:
        """Which column each case is in, (n, C), and what it chose, (n, J)."""
        column = self.place[self.column[number][at]]
        inside = (column[:, None] == np.arange(len(self.columns))).astype(np.float64)
        return inside, self.chosen[number][at][:, self.options].astype(np.float64)

    def linearised(self, number: int, at: Ints, absolute: bool = False) -> Floats:
        """z of p_jc − p_j, (n, J · C); absolute: the terms that it is made of, taken absolutely."""
        inside, x = self._inside(number, at)
        own, whole = self.shares, self.sums.sum(1) / self.w.sum()
        if absolute:
            first = inside[:, None, :] / self.w * (x[:, :, None] + own)
            second = (x + whole) / self.w.sum()
            return np.asarray((first + second[:, :, None]).reshape(len(at), own.size))
        first = inside[:, None, :] / self.w * (x[:, :, None] - own)
        second = (x - whole) / self.w.sum()
        return np.asarray((first - second[:, :, None]).reshape(len(at), own.size))

    def covariance(self) -> Floats:
        """Of p_jc − p_j, (J · C, J · C); what is only rounding is 0."""
        size, units = self.shares.size, self.sample.units
        if units.replicates is None:
            found = covariance(self.sample, self.who, self.linearised, size)
            most = absolute_moments(
                self.sample, self.who, self.linearised, lambda p, at: self.linearised(p, at, True), size
            )
            return _unless_rounding(found, most)
        j, columns = self.shares.shape

        def values(number: int, at: Ints) -> Floats:
            inside, x = self._inside(number, at)
            both = (x[:, :, None] * inside[:, None]).reshape(len(at), j * columns)
            return np.concatenate([both, inside], 1)

        sums = replicate_sums(self.sample, self.who, values, (j + 1) * columns).reshape(-1, j + 1, columns)
        with np.errstate(all="ignore"):
            w = np.where(sums[:, -1:] > EMPTY * self.w, sums[:, -1:], np.nan)
            shares, whole = sums[:, :-1] / w, sums[:, :-1].sum(-1, keepdims=True) / w.sum(-1, keepdims=True)
            apart = shares - whole
            full = self.shares - (self.sums.sum(1) / self.w.sum())[:, None]
        c, size = units.replicates.of_rounding(int(units.psus.sum())), 2 * (shares + whole) + np.abs(full)
        again = apart.reshape(len(apart), -1)
        found = replicate_covariance(units.replicates, again, full.ravel())
        return _unless_rounding(found, c @ size.reshape(len(apart), -1) ** 2)


def _unless_rounding(found: Floats, most: Floats) -> Floats:
    """A covariance matrix without what is only rounding of it. most: variances of terms taken absolutely."""
    none = np.diag(found) <= _ROUNDING * most
    found[none], found[:, none] = 0.0, 0.0
    return found


def several_independence(
    domain: Domain, request: TableRequest, name: str, over: BannerColumns, where: str = "stub[0]"
) -> Iterator[Independence]:
    """The test of a several-answer question against a banner variable, where there is one.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> from even_ballot.core.tables.shared import SharedCounts
    >>> request = TableRequest(id="t", stub=("why",), banner=("isle",), tests=("independence",))
    >>> shared = SharedCounts(sampled(ferry(), Design(), "w"))
    >>> over = shared.columns_of(("isle",), request, "banner[0]", "tables[0]")
    >>> [round(test.p, 3) for test in several_independence(shared.domain(None, ""), request, "why", over)]
    [0.614]
    """
    names = over.heading.variables
    if "independence" not in request.tests or len(names) != 1:
        return
    of = _Chosen(domain, name, over, where)
    if min(len(of.options), len(of.columns) - 1) < 1:
        return
    columns = of.w / of.w.sum()
    found = of_several_answers(of.shares, columns, of.covariance(), of.n, domain.units.degrees_of_freedom)
    if found is not None:
        yield Independence(name, names, *found)
