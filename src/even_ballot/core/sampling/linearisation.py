"""Linearised values of estimates, summed by unit; where variances come from replicates, the replicates'
differences."""

from abc import ABC, abstractmethod
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from even_ballot.core.numerics.arrays import Floats


@dataclass(frozen=True)
class LoneCases:
    """Cases that are PSUs of their own, by unit and estimate, each of a value f = w z = u + e w that enters a
    variance.

    u sums to 0. n: how many; e; w: their mean weight; uu, uw, ww: centred sums of squares and products.
    All (U, m). d1, d2: Σ d and Σ d², d = w − the mean weight of the unit, which add up over cases.
    """

    n: Floats
    e: Floats
    w: Floats
    uu: Floats
    uw: Floats
    ww: Floats
    d1: Floats
    d2: Floats

    @property
    def f(self) -> Floats:
        """The mean of f."""
        return self.e * self.w

    @property
    def ff(self) -> Floats:
        """Σ (f − its mean)²."""
        return np.asarray(np.maximum(self.uu + 2 * self.e * self.uw + self.e**2 * self.ww, 0))

    def less(self, fitted: Floats) -> "LoneCases":
        """With z less a value that they share, (U, m)."""
        return replace(self, e=self.e - fitted)


class CaseGroup(ABC):
    """Cases of one domain, by unit; z is of one form in it."""

    @abstractmethod
    def at(self, *index: Any) -> "CaseGroup":
        """Some of the estimates, by an index of S."""

    @abstractmethod
    def flat(self) -> "CaseGroup":
        """The same with S as one axis."""

    @abstractmethod
    def negative(self) -> "CaseGroup":
        """The same with −z for z."""

    @abstractmethod
    def cases(self, centre: Floats) -> LoneCases:
        """Its cases; centre: (U,), the mean weight of each unit."""


def in_thirds(own: Floats) -> tuple[Floats, Floats, Floats]:
    """Counts, Σ d and Σ d² by unit, (U, *S) each, from the three below one another, (3 U, *S).

    >>> n, d1, d2 = in_thirds(np.array([[2.0], [0.5], [0.3]]))
    >>> n.tolist(), d1.tolist(), d2.tolist()
    ([[2.0]], [[0.5]], [[0.3]])
    """
    n, d1, d2 = own.reshape(3, -1, *own.shape[1:])
    return n, d1, d2


def _each(x: Floats, like: Floats) -> Floats:
    """(U,) beside (U, *S)."""
    return x.reshape(-1, *(1,) * (like.ndim - 1))


def weights_in(own: Floats, centre: Floats) -> Floats:
    """Σ w by unit, (U, *S), from counts, Σ d and Σ d², (3 U, *S).

    >>> weights_in(np.array([[2.0], [0.5], [0.3]]), np.array([1.0])).tolist()
    [[2.5]]
    """
    n, d1, _ = in_thirds(own)
    return np.asarray(n * _each(centre, n) + d1)


def squares_in(own: Floats, centre: Floats) -> Floats:
    """Σ w² by unit, (U, *S), likewise.

    >>> squares_in(np.array([[2.0], [0.5], [0.3]]), np.array([1.0])).round(4).tolist()
    [[3.3]]
    """
    n, d1, d2 = in_thirds(own)
    c = _each(centre, n)
    return np.asarray((n * c + 2 * d1) * c + d2)


@dataclass(frozen=True)
class Alike(CaseGroup):
    """Cases that share a value z: own: (3 U, *S), their counts, Σ d and Σ d²; z: broadcast to S."""

    own: Floats
    z: Floats

    def at(self, *index: Any) -> "Alike":
        z = np.broadcast_to(self.z, self.own.shape[1:])
        return Alike(self.own[(slice(None), *index)], z[index])

    def flat(self) -> "Alike":
        z = np.broadcast_to(self.z, self.own.shape[1:])
        return Alike(self.own.reshape(len(self.own), -1), z.ravel())

    def negative(self) -> "Alike":
        return Alike(self.own, -self.z)

    def cases(self, centre: Floats) -> LoneCases:
        n, d1, d2 = in_thirds(self.own)
        each = d1 / np.maximum(n, 1)
        w = np.where(n > 0, _each(centre, n) + each, 0.0)
        ww = np.maximum(d2 - d1 * each, 0)
        none = np.zeros_like(ww)
        return LoneCases(n, np.broadcast_to(self.z, w.shape), w, none, none, ww, d1, d2)


@dataclass(frozen=True)
class Varied(CaseGroup):
    """Cases whose z = times · (y − from): moments: (6, U, *S), `Moments.own`; rho: from − shift; times,
    rho: of shape S."""

    moments: Floats
    rho: Floats
    times: Floats

    def at(self, *index: Any) -> "Varied":
        return Varied(self.moments[(slice(None), slice(None), *index)], self.rho[index], self.times[index])

    def flat(self) -> "Varied":
        return Varied(self.moments.reshape(*self.moments.shape[:2], -1), self.rho.ravel(), self.times.ravel())

    def negative(self) -> "Varied":
        return replace(self, times=-self.times)

    def cases(self, centre: Floats) -> LoneCases:
        n, w, level, ww, uw, uu = self.moments
        apart = np.where(n > 0, w - _each(centre, n), 0.0)
        e = np.where(n > 0, self.times * (level - self.rho), 0.0)
        return LoneCases(n, e, w, self.times**2 * uu, self.times * uw, ww, n * apart, ww + n * apart**2)


@dataclass(frozen=True)
class Linear:
    """What the variances of estimates of any shape S, and of differences between them, are made of.

    totals: float64 (U, *S), Σ w z by unit, or θ_r − θ by replicate. terms: (U, *S), the same of all terms
    of z taken absolutely (by replicate likewise; where every case is its own PSU, the root of Σ of their
    squares): a variance that is no more than their rounding is 0. groups: where every case is its own PSU,
    the cases whose z is not 0.
    """

    totals: Floats
    terms: Floats
    groups: tuple[CaseGroup, ...] = ()

    def minus(self, other: "Linear") -> "Linear":
        """Of differences between estimates whose domains have no case in common."""
        terms = np.hypot(self.terms, other.terms) if self.groups else self.terms + other.terms
        groups = (*self.groups, *(group.negative() for group in other.groups))
        return Linear(self.totals - other.totals, np.asarray(terms), groups)

    def at(self, *index: Any) -> "Linear":
        """Some of the estimates, by an index of S."""
        here = (slice(None), *index)
        return Linear(self.totals[here], self.terms[here], tuple(group.at(*index) for group in self.groups))

    def flat(self) -> "Linear":
        """The same with S as one axis."""
        groups = tuple(group.flat() for group in self.groups)
        return Linear(
            self.totals.reshape(len(self.totals), -1), self.terms.reshape(len(self.terms), -1), groups
        )
