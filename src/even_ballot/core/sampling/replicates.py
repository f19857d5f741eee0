"""Replicates of a sample, as algebra on sums by first-stage unit, or, where weights change case by case, as a
pass for all of them at once.

V = Σ_r c_r (θ_r − θ)(θ_r − θ)′ (Wolter, 2007).
"""

from abc import ABC, abstractmethod
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.numerics.arrays import Bools, Floats, Ints
from even_ballot.core.numerics.compiled import compiled

EMPTY = 1e-10
"""What a replicate's base is short of this share of the full sample's is rounding: it is empty."""
_FINEST = 10_000


class Replicates(ABC):
    """c: (R,), what the square of each replicate's difference counts. failed: (R,), those that have no
    weights.

    Rows that stand for replicates: row 1 + r is replicate r's total less the full sample's, row 0 what is
    left, so that they add up to the full sample's total.
    """

    c: Floats
    failed: Bools | None = None

    @property
    def count(self) -> int:
        """How many there are."""
        return len(self.c)

    def of_rounding(self, psus: int) -> Floats:
        """What the square of each replicate's terms, |θ_r| + |θ|, counts where a variance is held against
        its rounding, (R,): on average 1/psus, as terms that are summed by PSU are, down to a
        ten-thousandth."""
        whole = float(self.c.sum())
        return self.c / (whole * min(max(psus, 1), _FINEST)) if whole > 0 else self.c

    def differences(self, rows: Floats) -> Floats:
        """Replicate totals less the full sample's, (R, *S), from rows (R + 1, *S)."""
        apart = rows[1:]
        if self.failed is not None and self.failed.any():
            apart = apart.copy()
            apart[self.failed] = np.nan
        return apart

    def totals(self, rows: Floats) -> Floats:
        """Replicate totals (R, *S) from rows (R + 1, *S)."""
        return np.asarray(rows.sum(0) + self.differences(rows))


class ByUnit(Replicates):
    """Replicates that multiply whole PSUs: algebra on sums by PSU."""

    def rows(self, by_unit: Floats) -> Floats:
        """Rows that stand for replicates, (R + 1, *S), from sums by PSU, (P, *S)."""
        apart = self._changes(by_unit.reshape(len(by_unit), -1))
        rows = np.concatenate([(by_unit.sum(0).ravel() - apart.sum(0))[None], apart])
        return rows.reshape(len(rows), *by_unit.shape[1:])

    @abstractmethod
    def _changes(self, by_unit: Floats) -> Floats:
        """Replicate totals less the full sample's, (R, m), from sums by PSU, (P, m)."""

    @abstractmethod
    def factors(self) -> Floats:
        """The factor of each PSU in each replicate, (R, P)."""


class Jackknife(ByUnit):
    """Each PSU left out in turn, the others of its stratum times n_h/(n_h − 1); c = (1 − f_h)(n_h −
    1)/n_h."""

    def __init__(self, stratum: NDArray[np.int32], psus: Ints, fraction: Floats) -> None:
        self.stratum, self.psus = stratum, psus
        self.c = ((1 - fraction) * (psus - 1) / psus)[stratum]

    def _changes(self, by_unit: Floats) -> Floats:
        starts = np.flatnonzero(np.diff(self.stratum, prepend=-1))
        by_stratum = np.add.reduceat(by_unit, starts, axis=0)[self.stratum]
        n = np.maximum(self.psus, 2)[self.stratum][:, None]
        # Strata of one PSU count nothing (c = 0): their replicate is the full sample.
        return np.where((self.psus > 1)[self.stratum][:, None], (by_stratum - n * by_unit) / (n - 1), 0.0)

    def factors(self) -> Floats:
        same = self.stratum[:, None] == self.stratum[None, :]
        several = (self.psus > 1)[self.stratum]
        n = np.maximum(self.psus, 2)[self.stratum][:, None]
        factor = np.where(same & several[:, None], n / (n - 1), 1.0)
        factor[np.arange(len(factor)), np.arange(len(factor))] = np.where(several, 0.0, 1.0)
        return factor


class Factors(ByUnit):
    """Replicates by a factor for each PSU, (R, P)."""

    def __init__(self, factor: Floats, c: Floats) -> None:
        self.factor, self.c = factor, c

    def _changes(self, by_unit: Floats) -> Floats:
        return np.asarray((self.factor - 1) @ by_unit)

    def factors(self) -> Floats:
        return self.factor


