"""Which events are hidden: small ones, and as many others as it takes that no small one can be worked out.

For every small event other counts of atoms are looked for that agree with all that is left in sight and
give it another value: one with nobody in it, one with `below`. What the move changes is hidden, so that
whoever knows the rest cannot tell the two apart.
"""

import time
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from even_ballot.core.disclosure.atoms import Atoms, Links
from even_ballot.core.disclosure.events import Events
from even_ballot.core.disclosure.search import Search, Terms
from even_ballot.core.progress import Progress, quiet


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


def sensitive(search: Search) -> Iterator[Terms]:
    """Small events, the larger first, and differences of two that are small.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> from even_ballot.core.disclosure.events import events_of
    >>> from even_ballot.core.tables.table_request import TableRequest
    >>> from even_ballot.core.tables.shared import SharedCounts
    >>> shared = SharedCounts(sampled(ferry(), Design(), "w"))
    >>> events = events_of(shared, [TableRequest(id="t", stub=("crosses",), show=("n",))])
    >>> len(list(sensitive(Search(events, Atoms(events, {}, ()), 2, None))))
    1
    """
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
    >>> from even_ballot.core.tables.table_request import TableRequest
    >>> from even_ballot.core.tables.shared import SharedCounts
    >>> shared = SharedCounts(sampled(ferry(), Design(), "w"))
    >>> events = events_of(shared, [TableRequest(id="t", stub=("crosses",), show=("n",))])
    >>> [events.value[event] for event in sorted(hide(events, below=2).small)]
    [1]
    """
    began = time.perf_counter()
    search = Search(events, Atoms(events, links or {}, margins), below, wide)
    wanted = list(sensitive(search))
    unjudged = 0
    for k, terms in enumerate(wanted):
        tell("Hiding small cells", k / len(wanted))
        if len(terms) == 2 and not _in_sight(search, terms):
            continue
        if not search.protect(terms):
            unjudged += 1
            _hide_around(search, terms)
    protecting = frozenset(search.hidden - search.small - _known_empty(search))
    return Hidden(
        frozenset(search.small), protecting, frozenset(search.numbers), unjudged, time.perf_counter() - began
    )


def _known_empty(search: Search) -> set[int]:
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


def _in_sight(search: Search, terms: Terms) -> bool:
    """Whether a difference can be taken at all: both of its events are shown."""
    return all(i not in search.hidden for i, _ in terms)


def _hide_around(search: Search, terms: Terms) -> None:
    """Where no other counts were found, everything that is released of the same components is hidden."""
    for i, _ in terms:
        for root in search.vectors[i]:
            search.hidden |= {j for j in search.moved[root] if j not in search.fixed}
            search.numbers |= set(search.moved[root])
