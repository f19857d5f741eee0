"""Which events are hidden: small ones, and as many others as it takes that no small one can be worked out.

For every small event other counts of atoms are looked for that agree with all that is left in sight and
give it another value: one with nobody in it, one with `below`. They are found by moving cases from profile
to profile of one component, those that are alike on all components it is ever released together with
staying as many: then every other release stays as it is, whatever it is of. What the move changes is
hidden, at the least cost (a linear program, as in Fischetti and Salazar, 2000, without the integers), so
that whoever knows the rest cannot tell the two apart.
"""

import time
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import scipy

from even_ballot.core.disclosure.atoms import Atoms, Links
from even_ballot.core.disclosure.events import ANSWERED, RESPONSES, Events
from even_ballot.core.numerics.arrays import Floats, Ints
from even_ballot.core.numerics.linear_programs import least
from even_ballot.core.progress import Progress, quiet

_TRACE, _AT_ONCE = 1e-6, 1_500_000
_PLACES, _PROFILES, _DEAR = 120, 60, 40.0
Terms = tuple[tuple[int, float], ...]
"""A sum of events, each times a number."""


@dataclass(frozen=True)
class Hidden:
    """Events that are hidden: for having few cases, or to protect those. numbers: those whose figures of
    numbers are hidden with them. unjudged: groups that no other counts were found for; seconds: how long
    it took."""

    small: frozenset[int]
    protecting: frozenset[int]
    numbers: frozenset[int] = frozenset()
    unjudged: int = 0
    seconds: float = 0.0

    def __contains__(self, event: int) -> bool:
        return event in self.small or event in self.protecting


def _conditions(rows: Any, aim: Any, profiles: int, places: int) -> Any:
    """What a move holds to, (slots + places + 1, 2 m + 2 slots): what it changes of the events, rows:
    (slots, m); that every place stays as full; and what it aims at, (1, m)."""
    slots, m = rows.shape
    same = scipy.sparse.coo_array((np.ones(m), (np.tile(np.arange(places), profiles), np.arange(m))))
    slack = scipy.sparse.eye_array(slots)
    top: Any = scipy.sparse.vstack([same, aim])
    return scipy.sparse.block_array([[rows, -rows, -slack, slack], [top, -top, None, None]]).tocsc()


@dataclass(frozen=True)
class _Part:
    """What may be moved: profiles of a component, (A,), in places, which are profiles of the others, (K,
    C)."""

    profiles: Ints
    places: Ints
    cases: Floats


@dataclass(frozen=True)
class _Move:
    """What a move costs in events hidden anew, what it changes and so hides, and by how much it changes
    events."""

    cost: float
    hidden: set[int]
    numbers: set[int]
    events: Ints
    changed: Floats


