"""Whether counts exist at all that agree with what is in sight and leave a small group open: nothing is
hidden anew, so that any will do, and those are looked for that open other small groups too."""

from collections.abc import Collection
from typing import Any

import numpy as np
import scipy

from even_ballot.core.disclosure.atoms import Atoms
from even_ballot.core.disclosure.events import ANSWERED, Events
from even_ballot.core.disclosure.search import TRACE, Move, Search, Terms
from even_ballot.core.numerics.arrays import Floats
from even_ballot.core.numerics.linear_programs import least


class Openings(Search):
    """A search for any move. watched: small events, released or not, that moves may open on the way."""

    sizes = (0.1, 0.5, 2.0)

    def __init__(self, events: Events, atoms: Atoms, below: int, wide: int | None, hidden: set[int]) -> None:
        super().__init__(events, atoms, below, wide)
        self.hidden = hidden
        self.watched: list[int] = []

    def tell(self, released: set[int], watched: list[int]) -> None:
        """Begins anew with these events told, but for what is hidden."""
        self.lay(released)
        self.fixed, self.watched = released - self.hidden, watched
        self.low, self.high = self.value.copy(), self.value.copy()

    def _ways(self, roots: Collection[str], terms: Terms) -> list[tuple[str, tuple[float, ...]]]:
        """First what the sum is of, then who answered, less widely."""
        states = (state for i, _ in terms for state in self.keys[i][1])
        own = {self.atoms.root(name) for name, state in states if state != ANSWERED}
        ways = super()._ways(roots, terms)
        return [way for way in ways if way[0] in own] + [
            (root, sizes[:-1]) for root, sizes in ways if root not in own
        ]

    def _move(self, root: str, terms: Terms, by: float, size: float) -> Move | None:
        terms, others, part = self._within(root, terms, size)
        events = self.moved[root]
        fixed = [i for i in events if i in self.fixed]
        told = [i for i in fixed if i in self.events.weighted] if self.atoms.of_weight is not None else []
        seen = [self._rows(root, others, part, fixed, False), self._rows(root, others, part, told, True)]
        profiles, places = len(part.profiles), len(part.places)
        slots = profiles * places
        same = scipy.sparse.coo_array(
            (np.ones(slots), (np.tile(np.arange(places), profiles), np.arange(slots))), (places, slots)
        )
        rows: Any = scipy.sparse.vstack([*seen, same, self._sum(root, others, part, terms)]).tocsc()
        b = np.zeros(rows.shape[0])
        b[-1] = by
        mine = [i for i in self.watched if {root} <= set(self.vector(i)) <= {root, *others}]
        watched = self._rows(root, others, part, mine, False)
        bounds = np.stack([-part.cases, np.full(slots, np.inf)], 1)
        d = least(self._wish(mine, watched), bounds, (rows, b))
        if d is None:
            return None
        d[np.abs(d) < 1e-9] = 0
        changed = np.concatenate([self._rows(root, others, part, events, False) @ d, watched @ d])
        return Move(0.0, set(), set(), np.array([*events, *mine]), changed)

    def _wish(self, watched: list[int], rows: Any) -> Floats:
        """What a move costs that opens small events which are not open yet: up first, then down."""
        of = np.array(watched, np.int64)
        up = self.high[of] < np.maximum(self.wide, self.value[of] + 1) - TRACE
        down = ~up & (self.low[of] > TRACE)
        wish: Floats = rows.T @ (down.astype(np.float64) - up)
        return wish
