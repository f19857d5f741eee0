"""The one pass over the records: sums by first-stage unit and cell, from which everything else is algebra.

Tallies of two parts of a file add up, so the parts may be anywhere.
"""

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.compiled import compiled
from even_ballot.core.dataset import Floats, Ints

_PARALLEL_FROM = 400_000


def in_halves(n: int, part: Callable[[int, int], Any]) -> list[Any]:
    """A pass over 0 … n−1 in two halves at once where that pays: the results of its parts."""
    if n < _PARALLEL_FROM:
        return [part(0, n)]
    with ThreadPoolExecutor(2) as pool:
        return list(pool.map(part, (0, n // 2), (n // 2, n)))


@dataclass(frozen=True)
class Tally:
    """Sums over cases, by unit (PSU, or stratum where each case is its own) × stub category × banner category.

    The last banner category is that of cases with no answer in the banner. counts: int64 (R, C), cases of positive
    weight. w: float64 (U, R, C), Σ w. ww: Σ w², (U, R, C), only where each case is its own PSU. df: (C,), PSUs less strata among
    the cases of everybody, then of each banner category but the last.
    """

    counts: Ints
    w: Floats
    ww: Floats | None
    df: Ints | None = None

    def __add__(self, other: "Tally") -> "Tally":
        ww = None if self.ww is None or other.ww is None else self.ww + other.ww
        return Tally(self.counts + other.counts, self.w + other.w, ww)


@dataclass(frozen=True)
class Moments:
    """Sums of a number y, shifted by `shift`, by unit × banner category: Σ w, Σ w y; where each case is its own PSU
    also Σ w², Σ w² y, Σ w² y². All (U, C); counts (C,)."""

    shift: float
    counts: Ints
    w: Floats
    wy: Floats
    ww: Floats | None
    wwy: Floats | None
    wwyy: Floats | None
    df: Ints | None = None


@compiled
def _scatter(stub: Any, banner: Any, unit: Any, weight: Any, width: int, w: Any, counts: Any) -> None:
    """Adds each case's weight to w[unit, cell]; four count tables in turn, so that no add waits for the one before."""
    for k in range(stub.shape[0]):
        r = stub[k]
        if r >= 0:
            cell = np.int64(r) * width + banner[k]
            w[unit[k], cell] += weight[k]
            counts[k & 3, cell] += weight[k] > 0


@compiled
def _scatter_squares(stub: Any, banner: Any, unit: Any, weight: Any, width: int, w: Any, ww: Any, counts: Any) -> None:
    for k in range(stub.shape[0]):
        r = stub[k]
        if r >= 0:
            cell = np.int64(r) * width + banner[k]
            x = weight[k]
            w[unit[k], cell] += x
            ww[unit[k], cell] += x * x
            counts[k & 3, cell] += x > 0


@compiled
def _scatter_number(banner: Any, unit: Any, weight: Any, y: Any, inside: Any, w: Any, wy: Any, counts: Any) -> None:
    for k in range(y.shape[0]):
        if inside[k]:
            c = banner[k]
            w[unit[k], c] += weight[k]
            wy[unit[k], c] += weight[k] * y[k]
            counts[c] += weight[k] > 0


@compiled
def _scatter_number_squares(
    banner: Any, unit: Any, weight: Any, y: Any, inside: Any, w: Any, wy: Any, ww: Any, wwy: Any, wwyy: Any, counts: Any
) -> None:
    for k in range(y.shape[0]):
        if inside[k]:
            c, u, x = banner[k], unit[k], weight[k]
            xy = x * y[k]
            w[u, c] += x
            wy[u, c] += xy
            ww[u, c] += x * x
            wwy[u, c] += x * xy
            wwyy[u, c] += xy * xy
            counts[c] += x > 0


def _part(
    stub: NDArray[Any], banner: NDArray[Any], unit: NDArray[np.int32], weight: Floats, shape: tuple[int, int, int], own: bool
) -> Tally:
    rows, height, width = shape
    w = np.zeros((rows, height * width))
    counts = np.zeros((4, height * width), np.int64)
    if not own:
        _scatter(stub, banner, unit, weight, width, w, counts)
        return Tally(counts.sum(0).reshape(height, width), w.reshape(shape), None)
    ww = np.zeros_like(w)
    _scatter_squares(stub, banner, unit, weight, width, w, ww, counts)
    return Tally(counts.sum(0).reshape(height, width), w.reshape(shape), ww.reshape(shape))


def tally(
    stub: NDArray[Any],
    banner: NDArray[Any],
    unit: NDArray[np.int32],
    weight: Floats,
    shape: tuple[int, int, int],
    own: bool = False,
) -> Tally:
    """One pass over the cases.

    stub: integers (n,), category 0 … R−1, below 0 for cases that do not count. banner: integers (n,), 0 … C−1.
    unit: int32 (n,). weight: float64 (n,). shape: (U, R, C). own: every case is its own PSU, and `unit` its stratum.
    Two halves run at once where that pays; their tallies add up.
    """
    parts: list[Tally] = in_halves(
        len(stub), lambda lo, hi: _part(stub[lo:hi], banner[lo:hi], unit[lo:hi], weight[lo:hi], shape, own)
    )  # fmt: skip
    return parts[0] if len(parts) == 1 else parts[0] + parts[1]


def tally_number(
    y: Floats, inside: NDArray[np.bool_], banner: NDArray[Any], unit: NDArray[np.int32], weight: Floats,
    shape: tuple[int, int], own: bool = False, shift: float | None = None,
) -> Moments:  # fmt: skip
    """One pass over a number's cases: y, weight float64 (n,); inside: bool (n,), who counts; shape: (U, C).

    y is shifted, by its weighted mean unless another shift is given, so that sums of squares keep their digits.
    """
    if shift is None:
        base = float(weight[inside].sum())
        shift = float((weight[inside] * y[inside]).sum() / base) if base > 0 else 0.0
    shifted = y - shift
    w, wy = np.zeros(shape), np.zeros(shape)
    counts = np.zeros(shape[1], np.int64)
    if not own:
        _scatter_number(banner, unit, weight, shifted, inside, w, wy, counts)
        return Moments(shift, counts, w, wy, None, None, None)
    ww, wwy, wwyy = np.zeros(shape), np.zeros(shape), np.zeros(shape)
    _scatter_number_squares(banner, unit, weight, shifted, inside, w, wy, ww, wwy, wwyy, counts)
    return Moments(shift, counts, w, wy, ww, wwy, wwyy)
