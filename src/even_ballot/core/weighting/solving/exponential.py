"""Weights d·exp(x′λ), within bounds, that meet totals of numbers beside those of categories: Newton's method
on the dual, whose minimum they are (Deville and Särndal, 1992).

A pass over the cases sums their weights, and weights times numbers, by combination of categories; everything
else is algebra on these sums.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.numerics.arrays import Bools, Floats, Ints
from even_ballot.core.numerics.compiled import compiled
from even_ballot.core.numerics.halves import in_halves
from even_ballot.core.numerics.parts import Merge, plus

_FINE, _MOST, _FAR = 1e-14, 100, 700.0


class _Points(NamedTuple):
    """Cases: the combination of each and where its weight begins, (n,), and its numbers, (Q, n)."""

    index: Any
    d: Any
    y: Any


class _Curve(NamedTuple):
    """Weights d · exp(a_c + Σ b_qc v_q), v_q = (y_q − centre_qc) · size_q, size one over that of the numbers;
    of combination c: a, (K,), b and centre, (Q, K); bounds low and high, (K,)."""

    a: Any
    b: Any
    centre: Any
    size: Any
    low: Any
    high: Any


class _Added(NamedTuple):
    """By combination c: whole[0, c] Σ w, whole[1 + q, c] Σ w v_q; free: whole of the cases strictly between
    their bounds, and squares of them, Σ w v_q v_r, r ≤ q; absolute: Σ w |v_q|; dual[0]: what the weights
    contribute to the dual."""

    whole: Any
    free: Any
    squares: Any
    absolute: Any
    dual: Any


@compiled
def _pass(of: Any, curve: Any, to: Any) -> None:
    """Adds up where there are no bounds: whole, squares and absolute."""
    numbers = of.y.shape[0]
    v = np.empty(numbers)
    for k in range(of.index.shape[0]):
        if of.d[k] > 0:
            c = of.index[k]
            t = curve.a[c]
            for q in range(numbers):
                v[q] = (of.y[q, k] - curve.centre[q, c]) * curve.size[q]
                t += curve.b[q, c] * v[q]
            w = of.d[k] * math.exp(min(t, 700.0))
            to.whole[0, c] += w
            for q in range(numbers):
                x = w * v[q]
                to.whole[1 + q, c] += x
                to.absolute[q, c] += abs(x)
                for r in range(q + 1):
                    to.squares[q, r, c] += x * v[r]


@compiled
def _bounded_pass(of: Any, curve: Any, to: Any) -> None:
    """The same of weights between bounds."""
    numbers = of.y.shape[0]
    v = np.empty(numbers)
    for k in range(of.index.shape[0]):
        if of.d[k] > 0:
            c = of.index[k]
            t = curve.a[c]
            for q in range(numbers):
                v[q] = (of.y[q, k] - curve.centre[q, c]) * curve.size[q]
                t += curve.b[q, c] * v[q]
            w = of.d[k] * math.exp(min(t, 700.0))
            bound = 0.0
            if w <= curve.low[c]:
                bound = curve.low[c]
            elif w >= curve.high[c]:
                bound = curve.high[c]
            inside = w > curve.low[c] and w < curve.high[c]
            if inside:
                to.dual[0] += w
            elif bound > 0:
                to.dual[0] += bound * (1 + t - math.log(bound / of.d[k]))
                w = bound
            else:
                w = 0.0
            to.whole[0, c] += w
            if inside:
                to.free[0, c] += w
            for q in range(numbers):
                x = w * v[q]
                to.whole[1 + q, c] += x
                to.absolute[q, c] += abs(x)
                if inside:
                    to.free[1 + q, c] += x
                    for r in range(q + 1):
                        to.squares[q, r, c] += x * v[r]


@compiled
def _weights(of: Any, curve: Any, out: Any) -> None:
    """Each case's weight."""
    for k in range(of.index.shape[0]):
        if of.d[k] > 0:
            c = of.index[k]
            t = curve.a[c]
            for q in range(of.y.shape[0]):
                t += curve.b[q, c] * ((of.y[q, k] - curve.centre[q, c]) * curve.size[q])
            out[k] = min(max(of.d[k] * math.exp(min(t, 700.0)), curve.low[c]), curve.high[c])


