"""Totals and means of numbers in which a few cases make up nearly all."""

from dataclasses import dataclass

import numpy as np

from even_ballot.core.disclosure.events import EventKey, Events
from even_ballot.core.disclosure.suppression import Dominance
from even_ballot.core.numerics.arrays import Bools, Floats, Ints
from even_ballot.core.sampling.sample import SamplePart
from even_ballot.core.tables.shared import SharedCounts


@dataclass(frozen=True)
class Contributions:
    """What cases contribute to a total, none below 0: the largest in descending order, and the sum of all."""

    largest: Floats
    sum: float

    def merged(self, other: "Contributions") -> "Contributions":
        """Of two parts together; both hold as many of the largest."""
        most = max(len(self.largest), len(other.largest))
        ordered = np.sort(np.concatenate([self.largest, other.largest]))[::-1]
        return Contributions(ordered[:most], self.sum + other.sum)


def contributions(values: Floats, most: int) -> Contributions:
    """Of one part's cases, (m,); the `most` largest are held, with 0 where there are fewer.

    >>> contributions(np.array([1.0, 5.0, 3.0]), 2).largest.tolist()
    [5.0, 3.0]
    """
    held = np.zeros(most)
    ordered = np.sort(values)[::-1]
    held[: min(most, len(ordered))] = ordered[:most]
    return Contributions(held, float(ordered.sum()))


def most_held(rule: Dominance) -> int:
    """How many of the largest contributions a rule looks at.

    >>> most_held(Dominance(n=3, k=80)), most_held(Dominance(p=10))
    (3, 2)
    """
    return max(rule.n or 0, 2)


def dominates(of: Contributions, rule: Dominance) -> bool:
    """Whether the largest contributions make up too much of their sum.

    n, k: the n largest are more than k per cent of the sum. p: what is left beside the two largest is less
    than p per cent of the largest, so that the second could tell it to within that.

    >>> dominates(contributions(np.array([96.0, 2.0, 2.0]), 2), Dominance(n=1, k=90))
    True
    """
    if not of.largest[0] > 0:
        return False
    if (
        rule.n is not None
        and rule.k is not None
        and float(of.largest[: rule.n].sum()) > rule.k / 100 * of.sum * (1 + 1e-12)
    ):
        return True
    return rule.p is not None and of.sum - float(of.largest[:2].sum()) < rule.p / 100 * float(of.largest[0])


def dominated_numbers(shared: SharedCounts, events: Events, rule: Dominance) -> frozenset[str]:
    """Numbers that a rule holds for in any group that is released. All figures of such a number are
    hidden, since one group's could be had from the others'.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> from even_ballot.core.disclosure.events import events_of
    >>> from even_ballot.core.tables.table_request import TableRequest
    >>> shared = SharedCounts(sampled(ferry(), Design(), "w"))
    >>> events = events_of(shared, [TableRequest(id="t", stub=("age",), show=("n", "mean"))])
    >>> dominated_numbers(shared, events, Dominance(n=1, k=90))
    frozenset()
    """
    found: set[str] = set()
    groups: dict[str, list[Bools]] = {}
    for key, event in events.ids.items():
        for name in {name for name, _ in key[1]}:
            if event in events.published and shared.head.variable(name).kind == "number":
                groups.setdefault(name, []).append(_who(events, key))
    kinds = events.kinds.of_cases(shared.sample) if groups else ()
    for name, inside in groups.items():

        def seen(
            part: SamplePart, kind: Ints, of: str = name, inside: list[Bools] = inside
        ) -> list[Contributions]:
            y = part.weight * np.abs(part.data.column(of).values.astype(np.float64))
            return [contributions(y[who[kind]], most_held(rule)) for who in inside]

        def add(a: list[Contributions], b: list[Contributions]) -> list[Contributions]:
            return [x.merged(y) for x, y in zip(a, b, strict=True)]

        if any(dominates(of, rule) for of in shared.sample.merged(seen, kinds, add=add)):
            found.add(name)
    return frozenset(found)


def _who(events: Events, key: EventKey) -> Bools:
    """The kinds of cases in an event, (K,)."""
    filter_id, states = key
    who = events.filters[filter_id].who.copy()
    for name, state in states:
        who &= events.members[name, state].astype(bool)
    return who
