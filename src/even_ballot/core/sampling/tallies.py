"""The one pass over the records: sums by first-stage unit and cell, from which everything else is algebra.

Tallies of two parts of a whole add up, so the parts may be anywhere.
"""

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.numerics.arrays import Floats, Ints
from even_ballot.core.numerics.compiled import by_arrays, compiled
from even_ballot.core.numerics.halves import in_halves


@dataclass(frozen=True)
class Tally:
    """Sums over cases of positive weight, by unit (PSU, or a group of cases that are PSUs of their own) ×
    stub category × banner category.

    The last banner category is that of cases with no answer in the banner. counts: int64 (R, C). w:
    float64 (U, R, C), Σ w. own: (3 U, R, C), only where each case is its own PSU: counts, Σ d and Σ d² by
    unit below one another, d = w − the unit's mean weight. margins: (J, R, C), where residuals are wanted,
    Σ w of the cases that count there, by category of the margins. again: (R · C, replicates), where weights
    of replicates change case by case, Σ of theirs.
    """

    counts: Ints
    w: Floats
    own: Floats | None = None
    margins: Floats | None = None
    again: Floats | None = None

    def __add__(self, other: "Tally") -> "Tally":
        return Tally(
            self.counts + other.counts,
            self.w + other.w,
            both(self.own, other.own),
            both(self.margins, other.margins),
            both(self.again, other.again),
        )


def both(a: Floats | None, b: Floats | None) -> Floats | None:
    """Sums of two parts that both have them, or neither.

    >>> both(np.ones(2), np.ones(2)).tolist(), both(None, None)
    ([2.0, 2.0], None)
    """
    return None if a is None or b is None else a + b


@dataclass(frozen=True)
class NumberTally:
    """Sums of a number y less `shift`, (C,), by unit × banner category: Σ w, Σ w (y − shift), and (no less
    than) Σ w |y − shift|, (U, C); counts (C,).

    own: (6, U, C), where each case is its own PSU: counts, mean w, level (the mean of y − shift), centred
    Σ w w, Σ u w and Σ u u with u = w (y − shift − level). margins: (2, J, C) and again: (2, C, replicates),
    as in `Tally`, Σ w and Σ w (y − shift).
    """

    shift: Floats
    counts: Ints
    w: Floats
    wy: Floats
    size: Floats | None = None
    own: Floats | None = None
    margins: Floats | None = None
    again: Floats | None = None

    def about(self, shift: Floats) -> "NumberTally":
        """The same less another shift, (C,)."""
        apart = self.shift - shift
        own = self.own
        if own is not None:
            own = own.copy()
            own[2] = np.where(own[0] > 0, own[2] + apart, 0.0)
        margins, again = self.margins, self.again
        if margins is not None:
            margins = np.stack([margins[0], margins[1] + margins[0] * apart])
        if again is not None:
            again = np.stack([again[0], again[1] + again[0] * apart[:, None]])
        size = None if self.size is None else self.size + self.w * np.abs(apart)
        wy = self.wy + self.w * apart
        return replace(self, shift=shift, wy=wy, size=size, own=own, margins=margins, again=again)

    def merged(self, other: "NumberTally") -> "NumberTally":
        """Sums of two parts together, about their common means, so that no digits are lost."""
        here, there = self.w.sum(0), other.w.sum(0)
        whole = here + there
        share = np.divide(there, whole, out=np.zeros_like(whole), where=whole > 0)
        shift = self.shift + share * (other.shift - self.shift)
        a, b = self.about(shift), other.about(shift)
        own = None
        if a.own is not None and b.own is not None:
            own = merged_cells(np.stack([a.own, b.own], -1))
        return NumberTally(
            shift,
            a.counts + b.counts,
            a.w + b.w,
            a.wy + b.wy,
            both(a.size, b.size),
            own,
            both(a.margins, b.margins),
            both(a.again, b.again),
        )


def merged_cells(own: Floats) -> Floats:
    """`NumberTally.own` of several sets of cases together, (6, *S), from those of each about one shift,
    (6, *S, k).

    >>> of_each = np.array([[1.0, 1.0], [2.0, 4.0], [0.0, 3.0], [0.0, 0.0], [0.0, 0.0], [0.0, 0.0]])
    >>> merged_cells(of_each)[:3].tolist()
    [2.0, 3.0, 2.0]
    """
    n, w, level, ww, uw, uu = own
    count, whole = n.sum(-1), (n * w).sum(-1)
    mean_w = whole / np.maximum(count, 1)
    middle = np.divide((n * w * level).sum(-1), whole, out=np.zeros_like(whole), where=whole > 0)
    # u = w (y − level) becomes u + e w about the common level.
    e, dw = np.where(n > 0, level - middle[..., None], 0.0), w - mean_w[..., None]
    u = e * w
    of_w, of_uw = ww + n * dw * dw, uw + e * ww + n * u * dw
    of_u = uu + 2 * e * uw + e**2 * ww + n * u * u
    return np.stack([count, mean_w, middle, of_w.sum(-1), of_uw.sum(-1), of_u.sum(-1)])


