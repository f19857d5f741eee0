"""Other counts of atoms that agree with all that is in sight.

Cases are moved from profile to profile of one component, those that are alike on all components it is ever
released together with staying as many: then every other release stays as it is, whatever it is of. What a
move changes is hidden, at the least cost: a linear program, as in Fischetti and Salazar (2000), without the
integers.
"""

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import scipy

from even_ballot.core.disclosure.atoms import Atoms
from even_ballot.core.disclosure.events import ANSWERED, RESPONSES, Events
from even_ballot.core.numerics.arrays import Floats, Ints
from even_ballot.core.numerics.linear_programs import least

TRACE, _AT_ONCE = 1e-6, 1_500_000
_PLACES, _PROFILES, _DEAR = 120, 60, 40.0
Terms = tuple[tuple[int, float], ...]
"""A sum of events, each times a number."""


def _conditions(rows: Any, aim: Any, profiles: int, places: int) -> Any:
    """What a move holds to, (slots + places + 1, 2 m + 2 slots): what it changes of the events, rows:
    (slots, m); that every place stays as full; and what it aims at, (1, m)."""
    slots, m = rows.shape
    same = scipy.sparse.coo_array((np.ones(m), (np.tile(np.arange(places), profiles), np.arange(m))))
    slack = scipy.sparse.eye_array(slots)
    top: Any = scipy.sparse.vstack([same, aim])
    return scipy.sparse.block_array([[rows, -rows, -slack, slack], [top, -top, None, None]]).tocsc()


@dataclass(frozen=True)
class Part:
    """What may be moved: profiles of a component, (A,), in places, which are profiles of the others, (K,
    C)."""

    profiles: Ints
    places: Ints
    cases: Floats


@dataclass(frozen=True)
class Move:
    """What a move costs in events hidden anew, what it changes and so hides, and by how much it changes
    events."""

    cost: float
    hidden: set[int]
    numbers: set[int]
    events: Ints
    changed: Floats