def bootstrap(stratum: NDArray[np.int32], psus: Ints, fraction: Floats, count: int, seed: int) -> Factors:
    """Rescaled bootstrap (Rao and Wu, 1988): n_h − 1 PSUs of each stratum drawn with replacement.

    >>> made = bootstrap(np.array([0, 0, 0], np.int32), np.array([3]), np.array([0.0]), 4, seed=1)
    >>> made.factors().shape, bool((made.factors().sum(1) == 3).all())
    ((4, 3), True)
    """
    generator = np.random.default_rng(seed)
    root = np.sqrt(1 - fraction)
    factor = np.ones((count, len(stratum)))
    starts = np.concatenate([[0], np.cumsum(psus)])
    for h, n in enumerate(psus.tolist()):
        if n > 1:
            draws = generator.multinomial(n - 1, np.full(n, 1 / n), size=count)
            factor[:, starts[h] : starts[h + 1]] = 1 - root[h] + root[h] * n / (n - 1) * draws
    return Factors(factor, np.full(count, 1 / count))


def balanced(stratum: NDArray[np.int32], psus: Ints, fraction: Floats, fay: float) -> Factors:
    """Balanced repeated replication for two PSUs a stratum, with Fay's factor: one gets 1 + (1 − ρ)√(1 −
    f_h), the other 1 − (1 − ρ)√(1 − f_h).

    >>> made = balanced(np.array([0, 0, 1, 1], np.int32), np.array([2, 2]), np.zeros(2), fay=0.0)
    >>> made.factors().tolist()
    [[2.0, 0.0, 2.0, 0.0], [0.0, 2.0, 2.0, 0.0], [2.0, 0.0, 0.0, 2.0], [0.0, 2.0, 0.0, 2.0]]
    """
    from scipy.linalg import hadamard  # Takes longer to load than most small studies to run.

    strata = len(psus)
    # The smallest power of two that leaves every stratum a column that is not constant.
    size = 1 << strata.bit_length()
    signs = hadamard(size, np.float64)[:, 1 : strata + 1]
    # A stratum of one PSU is passed over.
    change = np.where(psus == 2, (1 - fay) * np.sqrt(1 - fraction), 0.0)
    first = np.concatenate([[True], np.diff(stratum) != 0])
    side = np.where(first, 1.0, -1.0)
    factor = 1 + signs[:, stratum] * (change[stratum] * side)
    return Factors(factor, np.full(len(signs), 1 / (len(signs) * (1 - fay) ** 2)))


@compiled
def _scatter_columns(cell: Any, y: Any, weights: Any, out: Any) -> None:
    """out[cell] += y · weights, for all replicates of a case at once; weights (n, R)."""
    for k in range(cell.shape[0]):
        c = cell[k]
        if c >= 0:
            for r in range(weights.shape[1]):
                out[c, r] += y[k] * weights[k, r]


@compiled
def _scatter_again(cell: Any, y: Any, cases: Any, stages: Any, out: Any) -> None:
    """The same for weights made again stage by stage: d · factor of the PSU; at each stage · times ·
    factor of its row, between bounds. A case whose weight is 0, or that is in no row, has none."""
    d, psu, index, times = cases
    by_psu, factor, low, high = stages
    for k in range(cell.shape[0]):
        c = cell[k]
        if c >= 0 and d[k] > 0:
            for r in range(by_psu.shape[1]):
                w = d[k] * by_psu[psu[k], r]
                for s in range(index.shape[0]):
                    q = index[s, k]
                    w = w * times[s, k] if q >= 0 else 0.0
                    if w > 0:
                        w = min(max(w * factor[q, r], low[q, r]), high[q, r])
                out[c, r] += y[k] * w


class ByCase(Replicates):
    """Replicates whose weights change case by case: a pass over the cases for all of them at once.

    made: whether they are made anew here, and end at a tolerance of their own.
    """

    def __init__(self, c: Floats, failed: Bools, made: bool = False) -> None:
        self.c, self.failed, self._made = c, failed, made

    def of_rounding(self, psus: int) -> Floats:
        """Raking again stops at its tolerance, which every replicate has anew."""
        return self.c if self._made else super().of_rounding(psus)

    def rows(self, again: Floats, full: Floats) -> Floats:
        """Rows that stand for replicates, (R + 1, cells), of the totals `full`, (cells,), from those of the
        replicates, (cells, R)."""
        apart = again.T - full
        assert self.failed is not None
        apart[self.failed] = 0.0
        return np.vstack([(full - apart.sum(0))[None], apart])