@compiled
def _scatter(stub: Any, banner: Any, unit: Any, weight: Any, width: int, w: Any, counts: Any) -> None:
    """Adds each case's weight to w[unit, cell]; four count tables in turn, so that no add waits for the
    one before."""
    for k in range(stub.shape[0]):
        r = stub[k]
        if r >= 0:
            cell = np.int64(r) * width + banner[k]
            w[unit[k], cell] += weight[k]
            counts[k & 3, cell] += weight[k] > 0


@by_arrays(_scatter)
def _scattered(stub: Any, banner: Any, unit: Any, weight: Any, width: int, w: Any, counts: Any) -> None:
    if (stub < 0).any():
        inside = np.flatnonzero(stub >= 0)
        stub, banner, unit, weight = stub[inside], banner[inside], unit[inside], weight[inside]
    cell = stub.astype(np.int64)
    cell *= width
    cell += banner
    counts[0] += np.bincount(cell[weight > 0] if (weight <= 0).any() else cell, minlength=counts.shape[1])
    _added(w, unit, cell, weight)


def _added(out: Any, row: Any, cell: Any, values: Any) -> None:
    """Σ of values by row and cell into zeros, (U, cells)."""
    flat = np.multiply(row, np.int64(out.shape[1]), dtype=np.int64)
    flat += cell
    out += np.bincount(flat, values, out.size).reshape(out.shape)


@compiled
def _scatter_cases(
    stub: Any, banner: Any, unit: Any, weight: Any, centre: Any, width: int, n: Any, d1: Any, d2: Any
) -> None:
    for k in range(stub.shape[0]):
        r = stub[k]
        x = weight[k]
        if r >= 0 and x > 0:
            u = unit[k]
            cell = np.int64(r) * width + banner[k]
            x -= centre[u]
            n[u, cell] += 1.0
            d1[u, cell] += x
            d2[u, cell] += x * x


@by_arrays(_scatter_cases)
def _scattered_cases(
    stub: Any, banner: Any, unit: Any, weight: Any, centre: Any, width: int, n: Any, d1: Any, d2: Any
) -> None:
    at = np.flatnonzero((stub >= 0) & (weight > 0))
    row, cell = unit[at], stub[at].astype(np.int64) * width + banner[at]
    x = weight[at] - centre[row]
    for out, values in ((n, np.ones(len(at))), (d1, x), (d2, x * x)):
        _added(out, row, cell, values)


@compiled
def _weigh(banner: Any, weight: Any, y: Any, inside: Any, w: Any, wy: Any) -> None:
    """Σ w and Σ w y by banner category."""
    for k in range(y.shape[0]):
        if inside[k]:
            w[banner[k]] += weight[k]
            wy[banner[k]] += weight[k] * y[k]


@by_arrays(_weigh)
def _weighed(banner: Any, weight: Any, y: Any, inside: Any, w: Any, wy: Any) -> None:
    of, d = banner[inside], weight[inside]
    w += np.bincount(of, d, len(w))
    wy += np.bincount(of, d * y[inside], len(wy))


@compiled
def _scatter_number(
    banner: Any,
    unit: Any,
    weight: Any,
    y: Any,
    shift: Any,
    inside: Any,
    w: Any,
    wy: Any,
    size: Any,
    counts: Any,
) -> None:
    for k in range(y.shape[0]):
        if inside[k]:
            c = banner[k]
            apart = weight[k] * (y[k] - shift[c])
            w[unit[k], c] += weight[k]
            wy[unit[k], c] += apart
            size[unit[k], c] += abs(apart)
            counts[c] += weight[k] > 0


@by_arrays(_scatter_number)
def _scattered_number(
    banner: Any,
    unit: Any,
    weight: Any,
    y: Any,
    shift: Any,
    inside: Any,
    w: Any,
    wy: Any,
    size: Any,
    counts: Any,
) -> None:
    row, c, d = unit[inside], banner[inside], weight[inside]
    apart = d * (y[inside] - shift[c])
    for out, values in ((w, d), (wy, apart), (size, np.abs(apart))):
        _added(out, row, c, values)
    counts += np.bincount(c[d > 0], minlength=len(counts))


@compiled
def _scatter_centred(banner: Any, unit: Any, weight: Any, y: Any, shift: Any, inside: Any, own: Any) -> None:
    """Centred sums about the mean weights of their cells, own[1], and the levels, own[2]."""
    for k in range(y.shape[0]):
        if inside[k] and weight[k] > 0:
            c, g = banner[k], unit[k]
            v = weight[k] - own[1, g, c]
            u = weight[k] * (y[k] - shift[c] - own[2, g, c])
            own[3, g, c] += v * v
            own[4, g, c] += u * v
            own[5, g, c] += u * u


@by_arrays(_scatter_centred)
def _scattered_centred(
    banner: Any, unit: Any, weight: Any, y: Any, shift: Any, inside: Any, own: Any
) -> None:
    at = np.flatnonzero(inside & (weight > 0))
    c, g, d = banner[at], unit[at], weight[at]
    v = d - own[1, g, c]
    u = d * (y[at] - shift[c] - own[2, g, c])
    for k, values in ((3, v * v), (4, u * v), (5, u * u)):
        _added(own[k], g, c, values)