class _Search:
    """What is hidden so far, and how far each event's value is left open."""

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
        self.vectors = {i: atoms.vectors(self.keys[i]) for i in sorted(events.published)}
        self.places: dict[str, tuple[Ints, Ints]] = {}
        self.moved: dict[str, list[int]] = {}
        self.beside: dict[str, set[str]] = {}
        weight = atoms.of_weight
        for i, of in self.vectors.items():
            roots = set(of)
            if weight is not None and i in events.weighted:
                roots.add(weight[0])
            for root in roots:
                self.moved.setdefault(root, []).append(i)
                self.beside.setdefault(root, set()).update(roots - {root})

    def _filtered(self, event: int) -> bool:
        return bool(self.events.filters[self.keys[event][0]].names)

    def protect(self, terms: Terms) -> bool:
        """Leaves a sum of events open, from 0 or below to `below` or more; whether other counts were
        found."""
        value = sum(c * self.value[i] for i, c in terms)
        up = max(self.wide - value, 1)
        single = terms[0][0] if len(terms) == 1 else None
        found = True
        if single is None or self.high[single] < value + up - _TRACE:
            found = self._shift(terms, up)
        if single is None or self.low[single] > _TRACE:
            found = self._shift(terms, -value) and found
        return found

    def _shift(self, terms: Terms, by: float) -> bool:
        roots = {root for i, _ in terms for root in self.vectors[i]}
        best: _Move | None = None
        for root in sorted(roots, key=lambda r: (len(self.moved[r]) * self.atoms.components[r].size, r)):
            for size in (1, 4):
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

    def _part(self, root: str, others: Sequence[str], terms: Terms, size: int) -> _Part:
        """Profiles and places worth moving between: those that the sum is of, then the most frequent."""
        own = self.atoms.components[root]
        if root not in self.places:
            self.places[root] = self._places(others)
        places, index = self.places[root]
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
        kept = np.concatenate([order[near[order]][: _PLACES * size], order[~near[order]][: _PLACES * size]])
        profiles = np.lexsort((-frequent,))
        profiles = np.concatenate(
            [
                profiles[touched[profiles]][: _PROFILES * size],
                profiles[~touched[profiles]][: _PROFILES * size],
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
        return _Part(profiles, places[kept], cases)

    def _places(self, others: Sequence[str]) -> tuple[Ints, Ints]:
        """Profiles of some components together, (P, C), and that of each kind of cases, (K,)."""
        if not others:
            return np.zeros((1, 0), np.int64), np.zeros(self.atoms.n, np.int64)
        stacked = np.stack([self.atoms.components[r].profile for r in others], 1)
        places, index = np.unique(stacked, axis=0, return_inverse=True)
        return places, index.ravel().astype(np.int64)

    def _rows(
        self, root: str, others: Sequence[str], part: _Part, events: Sequence[int], weighted: bool
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
        return scipy.sparse.csr_array((own[:, :, None] * there[:, None, :]).reshape(len(events), -1))

    def _move(self, root: str, terms: Terms, by: float, size: int) -> _Move | None:
        """The cheapest move between profiles of one component that shifts the sum; None where there is
        none."""
        others = sorted(self.beside[root])
        # What the component has no part in stays as it is.
        terms = tuple((i, c) for i, c in terms if root in self.vectors[i])
        part = self._part(root, others, terms, size)
        events = self.moved[root]
        counts = self._rows(root, others, part, events, False)
        told = [i for i in events if i in self.events.weighted] if self.atoms.of_weight is not None else []
        rows = scipy.sparse.vstack([counts, self._rows(root, others, part, told, True)]) if told else counts
        of = np.array([*events, *told])
        m, slots = rows.shape[1], len(of)
        places = [self._rows(root, others, part, [i], False) * c for i, c in terms]
        aim: Any = places[0] if len(places) == 1 else places[0] + places[1]
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
        found = least(np.concatenate([np.full(2 * m, 1e-6), cost, cost]), bounds, (a, b))
        if found is None:
            return None
        d = found[:m] - found[m : 2 * m]
        d[np.abs(d) < 1e-9] = 0
        changed = rows @ d
        apart = np.abs(changed) > _TRACE
        spent = float(np.where(apart, cost, 0.0).sum())
        numbers = self._numbers(root, others, part, d, events)
        return _Move(spent, {int(i) for i in of[apart]}, numbers, np.array(events), changed[: len(events)])

    def _numbers(
        self, root: str, others: Sequence[str], part: _Part, d: Floats, events: Sequence[int]
    ) -> set[int]:
        """Bases of columns that a move changes, even where as many stay in them: figures of numbers there
        tell of it."""
        bases = [i for i in events if any(state == ANSWERED for _, state in self.keys[i][1])]
        if not bases:
            return set()
        touched = abs(self._rows(root, others, part, bases, False)) @ np.abs(d) > _TRACE
        return {i for i, moved in zip(bases, touched, strict=True) if moved}


def _sensitive(search: _Search) -> Iterator[Terms]:
    """Small events, the larger first, and differences of two that are small."""
    value = search.events.value
    for i in sorted(search.small, key=lambda i: (-value[i], i)):
        yield ((i, 1.0),)
    for whole, part in search.events.apart:
        if 1 <= value[whole] - value[part] < search.below and {whole, part} <= search.events.published:
            yield ((whole, 1.0), (part, -1.0))


def hide(
    events: Events,
    below: int,
    wide: int | None = None,
    links: Links | None = None,
    margins: Sequence[tuple[str, ...]] = (),
    tell: Progress = quiet,
) -> Hidden:
    """Small events and those that protect them. below: how many cases are enough to be
    shown; wide: how far apart the counts must lie that agree with what is released; links, margins:
    `Atoms`.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> from even_ballot.core.disclosure.events import events_of
    >>> from even_ballot.core.tables.request import TableRequest
    >>> from even_ballot.core.tables.shared import SharedCounts
    >>> shared = SharedCounts(sampled(ferry(), Design(), "w"))
    >>> events = events_of(shared, [TableRequest(id="t", stub=("crosses",), show=("n",))])
    >>> [events.value[event] for event in sorted(hide(events, below=2).small)]
    [1]
    """
    began = time.perf_counter()
    search = _Search(events, Atoms(events, links or {}, margins), below, wide)
    sensitive = list(_sensitive(search))
    unjudged = 0
    for k, terms in enumerate(sensitive):
        tell("Hiding small cells", k / len(sensitive))
        if len(terms) == 2 and not _in_sight(search, terms):
            continue
        if not search.protect(terms):
            unjudged += 1
            _hide_around(search, terms)
    protecting = frozenset(search.hidden - search.small - _known_empty(search))
    return Hidden(
        frozenset(search.small), protecting, frozenset(search.numbers), unjudged, time.perf_counter() - began
    )


def _known_empty(search: _Search) -> set[int]:
    """Hidden events that nobody is in, as a wider one in sight says that nobody is in either: hiding them
    hides nothing."""
    events = search.events
    empty = {search.keys[i] for i in events.published - search.hidden if not events.value[i]}
    found = set()
    for i in search.hidden - search.small:
        of, states = search.keys[i]
        if not events.value[i] and any(of == wider and held <= states for wider, held in empty):
            found.add(i)
    return found


def _in_sight(search: _Search, terms: Terms) -> bool:
    """Whether a difference can be taken at all: both of its events are shown."""
    return all(i not in search.hidden for i, _ in terms)


def _hide_around(search: _Search, terms: Terms) -> None:
    """Where no other counts were found, everything that is released of the same components is hidden."""
    for i, _ in terms:
        for root in search.vectors[i]:
            search.hidden |= {j for j in search.moved[root] if j not in search.fixed}
            search.numbers |= set(search.moved[root])
