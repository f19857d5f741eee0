"""What an upper limit on the weights costs and buys, for a range of limits."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial

import numpy as np

from even_ballot.core.data.cases import Cases
from even_ballot.core.data.dataset import Dataset
from even_ballot.core.numerics.arrays import Floats
from even_ballot.core.sampling.effective_size import weight_sums
from even_ballot.core.weighting.comparison import category_sums
from even_ballot.core.weighting.laying.frame import bounds_of
from even_ballot.core.weighting.raking import Raked, rake
from even_ballot.core.weighting.report import at_limits
from even_ballot.core.weighting.solving.limits import least_high
from even_ballot.core.weighting.weighting import Limits, Weighting

_POINTS, _CLOSE = 16, 1.005


@dataclass(frozen=True)
class Moved:
    """The weighted share that moved most, against weights without an upper limit."""

    variable: str
    label: str
    without: float
    within: float


@dataclass(frozen=True)
class LimitPrice:
    """Weights under an upper limit (None: without one), as a multiple of their mean. met: whether the
    margins are. gap: largest |Σ w − target| as a share of the whole. min, max: smallest and largest weight
    over the mean. at_limits: cases on a limit."""

    high: float | None
    met: bool
    gap: float
    n_effective: float
    efficiency: float
    min: float
    max: float
    at_limits: int
    moved: Moved | None


def _shares(cases: Cases, raked: Raked, watched: Sequence[str]) -> dict[str, Floats]:
    """Weighted shares of the categories of coded variables, of those who answered."""
    shares = {}
    weights = [of.weights for of in raked.parts]
    for name in watched:
        sums = category_sums(cases, name, weights)
        if sums.sum() > 0:
            shares[name] = sums / sums.sum()
    return shares


def _moved(head: Dataset, without: dict[str, Floats], within: dict[str, Floats]) -> Moved | None:
    most: Moved | None = None
    for name, shares in within.items():
        at = int(np.abs(shares - without[name]).argmax())
        if most is None or abs(shares[at] - without[name][at]) > abs(most.within - most.without):
            most = Moved(
                name, head.categories(name)[0][at].label, float(without[name][at]), float(shares[at])
            )
    return most


def _priced(
    cases: Cases, raked: Raked, high: float | None, without: dict[str, Floats], watched: Sequence[str]
) -> LimitPrice:
    w = weight_sums([of.weights for of in raked.parts], cases.merge)
    moved = None if high is None else _moved(cases.head, without, _shares(cases, raked, watched))
    return LimitPrice(
        high,
        raked.converged,
        raked.max_gap,
        w.effective,
        w.effective / w.n,
        w.min / w.mean,
        w.max / w.mean,
        at_limits(raked) or 0,
        moved,
    )


def _least(raked: Raked, low: float) -> float | None:
    """The smallest upper limit that the margins leave room for."""
    frame = raked.frame
    _, totals, margins = frame.aimed(frame.combos.base)
    mean = bounds_of(frame, totals, frame.combos.cases)[2]
    return least_high(frame.categories, tuple(m.target for m in margins), frame.combos.cases, mean, low)


def limit_prices(
    data: Dataset | Cases, weighting: Weighting, watched: Sequence[str], where: str
) -> tuple[LimitPrice, ...]:
    """Weights without an upper limit, then under limits from the largest weight there is down to the
    smallest limit that can be met, and the limit there is. watched: coded variables whose shares are
    followed. Nothing without margins.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.weighting.weighting import Margin, Target
    >>> targets = tuple(Target(at={"isle": code}, value=0.5) for code in (1, 2))
    >>> weighting = Weighting(margins=(Margin(by=("isle",), targets=targets),))
    >>> limit_prices(ferry(), weighting, ["crosses"], "weightings[0]")[0].met
    True
    """
    cases = Cases.of(data)
    low = weighting.limits.low if weighting.limits is not None else 0.0

    def under(high: float | None) -> Raked:
        return rake(
            cases, weighting.model_copy(update={"limits": Limits.model_construct(low=low, high=high)}), where
        )

    if not weighting.margins:
        return ()
    free = under(None)
    without = _shares(cases, free, watched)
    prices = [_priced(cases, free, None, without, watched)]
    least = _least(free, low) if free.converged else None
    top = prices[0].max
    if least is None or least * 1.01 >= top:
        return tuple(prices)
    highs = np.geomspace(top * 0.995, max(least * 1.005, 1.01), _POINTS)
    held = [] if weighting.limits is None or weighting.limits.high is None else [weighting.limits.high]
    highs = np.unique(np.concatenate([np.round(highs[:-1], 2), highs[-1:], held]))[::-1]
    for high in highs.tolist():
        if high > 1:
            prices.append(_priced(cases, under(high), high, without, watched))
    if free.frame.numbers:
        # The least limit was told by the categories alone; numbers may leave less room.
        of = partial(_priced, cases, without=without, watched=watched)
        prices = _as_far_as_met(prices, lambda high: of(under(high), high), held)
    return tuple(prices)


def _as_far_as_met(
    prices: list[LimitPrice], price: Callable[[float], LimitPrice], held: list[float]
) -> list[LimitPrice]:
    """Down to the least limit that can be met, closed in on to half a per cent; held: limits that stay
    whether they are met or not."""
    met = [of.high for of in prices if of.high is not None and of.met]
    unmet = [of.high for of in prices if of.high is not None and not of.met]
    kept = [of for of in prices if of.met or of.high in held]
    if met and unmet:
        low, high = max(unmet), min(met)
        while low < high and high / low > _CLOSE:
            middle = float(np.sqrt(low * high))
            found = price(middle)
            if found.met:
                kept.append(found)
                high = middle
            else:
                low = middle
    return kept[:1] + sorted(kept[1:], key=lambda of: -(of.high or 0))
