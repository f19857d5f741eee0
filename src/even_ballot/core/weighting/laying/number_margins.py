"""Margins that fix totals or means of numbers, laid on combinations of categories (Deville and Särndal,
1992)."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from even_ballot.core.data.cases import Cases
from even_ballot.core.data.dataset import Dataset
from even_ballot.core.faults import Fault, StudyError, counted, fault, some
from even_ballot.core.numerics.arrays import Floats, Ints
from even_ballot.core.numerics.compiled import compiled
from even_ballot.core.numerics.parts import plus
from even_ballot.core.weighting.laying.margins import LaidMargin


@compiled
def _ends(index: Any, category: Any, y: Any, d: Any, low: Any, high: Any, sums: Any) -> None:
    """The smallest and the largest value of each category, and Σ d y² and Σ d of all."""
    for k in range(y.shape[0]):
        if d[k] > 0:
            j = category[index[k]]
            low[j] = min(low[j], y[k])
            high[j] = max(high[j], y[k])
            sums[0] += d[k] * y[k] * y[k]
            sums[1] += d[k]


@dataclass(frozen=True)
class LaidNumber:
    """A margin that fixes a number. place: of the margin in its weighting; laid: its categories, with the
    targets as given; values: of the number, for every part (n,), 0 without weight; size: by category what its
    values are of the order of, (J,)."""

    place: int
    laid: LaidMargin
    values: Sequence[Floats]
    size: float

    @property
    def means(self) -> bool:
        """Whether means are fixed, not totals."""
        return self.laid.margin.as_ == "means"

    @property
    def centre(self) -> Floats:
        """What is taken off the values, by combination, (K,)."""
        category = self.laid.category
        if not self.means:
            return np.zeros(len(category))
        return np.where(category >= 0, self.laid.target[np.maximum(category, 0)], 0.0)

    def aim(self, population: float) -> Floats:
        """What Σ w (value − centre) is to be for weights that sum to 1, (J,)."""
        return np.zeros(len(self.laid.target)) if self.means else self.laid.target / population


def lay_number(
    cases: Cases, laid: LaidMargin, place: int, index: Sequence[Ints], base: Sequence[Floats], where: str
) -> LaidNumber:
    """A number laid on the cases; laid: the categories it is fixed in; index: for every part each case's
    combination; base: base weights. Raises StudyError for values that are missing, and for means that no
    weights can give.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.weighting.laying.frame import frame_of
    >>> from even_ballot.core.weighting.weighting import Margin, Target, Weighting
    >>> margin = Margin(total_of="w", by=("isle",), as_="means", targets=tuple(
    ...     Target(at={"isle": code}, value=1.2) for code in (1, 2)))
    >>> frame_of(ferry(), Weighting(margins=(margin,)), [np.ones(8)], "").numbers[0].means
    True
    """
    name = laid.margin.total_of
    assert name is not None
    kind = cases.head.variable(name, f"{where}.total_of").kind
    cases.head.column(name, f"{where}.total_of")
    if kind != "number":
        raise fault(f"{name} is a {kind}, not a number.", f"{where}.total_of", "Name a number.")
    lost = cases.each(lambda part, d: (d > 0) & ~part.column(name).answered, base)
    if n := cases.merge(plus, [int(of.sum()) for of in lost]):
        raise fault(
            f"{counted(n, 'case has', 'cases have')} no value on {name}.",
            where,
            "Fill it in, or set these cases aside.",
        )
    values = cases.each(
        lambda part, d: np.where(d > 0, np.asarray(part.column(name).values, np.float64), 0.0), base
    )

    def seen(part: Dataset, y: Floats, of: Ints, d: Floats) -> tuple[Floats, Floats, Floats]:
        low, high, sums = np.full(len(laid.target), np.inf), np.full(len(laid.target), -np.inf), np.zeros(2)
        _ends(of, laid.category, y, d, low, high, sums)
        return low, high, sums

    def together(
        a: tuple[Floats, Floats, Floats], b: tuple[Floats, Floats, Floats]
    ) -> tuple[Floats, Floats, Floats]:
        return np.minimum(a[0], b[0]), np.maximum(a[1], b[1]), a[2] + b[2]

    low, high, sums = cases.merged(seen, values, index, base, add=together)
    if laid.margin.as_ == "means":
        _check_means(cases.head, laid, name, low, high, where)
    size = float(np.sqrt(sums[0] / sums[1]))
    return LaidNumber(place, laid, values, size if size > 0 else 1.0)


def _check_means(head: Dataset, laid: LaidMargin, name: str, low: Floats, high: Floats, where: str) -> None:
    """Means that lie beyond all values, or on the edge of some, are no means of them."""
    faults = []
    for j, target in enumerate(laid.target.tolist()):
        inside = low[j] < target < high[j] or low[j] == target == high[j]
        if not inside:
            of = laid.label(head, j)
            among = f" in {of}" if of else ""
            faults.append(
                Fault(
                    f"The target mean of {name}{among} is {target:g}, but all its values are between "
                    f"{low[j]:g} and {high[j]:g}.",
                    f"{where}.targets",
                    "Give a mean between them.",
                )
            )
    if faults:
        raise StudyError(faults)


def refuse_unmet(
    head: Dataset, numbers: Sequence[LaidNumber], gaps: Sequence[Floats], unmet: Sequence[str], where: str
) -> StudyError:
    """What is said where no weights meet all margins. gaps: of every number margin's categories what is left
    of the target, as a share of it; unmet: the categories of other margins that are off.

    >>> refuse_unmet(None, [], [], ["isle Hask"], "weightings[0]").faults[0].where
    'weightings[0].margins'
    """
    off = []
    for number, gap in zip(numbers, gaps, strict=True):
        what = "mean" if number.means else "total"
        for j in np.flatnonzero(gap).tolist():
            of = number.laid.label(head, j)
            off.append(f"the {what} of {number.laid.margin.total_of}{f' in {of}' if of else ''}")
    return fault(
        f"No weights meet all margins: {some(list(dict.fromkeys([*off, *unmet])))} cannot be reached.",
        f"{where}.margins",
        "Check these targets, join categories, or leave one of the margins out.",
    )