class Search:
    """What is hidden so far, and how far each event's value is left open. sizes: how many profiles and places
    are tried, times the usual."""

    sizes: tuple[float, ...] = (1.0, 4.0)

    def __init__(self, events: Events, atoms: Atoms, below: int, wide: int | None) -> None:
        self.events, self.atoms, self.below = events, atoms, below
        self.wide = below if wide is None else wide
        self.value = np.array(events.value, np.float64)
        self.low, self.high = self.value.copy(), self.value.copy()
        self.keys = {at: key for key, at in events.ids.items()}
        self.small = {i for i in events.published if 1 <= events.value[i] < below}
        self.hidden = set(self.small)
        self.numbers: set[int] = set()
        # How many there are in all is known to everybody; how many are in a filter is left in sight as long
        # as that can be.
        self.fixed = {i for i in events.fixed if i not in self.small and not self._filtered(i)}
        # With a base go all the shares that are made of it.
        bases = (
            i for i in events.published if any(state in (ANSWERED, RESPONSES) for _, state in self.keys[i][1])
        )
        self.dear = np.array(sorted({*events.fixed, *bases}))
        self.vectors: dict[int, dict[str, Floats]] = {}
        self.places: dict[tuple[str, ...], tuple[Ints, Ints]] = {}
        self.lay(events.published)

    def lay(self, released: Collection[int]) -> None:
        """Says which events are released: what moves hold to."""
        self.moved: dict[str, list[int]] = {}
        self.beside: dict[str, set[str]] = {}
        weight = self.atoms.of_weight
        for i in sorted(released):
            roots = set(self.vector(i))
            if weight is not None and i in self.events.weighted:
                roots.add(weight[0])
            for root in roots:
                self.moved.setdefault(root, []).append(i)
                self.beside.setdefault(root, set()).update(roots - {root})

    def vector(self, event: int) -> dict[str, Floats]:
        """An event by component."""
        if event not in self.vectors:
            self.vectors[event] = self.atoms.vectors(self.keys[event])
        return self.vectors[event]

    def _filtered(self, event: int) -> bool:
        return bool(self.events.filters[self.keys[event][0]].names)

    def protect(self, terms: Terms) -> bool:
        """Leaves a sum of events open, from 0 or below to `below` or more; whether other counts were
        found."""
        value = sum(c * self.value[i] for i, c in terms)
        up = max(self.wide - value, 1)
        single = terms[0][0] if len(terms) == 1 else None
        found = True
        if single is None or self.high[single] < value + up - TRACE:
            found = self._shift(terms, up)
        if single is None or self.low[single] > TRACE:
            found = self._shift(terms, -value) and found
        return found

    def _shift(self, terms: Terms, by: float) -> bool:
        roots = {root for i, _ in terms for root in self.vector(i)} & set(self.moved)
        best: Move | None = None
        for root, sizes in self._ways(roots, terms):
            for size in sizes:
                found = self._move(root, terms, by, size)
                if found is not None:
                    best = found if best is None or found.cost < best.cost else best
                    break
            if best is not None and best.cost < _DEAR:
                break
        if best is None:
            return False
        self.hidden |= best.hidden
        self.numbers |= best.numbers
        np.maximum.at(self.high, best.events, self.value[best.events] + best.changed)
        np.minimum.at(self.low, best.events, self.value[best.events] + best.changed)
        return True

    def _ways(self, roots: Collection[str], terms: Terms) -> list[tuple[str, tuple[float, ...]]]:
        """The components to move cases of, in this order, and how widely for each."""
        size_of = {r: len(self.moved[r]) * self.atoms.components[r].size for r in roots}
        return [(root, self.sizes) for root in sorted(roots, key=lambda r: (size_of[r], r))]

    def _part(self, root: str, others: Sequence[str], terms: Terms, size: float) -> Part:
        """Profiles and places worth moving between: those that the sum is of, then the most frequent."""
        own = self.atoms.components[root]
        if tuple(others) not in self.places:
            self.places[tuple(others)] = self._places(others)
        places, index = self.places[tuple(others)]
        live, many = self.atoms.live, self.atoms.kinds.cases
        touched, near = np.zeros(own.size, bool), np.zeros(len(places), bool)
        for i, _ in terms:
            of = self.vectors[i]
            touched |= of.get(root, np.ones(own.size)) > 0
            inside = np.ones(len(places), bool)
            for c, r in enumerate(others):
                if r in of:
                    inside &= of[r][places[:, c]] > 0
            near |= inside
        count = np.bincount(index[live], many[live], len(places))
        frequent = np.bincount(own.profile[live], many[live], own.size)
        wanted = touched[own.profile] & near[index] & live
        holds = np.bincount(index[wanted], many[wanted], len(places))
        order = np.lexsort((-count, -holds))
        kept = np.concatenate(
            [order[near[order]][: int(_PLACES * size)], order[~near[order]][: int(_PLACES * size)]]
        )
        profiles = np.lexsort((-frequent,))
        profiles = np.concatenate(
            [
                profiles[touched[profiles]][: int(_PROFILES * size)],
                profiles[~touched[profiles]][: int(_PROFILES * size)],
            ]
        )
        most = max(_AT_ONCE // max(len(self.moved[root]) * len(profiles), 1), 20)
        kept = kept[np.argsort(-(holds[kept] * 1e6 + count[kept]), kind="stable")][:most]
        place_of = np.full(len(places), -1)
        place_of[kept] = np.arange(len(kept))
        profile_of = np.full(own.size, -1)
        profile_of[profiles] = np.arange(len(profiles))
        a, k = profile_of[own.profile[live]], place_of[index[live]]
        there = (a >= 0) & (k >= 0)
        at, slots = a[there] * len(kept) + k[there], len(profiles) * len(kept)
        cases = np.bincount(at, many[live][there], slots).astype(np.float64)
        return Part(profiles, places[kept], cases)

    def _places(self, others: Sequence[str]) -> tuple[Ints, Ints]:
        """Profiles of some components together, (P, C), and that of each kind of cases, (K,)."""
        if not others:
            return np.zeros((1, 0), np.int64), np.zeros(self.atoms.n, np.int64)
        stacked = np.stack([self.atoms.components[r].profile for r in others], 1)
        places, index = np.unique(stacked, axis=0, return_inverse=True)
        return places, index.ravel().astype(np.int64)

    def _rows(
        self, root: str, others: Sequence[str], part: Part, events: Sequence[int], weighted: bool
    ) -> "scipy.sparse.csr_array":
        """Events as sums over profile × place, (events, A · K)."""
        weight = self.atoms.of_weight
        own = np.ones((len(events), len(part.profiles)))
        there = np.ones((len(events), len(part.places)))
        for k, i in enumerate(events):
            for r, vector in self.vectors[i].items():
                if r == root:
                    own[k] *= vector[part.profiles]
                else:
                    there[k] *= vector[part.places[:, others.index(r)]]
        if weighted and weight is not None:
            r, w = weight
            if r == root:
                own *= w[part.profiles]
            else:
                there *= w[part.places[:, others.index(r)]]
        return scipy.sparse.csr_array(
            (own[:, :, None] * there[:, None, :]).reshape(len(events), len(part.profiles) * len(part.places))
        )

    def _move(self, root: str, terms: Terms, by: float, size: float) -> Move | None:
        """The cheapest move between profiles of one component that shifts the sum; None where there is
        none."""
        terms, others, part = self._within(root, terms, size)
        events = self.moved[root]
        counts = self._rows(root, others, part, events, False)
        told = [i for i in events if i in self.events.weighted] if self.atoms.of_weight is not None else []
        rows = scipy.sparse.vstack([counts, self._rows(root, others, part, told, True)]) if told else counts
        of = np.array([*events, *told])
        m, slots = rows.shape[1], len(of)
        aim = self._sum(root, others, part, terms)
        hidden = np.array([i in self.hidden for i in of])
        cost = np.where(hidden, 1e-4, 1 + 0.1 * np.log1p(self.value[of]))
        cost = np.where(~hidden & np.isin(of, self.dear), _DEAR * cost, cost)
        fixed = np.array([i in self.fixed for i in of])
        k = len(part.places)
        a = _conditions(rows, aim, len(part.profiles), k)
        b = np.zeros(slots + k + 1)
        b[-1] = by
        bounds = np.zeros((2 * m + 2 * slots, 2))
        bounds[:m, 1] = np.inf
        bounds[m : 2 * m, 1] = part.cases
        bounds[2 * m :, 1] = np.tile(np.where(fixed, 0.0, np.inf), 2)
        costs = np.concatenate([np.full(2 * m, 1e-6), cost, cost])
        found = least(costs, bounds, (a, b))
        if found is None:
            return None
        d = found[:m] - found[m : 2 * m]
        d[np.abs(d) < 1e-9] = 0
        changed = rows @ d
        apart = np.abs(changed) > TRACE
        spent = float(np.where(apart, cost, 0.0).sum())
        numbers = self._numbers(root, others, part, d, events)
        return Move(spent, {int(i) for i in of[apart]}, numbers, np.array(events), changed[: len(events)])

    def _within(self, root: str, terms: Terms, size: float) -> tuple[Terms, list[str], Part]:
        """A sum as far as a component has part in it (the rest stays as it is), the components beside it, and
        what may be moved."""
        terms = tuple((i, c) for i, c in terms if root in self.vectors[i])
        others = sorted({*self.beside[root], *(r for i, _ in terms for r in self.vectors[i])} - {root})
        return terms, others, self._part(root, others, terms, size)

    def _sum(self, root: str, others: Sequence[str], part: Part, terms: Terms) -> Any:
        """A sum of events over profile × place, (1, A · K)."""
        first, *more = (self._rows(root, others, part, [i], False) * c for i, c in terms)
        return sum(more, first)

    def _numbers(
        self, root: str, others: Sequence[str], part: Part, d: Floats, events: Sequence[int]
    ) -> set[int]:
        """Bases of columns that a move changes, even where as many stay in them: figures of numbers there
        tell of it."""
        bases = [i for i in events if any(state == ANSWERED for _, state in self.keys[i][1])]
        if not bases:
            return set()
        touched = abs(self._rows(root, others, part, bases, False)) @ np.abs(d) > TRACE
        return {i for i, moved in zip(bases, touched, strict=True) if moved}
