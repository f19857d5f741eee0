"""Raking: weights adjusted margin by margin until all are met (Deming and Stephan, 1940).

Works on the distinct combinations of margin categories with their base weight sums, and maps back at the end.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from even_ballot.core.data.cases import Cases
from even_ballot.core.data.codebook import Variable
from even_ballot.core.data.dataset import Dataset
from even_ballot.core.faults import fault
from even_ballot.core.lazy import lazy
from even_ballot.core.numerics.arrays import Bools, Floats
from even_ballot.core.numerics.parts import kept
from even_ballot.core.weighting.base_weights import base_weights
from even_ballot.core.weighting.laying.combinations import Combinations
from even_ballot.core.weighting.laying.frame import Frame, frame_of
from even_ballot.core.weighting.laying.margins import LaidMargin
from even_ballot.core.weighting.meeting import meet, nearest_limits, unmet
from even_ballot.core.weighting.response_cells import AdjustedCell, Response, adjusted_for_nonresponse
from even_ballot.core.weighting.solving.limits import Possible
from even_ballot.core.weighting.weighting import Weighting


@dataclass(frozen=True)
class RakedCases:
    """For a part's cases, (n,) each: final weights; base weights; given: base weights before an adjustment;
    free: with limits, whether they lie strictly between them; response: of an adjustment."""

    weights: Floats
    base: Floats
    given: Floats
    free: Bools | None = None
    response: Response | None = None


@dataclass(frozen=True)
class Raked:
    """Final weights and how they came about.

    parts: the cases of every part. frame: the combinations and margins as asked for; before, after: (K,),
    sums by combination as shares of the whole. margins: targets as shares of the whole. max_gap: largest
    |Σ w − target| as a share of the total. cells: of a non-response adjustment. possible: where limits cannot
    be met, those that could be.
    """

    parts: Sequence[RakedCases]
    frame: Frame
    margins: tuple[LaidMargin, ...]
    before: Floats
    after: Floats
    cycles: int
    max_gap: float
    converged: bool
    cells: tuple[AdjustedCell, ...] = ()
    possible: Possible | None = None

    @property
    def combos(self) -> Combinations:
        """The distinct combinations of margin categories."""
        return self.frame.combos

    @lazy
    def weights(self) -> Floats:
        """Final weights of all cases, part by part, (n,)."""
        return _together([of.weights for of in self.parts])

    @lazy
    def base(self) -> Floats:
        """Their base weights, after an adjustment, (n,)."""
        return _together([of.base for of in self.parts])


def _together(parts: Sequence[Floats]) -> Floats:
    return parts[0] if len(parts) == 1 else np.concatenate(parts)


def rake(data: Dataset | Cases, weighting: Weighting, where: str = "weightings[0]") -> Raked:
    """Base weights, adjusted for non-response where that is asked for, raked to the margins of a weighting.

    Margins that cannot all be met are reported, not raised (`converged`).

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.weighting.weighting import Margin, Target
    >>> targets = tuple(Target(at={"isle": code}, value=0.5) for code in (1, 2))
    >>> weighting = Weighting(margins=(Margin(by=("isle",), targets=targets),))
    >>> rake(ferry(), weighting).weights.round(4)[[0, 7]].tolist()
    [1.3333, 0.8]
    """
    cases = Cases.of(data)
    base = given = base_weights(cases, weighting, where)
    if not cases.merge(max, [float(of.max(initial=0)) for of in base]) > 0:
        raise fault("No case has a base weight above 0.", f"{where}.base", "Choose another base weight.")
    cells: tuple[AdjustedCell, ...] = ()
    response: Sequence[Response | None] = (None,) * len(cases.parts)
    if weighting.nonresponse is not None:
        base, cells, response = adjusted_for_nonresponse(
            cases, base, weighting.nonresponse, f"{where}.nonresponse"
        )
    frame = frame_of(cases, weighting, base, where)
    combos = frame.combos
    start, margins = combos.base / combos.base.sum(), frame.aimed(combos.base)[2]
    found = meet(frame, base, cases.merge)
    met = found.gap <= weighting.tolerance
    bound = weighting.limits is not None and weighting.limits.bind
    if found.with_numbers is not None and not met and not bound:
        raise unmet(cases.head, frame, margins, found.with_numbers, where)
    nearest = None if met or not bound or frame.numbers else nearest_limits(frame, margins)
    parts = kept(cases.merge, map(RakedCases, found.weights, base, given, found.free, response))
    return Raked(parts, frame, margins, start, found.after, found.cycles, found.gap, met, cells, nearest)


def with_weight(cases: Cases, raked: Raked, where: str) -> Cases:
    """The cases with their new weight.

    >>> from even_ballot.core.data.example import ferry
    >>> cases = Cases.of(ferry())
    >>> weighted = with_weight(cases, rake(cases, Weighting(base="w")), "")
    >>> weighted.head.column("weight").values[:3].round(3).tolist()
    [0.889, 0.889, 1.778]
    """
    name = raked.frame.weighting.save_as
    if name in cases.head.variables:
        raise fault(
            f"There is a variable {name!r} already.",
            f"{where}.save_as",
            "Choose another name for the weight.",
        )
    made = Variable(name=name, kind="number", label="Final weight")
    return cases.with_number(made, kept(cases.merge, (of.weights for of in raked.parts)))