@compiled
def _scatter_means(banner: Any, unit: Any, weight: Any, y: Any, shift: Any, inside: Any, own: Any) -> None:
    """Counts, Σ w and Σ w (y − shift)."""
    for k in range(y.shape[0]):
        if inside[k] and weight[k] > 0:
            c, g = banner[k], unit[k]
            own[0, g, c] += 1.0
            own[1, g, c] += weight[k]
            own[2, g, c] += weight[k] * (y[k] - shift[c])


@by_arrays(_scatter_means)
def _scattered_means(banner: Any, unit: Any, weight: Any, y: Any, shift: Any, inside: Any, own: Any) -> None:
    at = np.flatnonzero(inside & (weight > 0))
    c, g, d = banner[at], unit[at], weight[at]
    for k, values in ((0, np.ones(len(at))), (1, d), (2, d * (y[at] - shift[c]))):
        _added(own[k], g, c, values)


def _part(
    stub: NDArray[Any],
    banner: NDArray[Any],
    unit: NDArray[np.int32],
    weight: Floats,
    shape: tuple[int, int, int],
    centre: Floats | None,
) -> Tally:
    rows, height, width = shape
    if centre is None:
        w, counts = np.zeros((rows, height * width)), np.zeros((4, height * width), np.int64)
        _scatter(stub, banner, unit, weight, width, w, counts)
        return Tally(counts.sum(0).reshape(height, width), w.reshape(shape))
    own = np.zeros((3, rows, height * width))
    _scatter_cases(stub, banner, unit, weight, centre, width, *own)
    w = own[0] * centre[:, None] + own[1]
    counts = own[0].sum(0).astype(np.int64).reshape(height, width)
    return Tally(counts, w.reshape(shape), own.reshape(3 * rows, height, width))


def tally(
    stub: NDArray[Any],
    banner: NDArray[Any],
    unit: NDArray[np.int32],
    weight: Floats,
    shape: tuple[int, int, int],
    centre: Floats | None = None,
) -> Tally:
    """One pass over the cases.

    stub: integers (n,), category 0 … R−1, below 0 for cases that do not count. banner: integers (n,), 0 …
    C−1. unit: int32 (n,). weight: float64 (n,). shape: (U, R, C). centre: (U,), the mean weight of each
    unit, where every case is its own PSU. Two halves run at once where that pays; their tallies add up.

    >>> stub, banner, unit = np.array([0, 1, 0]), np.array([0, 0, 1]), np.array([0, 0, 1], np.int32)
    >>> t = tally(stub, banner, unit, np.array([1.0, 2.0, 3.0]), (2, 2, 2))
    >>> t.w.sum(0).tolist(), t.counts.tolist()
    ([[1.0, 3.0], [2.0, 0.0]], [[1, 1], [1, 0]])
    """
    parts: list[Tally] = in_halves(
        len(stub), lambda lo, hi: _part(stub[lo:hi], banner[lo:hi], unit[lo:hi], weight[lo:hi], shape, centre)
    )
    return parts[0] if len(parts) == 1 else parts[0] + parts[1]


def tally_number(
    y: Floats,
    inside: NDArray[np.bool_],
    banner: NDArray[Any],
    unit: NDArray[np.int32],
    weight: Floats,
    shape: tuple[int, int],
    own: bool = False,
    shift: Floats | None = None,
) -> NumberTally:
    """Passes over a number's cases: y, weight float64 (n,); inside: bool (n,), who counts; shape: (U, C);
    own: every case is its own PSU.

    y is shifted, by its weighted mean in each banner category unless other shifts are given, so that
    residuals keep their digits.

    >>> y, everybody, banner = np.array([1.0, 3.0]), np.array([True, True]), np.array([0, 0])
    >>> t = tally_number(y, everybody, banner, np.array([0, 1], np.int32), np.ones(2), (2, 1))
    >>> t.shift.tolist(), t.wy.tolist()
    ([2.0], [[-1.0], [1.0]])
    """
    if shift is None:
        base, sums = np.zeros(shape[1]), np.zeros(shape[1])
        _weigh(banner, weight, y, inside, base, sums)
        shift = np.divide(sums, base, out=np.zeros_like(sums), where=base > 0)
    if own:
        cells = np.zeros((6, *shape))
        _scatter_means(banner, unit, weight, y, shift, inside, cells)
        w, wy = cells[1].copy(), cells[2].copy()
        cells[1] /= np.maximum(cells[0], 1)
        np.divide(wy, w, out=cells[2], where=w > 0)
        _scatter_centred(banner, unit, weight, y, shift, inside, cells)
        return NumberTally(shift, cells[0].sum(0).astype(np.int64), w, wy, own=cells)
    w, wy, size = np.zeros(shape), np.zeros(shape), np.zeros(shape)
    counts = np.zeros(shape[1], np.int64)
    _scatter_number(banner, unit, weight, y, shift, inside, w, wy, size, counts)
    return NumberTally(shift, counts, w, wy, size)
