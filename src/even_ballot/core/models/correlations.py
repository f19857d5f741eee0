"""Correlations of numbers or codes, pair by pair: Pearson's, and Spearman's of weighted mid-ranks, with their
design-based errors; intervals by Fisher's transformation."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import combinations
from typing import Any

import numpy as np
import scipy
from numpy.typing import NDArray

from even_ballot.core.faults import fault
from even_ballot.core.models.model_request import CorrelationsRequest
from even_ballot.core.models.results import FIXED, CorrelationsResult, PairResult, two_sided
from even_ballot.core.models.terms import Measured, complete, constant, measured
from even_ballot.core.numerics.arrays import Bools, Floats, Ints
from even_ballot.core.numerics.grouping import numbered
from even_ballot.core.numerics.parts import Merge, plus
from even_ballot.core.sampling.case_values import (
    ReplicateWeights,
    covariance,
    replicate_covariance,
    replicate_sums,
    summed,
)
from even_ballot.core.sampling.replicates import EMPTY
from even_ballot.core.sampling.sample import Sample

_WHOLE = 1e-12


@dataclass(frozen=True)
class _Pair:
    """Two variables over the cases that answered both. a, b: for every part (n,)."""

    sample: Sample
    inside: tuple[Bools, ...]
    a: tuple[NDArray[Any], ...]
    b: tuple[NDArray[Any], ...]

    def moments(self) -> tuple[float, Floats, Floats]:
        """Σ w, the means (2,), and the covariance matrix, (2, 2)."""

        def both(number: int, at: Ints) -> Floats:
            return np.stack([self.a[number][at], self.b[number][at]], 1).astype(np.float64)

        def first(number: int, at: Ints) -> Floats:
            w = self.sample.parts[number].weight[at]
            return np.concatenate([w.sum(keepdims=True), w @ both(number, at)])

        sums = summed(self.sample, self.inside, first, (3,))
        means = sums[1:] / sums[0]

        def second(number: int, at: Ints) -> Floats:
            d = both(number, at) - means
            return np.asarray((d * self.sample.parts[number].weight[at, None]).T @ d)

        return float(sums[0]), means, summed(self.sample, self.inside, second, (2, 2)) / sums[0]

    def standardised(self, means: Floats, s: Floats, number: int, at: Ints) -> tuple[Floats, Floats]:
        """u and v of some cases."""
        u = (self.a[number][at] - means[0]) / np.sqrt(s[0, 0])
        v = (self.b[number][at] - means[1]) / np.sqrt(s[1, 1])
        return u, v

    @property
    def constant(self) -> bool:
        """Whether one of the two has one value only."""

        return any(constant(self.sample, values, self.inside) for values in (self.a, self.b))


def _r(s: Floats) -> Floats:
    """Correlations of covariance matrices, (…, 2, 2)."""
    with np.errstate(all="ignore"):
        product = s[..., 0, 0] * s[..., 1, 1]
        return np.asarray(s[..., 0, 1] / np.sqrt(np.where(product > 0, product, np.nan)))


def _pearson(pair: _Pair) -> tuple[float, float]:
    """r and its variance."""
    whole, means, s = pair.moments()
    r, replicates = float(_r(s)), pair.sample.units.replicates

    def z(number: int, at: Ints) -> Floats:
        u, v = pair.standardised(means, s, number, at)
        return np.asarray((u * v - r * (u**2 + v**2) / 2) / whole)[:, None]

    if replicates is None:
        return r, float(covariance(pair.sample, pair.inside, z, 1)[0, 0])

    def values(number: int, at: Ints) -> Floats:
        u, v = pair.standardised(means, s, number, at)
        return np.stack([np.ones(len(u)), u, v, u * u, v * v, u * v], 1)

    sums = replicate_sums(pair.sample, pair.inside, values, 6)
    with np.errstate(all="ignore"):
        _, u, v, uu, vv, uv = np.where(sums[:, :1] > 1e-11 * whole, sums / sums[:, :1], np.nan).T
        uu, vv, uv = uu - u * u, vv - v * v, uv - u * v
        enough = (uu > 1e-20) & (vv > 1e-20)
        again = np.where(enough, uv / np.sqrt(np.where(enough, uu * vv, 1)), np.nan)
    return r, float(replicate_covariance(replicates, again[:, None], np.array([r]))[0, 0])


class _Ranked:
    """A variable's values by their order: for every part the place of each case among the distinct ones of
    all parts, (n,)."""

    def __init__(self, values: Sequence[NDArray[Any]], merge: Merge) -> None:
        seen = [numbered(of) for of in values]
        found = merge(np.union1d, [distinct for distinct, _ in seen])
        self.place = [np.searchsorted(found, distinct)[at] for distinct, at in seen]
        self.size, self.merge = len(found), merge

    def by_value(self, w: Sequence[Floats]) -> Floats:
        """Σ w of each distinct value; w: for every part, (n,)."""
        seen = [
            np.bincount(at, weights=of, minlength=self.size) for at, of in zip(self.place, w, strict=True)
        ]
        return self.merge(np.add, seen).astype(np.float64)

    def ranks(self, w: Sequence[Floats]) -> list[Floats]:
        """For every part weighted mid-ranks over Σ w, (n,)."""
        at = self.by_value(w)
        of_value = (np.cumsum(at) - at / 2) / at.sum()
        return [of_value[place] for place in self.place]

    def above(self, g: Sequence[Floats], ranks: Sequence[Floats]) -> list[Floats]:
        """For every part Σ_j g_j (ψ(x_k, x_j) − R_j) for every case k, (n,)."""
        at = self.by_value(g)
        higher = at.sum() - np.cumsum(at) + at / 2
        less = self.merge(plus, [float(x @ y) for x, y in zip(g, ranks, strict=True)])
        return [higher[place] - less for place in self.place]


def _centred(a: _Ranked, b: _Ranked, w: Sequence[Floats]) -> tuple[list[Floats], Floats]:
    """For every part ranks of both less their means, (2, n), and the sums of their products, (2, 2)."""
    ranks = [np.stack(of) for of in zip(a.ranks(w), b.ranks(w), strict=True)]
    first = [np.append(of @ x, x.sum()) for of, x in zip(ranks, w, strict=True)]
    sums = a.merge(np.add, first)
    d = [of - (sums[:2] / sums[2])[:, None] for of in ranks]
    return d, a.merge(np.add, [(of * x) @ of.T for of, x in zip(d, w, strict=True)])


def _spearman(pair: _Pair) -> tuple[float, float]:
    """r of mid-ranks and its variance."""
    sample = pair.sample
    a, b = (
        _Ranked([of[which] for of, which in zip(values, pair.inside, strict=True)], sample.merge)
        for values in (pair.a, pair.b)
    )
    w = [part.weight[which] for part, which in zip(sample.parts, pair.inside, strict=True)]
    d, products = _centred(a, b, w)
    whole = sample.merge(plus, [float(of.sum()) for of in w])
    r, replicates = float(_r(products)), sample.units.replicates
    if replicates is not None:
        again = []
        for of in _replicates_of(pair):
            there = sample.merge(plus, [float(x.sum()) for x in of])
            again.append(float(_r(_centred(a, b, of)[1])) if there > EMPTY * whole else np.nan)
        return r, float(replicate_covariance(replicates, np.array(again)[:, None], np.array([r]))[0, 0])
    spread = np.sqrt(np.diag(products) / whole)
    u, v = ([of[k] / spread[k] for of in d] for k in (0, 1))
    z = [x * y - r * (x**2 + y**2) / 2 for x, y in zip(u, v, strict=True)]
    for k, (ranked, own, other) in enumerate(((a, u, v), (b, v, u))):
        g = [of * (y - r * x) for of, x, y in zip(w, own, other, strict=True)]
        found = ranked.above(g, ranked.ranks(w))
        z = [of + more / (spread[k] * whole) for of, more in zip(z, found, strict=True)]
    laid = []
    for which, values in zip(pair.inside, z, strict=True):
        full = np.zeros(len(which))
        full[which] = values / whole
        laid.append(full)
    return r, float(covariance(sample, pair.inside, lambda p, at: laid[p][at, None], 1)[0, 0])


def _replicates_of(pair: _Pair) -> Iterator[list[Floats]]:
    """For every part the weights of the pair's cases in each replicate, (n,)."""
    replicates = pair.sample.units.replicates
    assert replicates is not None
    failed, step = replicates.failed, 64
    for start in range(0, replicates.count, step):
        weights = ReplicateWeights(pair.sample, slice(start, start + step))
        seen = [weights.of(p, np.flatnonzero(which)) for p, which in enumerate(pair.inside)]
        for k in range(seen[0].shape[1]):
            gone = failed is not None and failed[start + k]
            yield [np.zeros(len(of)) if gone else of[:, k] for of in seen]