@dataclass(frozen=True)
class Wanted:
    """What weights that sum to 1 are to meet, on K combinations of categories. totals: (C, K), 0/1 columns
    whose weighted sums are to be `of`, (C,); within: for each of Q numbers its category by combination, (Q,
    K); centre: (Q, K), size: (Q,), v = (y − centre)/size; aims: Σ w v by category, of each number. low, high:
    (K,), bounds of a case's weight."""

    totals: Floats
    of: Floats
    within: Ints
    centre: Floats
    size: Floats
    aims: tuple[Floats, ...]
    low: Floats
    high: Floats

    def curve(self, a: Floats, b: Floats) -> _Curve:
        """The weights of multipliers a, (K,), and b, (Q, K)."""
        return _Curve(a, b, self.centre, 1 / self.size, self.low, self.high)

    @property
    def bounded(self) -> bool:
        """Whether there are any bounds."""
        return bool((self.low > 0).any() or np.isfinite(self.high).any())


@dataclass(frozen=True)
class Met:
    """The weights that were found: a: (K,), b: (Q, K); after: (K,), their sums; gap: the largest that is left
    of a target; of_totals: (C,), of_numbers: by category of each number, what is left of each."""

    wanted: Wanted
    a: Floats
    b: Floats
    after: Floats
    gap: float
    cycles: int
    of_totals: Floats
    of_numbers: tuple[Floats, ...]

    def weights(self, index: NDArray[Any], start: Floats, y: Floats) -> tuple[Floats, Bools | None]:
        """Of a part's cases, as shares of the whole, and, where there are bounds, which lie strictly between
        them. start: where they began, (n,); y: (Q, n)."""
        out, want = np.zeros(len(start)), self.wanted
        curve = want.curve(self.a, self.b)

        def half(lo: int, hi: int) -> None:
            at = slice(lo, hi)
            _weights(_Points(index[at], start[at], y[:, at]), curve, out[at])

        in_halves(len(start), half)
        return out, (out > want.low[index]) & (out < want.high[index]) if want.bounded else None


@dataclass(frozen=True)
class _Sums:
    """What a pass over the cases adds up, as in `_pass`."""

    whole: Floats
    free: Floats
    squares: Floats
    absolute: Floats
    dual: Floats

    def __add__(self, other: "_Sums") -> "_Sums":
        return _Sums(
            self.whole + other.whole,
            self.free + other.free,
            self.squares + other.squares,
            self.absolute + other.absolute,
            self.dual + other.dual,
        )


class _Dual:
    """The dual of a calibration, on cases in parts: index, start and numbers of each."""

    def __init__(
        self, parts: Sequence[tuple[NDArray[Any], Floats, Floats]], wanted: Wanted, merge: Merge
    ) -> None:
        self.parts, self.wanted, self.merge = parts, wanted, merge
        q, self.k = wanted.within.shape
        self.c = len(wanted.of)
        sizes = [len(aim) for aim in wanted.aims]
        self.ends = np.concatenate([[self.c], self.c + np.cumsum(sizes)]).astype(int)
        # By number 0/1 columns of its categories, (K, J).
        self.inside = [
            (wanted.within[i][:, None] == np.arange(sizes[i])).astype(np.float64) for i in range(q)
        ]
        self.target = np.concatenate([wanted.of, *wanted.aims])

    def spread(self, multipliers: Floats) -> tuple[Floats, Floats]:
        """a, (K,), and b, (Q, K), of multipliers."""
        a = multipliers[: self.c] @ self.wanted.totals
        b = [
            inside @ multipliers[lo:hi]
            for inside, lo, hi in zip(self.inside, self.ends, self.ends[1:], strict=False)
        ]
        return a, np.array(b).reshape(len(b), self.k)

    def sums(self, multipliers: Floats) -> _Sums:
        want, q = self.wanted, len(self.inside)
        curve = want.curve(*self.spread(multipliers))

        def of(index: NDArray[Any], d: Floats, y: Floats) -> _Sums:
            def half(lo: int, hi: int) -> _Sums:
                made = _Sums(
                    np.zeros((1 + q, self.k)),
                    np.zeros((1 + q, self.k)),
                    np.zeros((q, q, self.k)),
                    np.zeros((q, self.k)),
                    np.zeros(1),
                )
                at, to = slice(lo, hi), _Added(*vars(made).values())
                points = _Points(index[at], d[at], y[:, at])
                if want.bounded:
                    _bounded_pass(points, curve, to)
                    return made
                _pass(points, curve, to)
                return replace(made, free=made.whole, dual=made.whole[0].sum(keepdims=True))

            halves: list[_Sums] = in_halves(len(d), half)
            return halves[0] if len(halves) == 1 else halves[0] + halves[1]

        return self.merge(plus, [of(*part) for part in self.parts])

    def met(self, sums: Floats) -> Floats:
        """What sums by combination, (1 + Q, K), come to in every constraint."""
        numbers = [of @ inside for of, inside in zip(sums[1:], self.inside, strict=True)]
        return np.concatenate([self.wanted.totals @ sums[0], *numbers])

    def value(self, multipliers: Floats, sums: _Sums) -> float:
        return float(sums.dual[0] - multipliers @ self.target)

    def curve(self, sums: _Sums) -> Floats:
        """Second derivatives."""
        totals, free = self.wanted.totals, sums.free
        size = self.ends[-1]
        found = np.zeros((size, size))
        found[: self.c, : self.c] = (totals * free[0]) @ totals.T
        for q, inside in enumerate(self.inside):
            at = slice(self.ends[q], self.ends[q + 1])
            found[: self.c, at] = (totals * free[1 + q]) @ inside
            found[at, : self.c] = found[: self.c, at].T
            for r, other in enumerate(self.inside):
                to = slice(self.ends[r], self.ends[r + 1])
                of = sums.squares[max(q, r), min(q, r)]
                found[at, to] = (inside * of[:, None]).T @ other
        return found

    def gaps(self, sums: _Sums) -> tuple[Floats, tuple[Floats, ...]]:
        """What is left of each target: of totals as a share of the whole, of numbers as one of what they
        sum."""
        apart = np.abs(self.met(sums.whole) - self.target)
        numbers = []
        for q, inside in enumerate(self.inside):
            size = np.maximum(np.abs(self.wanted.aims[q]), sums.absolute[q] @ inside)
            left = apart[self.ends[q] : self.ends[q + 1]]
            numbers.append(np.divide(left, size, out=left.copy(), where=size > 0))
        return apart[: self.c], tuple(numbers)


