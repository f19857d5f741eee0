"""Totals and means of numbers in which a few cases make up nearly all."""

import numpy as np

from even_ballot.core.disclosure.events import EventKey, Events
from even_ballot.core.disclosure.request import Dominance
from even_ballot.core.numerics.arrays import Bools, Floats
from even_ballot.core.tables.shared import SharedCounts


def dominates(contributions: Floats, rule: Dominance) -> bool:
    """Whether the largest contributions make up too much of their sum. contributions: (m,), none below 0.

    n, k: the n largest are more than k per cent of the sum. p: what is left beside the two largest is less
    than p per cent of the largest, so that the second could tell it to within that.
    """
    ordered = np.sort(contributions[contributions > 0])[::-1]
    whole = float(ordered.sum())
    if not len(ordered):
        return False
    if (
        rule.n is not None
        and rule.k is not None
        and float(ordered[: rule.n].sum()) > rule.k / 100 * whole * (1 + 1e-12)
    ):
        return True
    return rule.p is not None and whole - float(ordered[:2].sum()) < rule.p / 100 * float(ordered[0])


def dominated_numbers(passes: SharedCounts, events: Events, rule: Dominance) -> frozenset[str]:
    """Numbers that a rule holds for in any group that is released. All figures of such a number are
    hidden, since one group's could be had from the others'."""
    found = set()
    for key, event in events.ids.items():
        for name in {name for name, _ in key[1]}:
            if (
                name not in found
                and event in events.published
                and passes.data.variable(name).kind == "number"
            ):
                who = _who(events, key)
                column = passes.data.column(name)
                if dominates(passes.weight[who] * np.abs(column.values[who].astype(np.float64)), rule):
                    found.add(name)
    return frozenset(found)


def _who(events: Events, key: EventKey) -> Bools:
    filter_id, states = key
    who = events.filters[filter_id].who.copy()
    for name, state in states:
        who &= events.members[name, state].astype(bool)
    return who
