"""Weights made again in every replicate where margins fix numbers, one replicate after the other: each case's
weight then is its own."""

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from operator import and_

import numpy as np

from even_ballot.core.faults import fault
from even_ballot.core.numerics.arrays import Bools, Floats
from even_ballot.core.numerics.parts import Merge, plus, with_others
from even_ballot.core.sampling.replicates import ByCase, Factors, GivenWeights, Jackknife
from even_ballot.core.sampling.units import UnitOf
from even_ballot.core.weighting.meeting import meet_again
from even_ballot.core.weighting.raking import Raked
from even_ballot.core.weighting.response_cells import Response

_MOST = 400_000_000


def _answered(w: Sequence[Floats], response: Sequence[Response], merge: Merge) -> list[Floats]:
    """In each cell those who answered take over the weight of those who did not."""
    size = 1 + merge(max, [int(of.cell.max(initial=0)) for of in response])

    def sums(d: Floats, of: Response) -> Floats:
        answered = np.bincount(of.cell, weights=d * of.responded, minlength=size)
        return np.stack([np.bincount(of.cell, weights=d, minlength=size), answered])

    whole, answered = merge(plus, [sums(d, of) for d, of in zip(w, response, strict=True)])
    with np.errstate(all="ignore"):
        factor = np.where(answered > 0, whole / answered, np.where(whole > 0, np.nan, 1.0))
    return [np.where(of.responded, d * factor[of.cell], 0.0) for d, of in zip(w, response, strict=True)]


def _one(chain: Sequence[Raked], base: Sequence[Floats], merge: Merge) -> list[Floats] | None:
    """A replicate's base weights taken through a chain of weightings; None where it cannot be."""
    w = list(base)
    for k, raked in enumerate(chain):
        if k:
            before = chain[k - 1].parts
            w = [
                d * np.divide(of.given, b.weights, out=np.zeros_like(d), where=b.weights > 0)
                for d, of, b in zip(w, raked.parts, before, strict=True)
            ]
        response = [of.response for of in raked.parts if of.response is not None]
        if response:
            w = _answered(w, response, merge)
        if not merge(and_, [bool(np.isfinite(of).all()) for of in w]):
            return None
        found = meet_again(raked.frame, w, merge)
        if found is None:
            return None
        w = list(found)
    return w


def remade_weights(
    chain: Sequence[Raked], by_unit: Jackknife | Factors, unit: UnitOf, merge: Merge
) -> tuple[ByCase, tuple[GivenWeights, ...]]:
    """Every replicate taken through a chain of weightings, as `made_again` does. Raises StudyError where that
    is more than can be held.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.numerics.parts import in_order
    >>> from even_ballot.core.weighting.raking import rake
    >>> from even_ballot.core.weighting.weighting import Margin, Target, Weighting
    >>> margin = Margin(total_of="w", as_="means", targets=(Target(at={}, value=1.2),))
    >>> jackknife = Jackknife(np.array([0, 0, 0, 0], np.int32), np.array([4]), np.array([0.0]))
    >>> psu = np.array([0, 0, 1, 2, 2, 3, 3, 3], np.int32)
    >>> raked = rake(ferry(), Weighting(margins=(margin,)))
    >>> made, (given,) = remade_weights([raked], jackknife, (psu,), in_order)
    >>> given.weights.sum(0).round(6).tolist()
    [8.0, 8.0, 8.0, 8.0]
    """
    factors = by_unit.factors()
    given = [of.given for of in chain[0].parts]
    count, n = len(factors), merge(plus, [len(d) for d in given])
    if count * n > _MOST:
        raise fault(
            f"{count:,} replicates of {n:,} cases, each calibrated to numbers, do not fit in memory.",
            "design.variance",
            "Use linearisation, or a bootstrap with fewer replicates.",
        )
    made = [np.zeros((len(d), count)) for d in given]
    failed: Bools = np.zeros(count, np.bool_)

    def one(r: int) -> None:
        base = [d * factors[r][of] for d, of in zip(given, unit, strict=True)]
        with np.errstate(all="ignore"):
            found = _one(chain, base, merge)
        if found is None:
            failed[r] = True
        else:
            for part, w in zip(made, found, strict=True):
                part[:, r] = w

    # What others merge too, everybody merges in the same order.
    with ThreadPoolExecutor(1 if with_others(merge) else 2) as pool:
        list(pool.map(one, range(count)))
    return ByCase(by_unit.c, failed, made=True), tuple(GivenWeights(of) for of in made)


def fixes_numbers(chain: Sequence[Raked]) -> bool:
    """Whether any weighting of a chain fixes a number.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.weighting.raking import rake
    >>> from even_ballot.core.weighting.weighting import Weighting
    >>> fixes_numbers([rake(ferry(), Weighting(base="w"))])
    False
    """
    return any(raked.frame.numbers for raked in chain)