def _step(curve: Floats, slope: Floats) -> Floats:
    """Newton's step; constraints that others imply take no part of their own."""
    diagonal = np.diag(curve)
    scale = np.where(diagonal > 0, 1 / np.sqrt(np.where(diagonal > 0, diagonal, 1)), 0.0)
    inverse = np.linalg.pinv(curve * np.outer(scale, scale), rcond=1e-13, hermitian=True)
    return np.asarray(-scale * (inverse @ (scale * slope)))


def calibrated(
    parts: Sequence[tuple[NDArray[Any], Floats, Floats]], wanted: Wanted, tolerance: float, merge: Merge
) -> Met:
    """The weights nearest to where they begin that meet all that is wanted; where nobody can, the nearest
    that were found, with what is left. parts: of each the combination of its cases, (n,), where their
    weights begin, summing to 1 over all parts, and their numbers, (Q, n).

    >>> from even_ballot.core.numerics.parts import in_order
    >>> none, all_of = np.zeros((1, 1)), np.ones((1, 1))
    >>> wanted = Wanted(all_of, np.ones(1), np.zeros((1, 1), int), none, np.ones(1), (np.array([2.5]),),
    ...     np.zeros(1), np.full(1, np.inf))
    >>> part = (np.zeros(2, int), np.full(2, 0.5), np.array([[1.0, 3.0]]))
    >>> found = calibrated([part], wanted, 1e-12, in_order)
    >>> found.weights(*part)[0].round(6).tolist()
    [0.25, 0.75]
    """
    dual = _Dual(parts, wanted, merge)
    multipliers = np.zeros(dual.ends[-1])
    sums = dual.sums(multipliers)
    best, since, cycles = np.inf, 0, 0
    while cycles < _MOST:
        of_totals, of_numbers = dual.gaps(sums)
        gap = max([*of_totals.tolist(), *(float(of.max(initial=0)) for of in of_numbers)], default=0.0)
        since = 0 if gap < 0.5 * best else since + 1
        best = min(best, gap)
        if gap <= _FINE or (best <= tolerance and since > 2):
            break
        cycles += 1
        slope = dual.met(sums.whole) - dual.target
        step, value = _step(dual.curve(sums), slope), dual.value(multipliers, sums)
        falls, size = float(slope @ step), 1.0
        for _ in range(40):
            found = dual.sums(multipliers + size * step)
            now = dual.value(multipliers + size * step, found)
            if np.isfinite(now) and now <= value + 1e-4 * size * falls + 1e-14 * max(abs(value), 1.0):
                break
            size /= 2
        else:
            break
        multipliers, sums = multipliers + size * step, found
        if np.abs(multipliers).max(initial=0) > _FAR:
            break
    of_totals, of_numbers = dual.gaps(sums)
    gap = max([*of_totals.tolist(), *(float(of.max(initial=0)) for of in of_numbers)], default=0.0)
    a, b = dual.spread(multipliers)
    return Met(wanted, a, b, sums.whole[0], gap, cycles, of_totals, of_numbers)
