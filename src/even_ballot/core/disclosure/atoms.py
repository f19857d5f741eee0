"""Who the released counts may be of: components of variables that go together, and the profiles that cases
have on each.

Variables that are made of one another, stand in one filter, or tell each other are one component; a
profile is what a case has on all variables of a component. An atom is one profile of each component. Any
number of cases may be of any atom, as far as anybody who knows the codebook and what is released can tell;
profiles that no case has are not thought of, which hides more and never less.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.disclosure.events import EventKey, Events
from even_ballot.core.lazy import lazy
from even_ballot.core.numerics.arrays import Floats, Ints
from even_ballot.core.numerics.grouping import alike

_PAIRS, _LOOKED_AT = 200, 400
WEIGHT = "\x00weight"

Links = Mapping[str, Sequence[str]]
"""What each variable that the ledger made is made of."""


@dataclass(frozen=True)
class Component:
    """profile: (K,), of each kind of cases; first: (P,), a kind of each profile."""

    profile: Ints
    first: Ints

    @property
    def size(self) -> int:
        """How many profiles there are."""
        return len(self.first)


def _tells(a: Ints, b: Ints, cases: int) -> bool:
    """Whether what a kind has of a tells what it has of b, and either more than one thing; an a that every
    one of the cases has for itself tells nothing."""
    for part in (slice(0, _LOOKED_AT), slice(None)):
        pairs = len(np.unique(a[part] * (int(b.max(initial=0)) + 1) + b[part]))
        if pairs > len(np.unique(a[part])):
            return False
    return len(np.unique(b)) > 1 and len(np.unique(a)) < cases


class Atoms:
    """Components and what events are in terms of their profiles. Where weights take few values, who has which
    is known as far as it goes with other variables; `margins`: those that weights were raked on."""

    def __init__(self, events: Events, links: Links, margins: Sequence[tuple[str, ...]]) -> None:
        self.events, self.kinds = events, events.kinds
        self.live = self.kinds.weight > 0
        self.n = len(self.live)
        self.weights_known = self.kinds.weights_known
        names = list(dict.fromkeys(name for name, _ in events.members))
        self._signatures = {name: self._of_variable(name) for name in names}
        if self.weights_known:
            self._signatures[WEIGHT] = alike([self.kinds.weight])
        asked = (name for of in events.filters.values() for name in sorted(of.names))
        self._parent = {name: name for name in dict.fromkeys([*self._signatures, *asked])}
        self._join(links, margins)
        self.components = self._components()

    def _of_variable(self, name: str) -> Ints:
        return alike([members for (of, _), members in self.events.members.items() if of == name])

    def root(self, name: str) -> str:
        """The component that a variable is of."""
        while self._parent[name] != name:
            name = self._parent[name]
        return name

    def _unite(self, names: Sequence[str]) -> None:
        there = [name for name in names if name in self._parent]
        for other in there[1:]:
            self._parent[self.root(other)] = self.root(there[0])

    def _join(self, links: Links, margins: Sequence[tuple[str, ...]]) -> None:
        def sources(name: str, seen: frozenset[str] = frozenset()) -> set[str]:
            made_of = set(links.get(name, ())) - seen
            return {name, *(s for source in made_of for s in sources(source, seen | {name}))}

        used = list(self._parent)
        by_source: dict[str, list[str]] = {}
        for name in used:
            for source in sources(name):
                by_source.setdefault(source, []).append(name)
        for group in by_source.values():
            self._unite(group)
        for of in self.events.filters.values():
            self._unite(sorted(of.names))
        if self.weights_known:
            self._unite([WEIGHT, *(name for by in margins for name in by)])
        cases = int(self.kinds.cases.sum())
        for a, b in combinations(list(self._signatures)[:_PAIRS], 2):
            if self.root(a) != self.root(b):
                of_a, of_b = self._signatures[a], self._signatures[b]
                if _tells(of_a, of_b, cases) or _tells(of_b, of_a, cases):
                    self._unite([a, b])

    def _components(self) -> dict[str, Component]:
        groups: dict[str, list[str]] = {}
        for name in self._parent:
            groups.setdefault(self.root(name), []).append(name)
        filters: dict[str, list[NDArray[np.generic]]] = {}
        for filter_id in self.events.filters:
            if (root := self.filter_root(filter_id)) is not None:
                filters.setdefault(root, []).append(self.events.filters[filter_id].who)
        found = {}
        for root, names in groups.items():
            columns = [
                *(self._signatures[name] for name in names if name in self._signatures),
                *filters.get(root, []),
            ]
            profile = alike(columns) if columns else np.zeros(self.n, np.int64)
            found[root] = Component(profile, np.unique(profile, return_index=True)[1])
        return found

    def filter_root(self, filter_id: str) -> str | None:
        """The component that decides who is in a filter; None where everybody is."""
        of = self.events.filters[filter_id]
        if not of.names and bool((of.who == self.live).all()):
            return None
        return self.root(min(of.names)) if of.names else None

    @lazy
    def of_weight(self) -> tuple[str, Floats] | None:
        """The component that knows the weight, and the weight of each of its profiles; None where they are
        all alike, or too many."""
        if not self.weights_known:
            return None
        root = self.root(WEIGHT)
        return root, np.asarray(self.kinds.weight[self.components[root].first])

    def vectors(self, key: EventKey) -> dict[str, Floats]:
        """An event by component: for each profile whether it is in it, or how often; their product over
        components is the atom's."""
        filter_id, states = key
        found: dict[str, Floats] = {}

        def times(root: str, column: NDArray[np.generic]) -> None:
            own = column[self.components[root].first].astype(np.float64)
            found[root] = own if root not in found else found[root] * own

        if (root := self.filter_root(filter_id)) is not None:
            times(root, self.events.filters[filter_id].who)
        for name, state in sorted(states, key=str):
            times(self.root(name), self.events.members[name, state])
        return found
