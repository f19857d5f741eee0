"""A number's sums by banner category laid out as columns: of everybody, of single categories, of nets of
several."""

from dataclasses import replace

import numpy as np

from even_ballot.core.estimation.means import root_of_squares, root_of_weights
from even_ballot.core.estimation.trend import Cells
from even_ballot.core.numerics.arrays import Floats, Ints
from even_ballot.core.sampling.finishing import Moments
from even_ballot.core.sampling.linearisation import Linear, Varied
from even_ballot.core.sampling.tallies import merged_cells
from even_ballot.core.sampling.units import Units
from even_ballot.core.tables.banner import BannerColumns


def laid_moments(m: Moments, over: BannerColumns) -> Moments:
    """The moments of the total column and the others, (…, 1 + C), from those of the banner's categories
    and of the cases without one; each column about its own mean.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> from even_ballot.core.tables.banner import everybody
    >>> from even_ballot.core.tables.stubs.domain import Domain
    >>> sample = sampled(ferry(), Design(), "w")
    >>> age, banner = sample.head.column("age"), everybody(sample)
    >>> tallied = Domain(sample, None).tally_number([age.values], [age.answered], banner)
    >>> laid_moments(tallied, banner).counts.tolist()
    [7]
    """
    members: list[Ints] = [np.arange(len(m.shift))]
    members += [np.array([c]) for c in range(over.columns)] if over.members is None else list(over.members)
    weights = m.w.sum(0)
    shift = np.array([_mean(m.shift[of], weights[of] + 0.0) for of in members])
    apart = [m.shift[of] - s for of, s in zip(members, shift, strict=True)]
    wy = np.stack([(m.wy[:, of] + by * m.w[:, of]).sum(1) for of, by in zip(members, apart, strict=True)], 1)
    own = (
        None
        if m.own is None
        else np.stack([_merged(m.own[:, :, of], by) for of, by in zip(members, apart, strict=True)], 2)
    )
    size = None
    if m.size is not None:
        each = zip(members, apart, strict=True)
        size = np.stack([(m.size[:, of] + np.abs(by) * m.w[: len(m.size), of]).sum(1) for of, by in each], 1)
    return replace(m, shift=shift, counts=over.laid(m.counts), w=over.laid(m.w), wy=wy, size=size, own=own)


def _mean(shift: Floats, weight: Floats) -> float:
    """The mean of several categories; of one, its own to the last bit."""
    live = weight > 0
    if live.sum() <= 1:
        return float(shift[live][0]) if live.any() else 0.0
    middle = float(shift[live][0])
    return middle + float(weight[live] @ (shift[live] - middle) / weight[live].sum())


def _merged(own: Floats, apart: Floats) -> Floats:
    """Moments (6, U) of several categories together, (6, U, k), about a mean that is less than theirs by
    `apart`, (k,)."""
    own = own.copy()
    own[2] += apart
    return merged_cells(own)


def of_varied(own: Floats, shift: Floats, level: float) -> Cells:
    """What a number's cases add to slopes over columns. own: (6, U, C), about shift + level, (C,).

    >>> callable(of_varied(np.zeros((6, 1, 2)), np.zeros(2), 0.0))
    True
    """

    def added(linear: Linear, apart: Floats, line: Floats, most: Floats, units: Units) -> Linear:
        groups = tuple(
            Varied(own[:, :, c : c + 1], line[:, c] - shift[c], apart[c : c + 1]) for c in range(len(shift))
        )
        size = root_of_squares(own, shift) + most[0] * root_of_weights(own)
        terms = np.sqrt(((size * np.abs(apart)) ** 2).sum(-1))
        return Linear(linear.totals, terms[:, None], groups)

    return added