class CaseWeights(ABC):
    """The weights that the cases of a part have in every replicate."""

    @property
    @abstractmethod
    def count(self) -> int:
        """How many replicates there are, R."""

    @abstractmethod
    def add_to(self, cell: Ints, y: Floats, out: Floats) -> None:
        """Adds y times the weights of all replicates to out[cell], (cells, R); cell: (n,), below 0 for cases
        that do not count."""

    @abstractmethod
    def taken(self, cases: Ints) -> "CaseWeights":
        """Those of some cases."""

    def weights_of(self, cases: Ints) -> Floats:
        """The weights of some cases in every replicate, (n, R)."""
        return self.taken(cases).sums(np.arange(len(cases)), None, len(cases))

    def sums(self, cell: Ints, y: Floats | None, cells: int) -> Floats:
        """Σ w y by cell and replicate, (cells, R); y: (n,), what is summed; None: weights alone."""
        out = np.zeros((cells, self.count))
        self.add_to(cell, np.ones(len(cell)) if y is None else y, out)
        return out


@dataclass(frozen=True)
class GivenWeights(CaseWeights):
    """Replicate weights as they were given, (n, R), by rows."""

    weights: Floats

    @property
    def count(self) -> int:
        return int(self.weights.shape[1])

    def taken(self, cases: Ints) -> "GivenWeights":
        return GivenWeights(self.weights[cases])

    def weights_of(self, cases: Ints) -> Floats:
        return self.weights[cases]

    def add_to(self, cell: Ints, y: Floats, out: Floats) -> None:
        _scatter_columns(cell, y, self.weights, out)


@dataclass(frozen=True)
class Stages:
    """What weights made again in every replicate have in common: by_psu: (P, R), what base weights are
    multiplied by; then stage by stage factor, low and high, (rows, R): what a row's weights are multiplied
    by, and their bounds. factor is NaN in a replicate that cannot be made."""

    by_psu: Floats
    factor: Floats
    low: Floats
    high: Floats

    @classmethod
    def none(cls, by_psu: Floats) -> "Stages":
        """Before the first stage."""
        empty = np.zeros((0, by_psu.shape[1]))
        return cls(np.ascontiguousarray(by_psu), empty, empty, empty)

    def then(self, factor: Floats, low: Floats, high: Floats) -> "Stages":
        """With the rows of a stage more."""
        return Stages(
            self.by_psu,
            np.vstack([self.factor, factor]),
            np.vstack([self.low, low]),
            np.vstack([self.high, high]),
        )

    def one(self, replicate: int) -> "Stages":
        """Of one replicate alone."""
        at = slice(replicate, replicate + 1)
        return Stages(
            *(np.ascontiguousarray(x[:, at]) for x in (self.by_psu, self.factor, self.low, self.high))
        )


@dataclass(frozen=True)
class Again(CaseWeights):
    """Weights of a part's cases in the replicates as products: d · by_psu of the PSU, and at each of S stages
    · times · factor of its row, between bounds.

    d: (n,), base weights; psu: (n,). index: (S, n), each case's row of a stage, −1: it has no weight from
    there on; times: (S, n).
    """

    d: Floats
    psu: NDArray[np.int32]
    index: NDArray[np.int32]
    times: Floats
    stages: Stages

    @property
    def count(self) -> int:
        return int(self.stages.by_psu.shape[1])

    def add_to(self, cell: Ints, y: Floats, out: Floats) -> None:
        s = self.stages
        cases, stages = (self.d, self.psu, self.index, self.times), (s.by_psu, s.factor, s.low, s.high)
        _scatter_again(cell, y, cases, stages, out)

    def taken(self, cases: Ints) -> "Again":
        index, times = np.ascontiguousarray(self.index[:, cases]), np.ascontiguousarray(self.times[:, cases])
        return replace(self, d=self.d[cases], psu=self.psu[cases], index=index, times=times)

    def of(self, replicate: int) -> Floats:
        """Every case's weight in one replicate, (n,)."""
        alone = replace(self, stages=self.stages.one(replicate))
        return alone.sums(np.arange(len(self.d)), None, len(self.d))[:, 0]

    def then(self, index: NDArray[np.int32], times: Floats, stages: Stages) -> "Again":
        """With a stage more."""
        return replace(
            self,
            index=np.vstack([self.index, index[None]]),
            times=np.vstack([self.times, times[None]]),
            stages=stages,
        )
