"""Which events are hidden: small ones, and as many others as it takes that no small one can be worked out.

For every small event a second set of counts is looked for that agrees with everything left in sight and gives it another value, at
the least cost in further events hidden (a linear program, as in Fischetti and Salazar, 2000, without the integers). What differs
between the two is hidden, so that whoever knows the rest cannot tell the two apart; by construction nothing hidden is determined.
"""

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from scipy.sparse import coo_array, hstack

from even_ballot.core.dataset import Floats
from even_ballot.core.program import least
from even_ballot.core.progress import Progress, quiet
from even_ballot.core.suppression.events import Events

_TRACE = 1e-7


@dataclass(frozen=True)
class Hidden:
    """Events that are hidden: for having few cases, or to protect those."""

    small: frozenset[int]
    protecting: frozenset[int]

    def __contains__(self, event: int) -> bool:
        return event in self.small or event in self.protecting


class _Search:
    """What is hidden so far, and how far each event's value is left open."""

    def __init__(self, events: Events, below: int) -> None:
        self.events, self.below = events, below
        self.value = np.array(events.value, np.float64)
        self.low, self.high = self.value.copy(), self.value.copy()
        self.small = {i for i in events.published if 1 <= events.value[i] < below}
        self.hidden = set(self.small)
        self.blocks_of: dict[int, set[int]] = defaultdict(set)
        self.events_of: dict[int, set[int]] = defaultdict(set)
        self.relations_of: dict[int, list[int]] = defaultdict(list)
        for k, (members, _, block) in enumerate(events.relations):
            for i in members:
                self.blocks_of[i].add(block)
                self.events_of[block].add(i)
                self.relations_of[i].append(k)
        self.fixed = {i for i in events.fixed if i not in self.small}

    def protect(self, event: int) -> None:
        """Leaves an event's value open by at least `below` upwards, and by one downwards."""
        if self.high[event] < self.value[event] + self.below:
            self._shift(event, self.below)
        if self.low[event] > self.value[event] - 1:
            self._shift(event, -1)

    def _shift(self, event: int, by: int) -> None:
        for members in self._surroundings(event):
            moved = self._other(event, by, members)
            if moved is not None:
                at, d = moved
                apart = np.abs(d) > _TRACE
                self.hidden |= {int(i) for i in at[apart] if int(i) in self.events.published}
                np.maximum.at(self.high, at, self.value[at] + d)
                np.minimum.at(self.low, at, self.value[at] + d)
                return

    def _surroundings(self, event: int) -> Iterable[list[int]]:
        """Sets of events that may differ, the near ones first: of its blocks alone, then block by block further out."""
        blocks = set(self.blocks_of[event])
        own = {i for block in blocks for i in self.events_of[block]}
        yield sorted(i for i in own if self.blocks_of[i] <= blocks or i == event)
        while True:
            wider = {block for i in own for block in self.blocks_of[i]}
            own = {i for block in wider for i in self.events_of[block]}
            yield sorted(own)
            if wider == blocks:
                return
            blocks = wider

    def _other(self, event: int, by: int, members: list[int]) -> tuple[np.ndarray, Floats] | None:
        """The cheapest way to shift an event by some cases when only these may differ; None where there is none."""
        at = np.array([i for i in members if i not in self.fixed])
        place = {int(i): k for k, i in enumerate(at)}
        relations = sorted({r for i in at for r in self.relations_of[int(i)]})
        rows, columns, values = [], [], []
        for row, r in enumerate(relations):
            of, coefficients, _ = self.events.relations[r]
            for i, c in zip(of, coefficients, strict=True):
                if i in place:
                    rows.append(row)
                    columns.append(place[i])
                    values.append(c)
        m = len(at)
        a = coo_array((values, (rows, columns)), shape=(len(relations), m)).tocsc()
        open_ = [int(i) in self.hidden or int(i) not in self.events.published for i in at]
        cost = np.where(open_, 1e-4, 1 + 0.1 * np.log1p(self.value[at]))
        bounds = np.zeros((2 * m, 2))
        bounds[:m, 1] = np.inf
        bounds[m:, 1] = self.value[at]
        k = place[event]
        bounds[k], bounds[m + k] = ((by, by), (0, 0)) if by > 0 else ((0, 0), (-by, -by))
        found = least(np.concatenate([cost, cost]), bounds, (hstack([a, -a]), np.zeros(len(relations))))
        return None if found is None else (at, found[:m] - found[m:])


def hide(events: Events, below: int, tell: Progress = quiet) -> Hidden:
    """Small events and those that protect them. below: how many cases are enough to be shown."""
    search = _Search(events, below)
    implied = {i for i in events.implied if 1 <= events.value[i] < below}
    sensitive = sorted(search.small | implied, key=lambda i: (-events.value[i], i))
    for k, event in enumerate(sensitive):
        tell("Hiding small cells", k / len(sensitive))
        search.protect(event)
    return Hidden(frozenset(search.small), frozenset(search.hidden - search.small))