def _told(pair: _Pair, names: tuple[str, str], request: CorrelationsRequest) -> PairResult:
    n = pair.sample.count(pair.inside)
    bare = PairResult(*names, n)
    if n == 0 or pair.constant:
        return bare
    r, variance = (_pearson if request.method == "pearson" else _spearman)(pair)
    df = pair.sample.units.degrees_of_freedom
    if not np.isfinite(r):
        return bare
    if df < 1:
        return PairResult(*names, n, r)
    if abs(r) >= 1 - _WHOLE:
        return PairResult(*names, n, r, 0.0, r, r)
    if not np.isfinite(variance):
        return PairResult(*names, n, r)
    if variance <= FIXED * r**2:
        return PairResult(*names, n, r, 0.0, r, r)
    se = float(np.sqrt(variance))
    half = float(-scipy.special.stdtrit(df, request.interval.tail)) * se / (1 - r**2)
    low, high = (float(np.tanh(np.arctanh(r) + way * half)) for way in (-1, 1))
    return PairResult(*names, n, r, se, low, high, r / se, two_sided(r / se, df))


def correlations(
    sample: Sample,
    request: CorrelationsRequest,
    inside: Sequence[Bools] | None = None,
    where: str = "correlations[0]",
) -> CorrelationsResult:
    """The correlation of every pair. inside: for every part the cases of its filter, (n,). Raises StudyError
    where the request does not fit.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> request = CorrelationsRequest(id="c", variables=("age", "isle"))
    >>> [round(of.est, 3) for of in correlations(sampled(ferry(), Design(), "w"), request).pairs]
    [0.395]
    """
    if len(request.variables) < 2:
        raise fault("A correlation is of two variables.", f"{where}.variables", "Name two at least.")
    of: list[Measured] = [
        measured(sample, name, f"{where}.variables[{i}]") for i, name in enumerate(request.variables)
    ]
    pairs = []
    for a, b in combinations(of, 2):
        who, _, _ = complete(sample, [a, b], inside)
        pairs.append(_told(_Pair(sample, who, a.values, b.values), (a.name, b.name), request))
    return CorrelationsResult(request.id, request.name, request.method, tuple(pairs))
