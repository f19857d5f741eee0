"""Parts held by several processes that all do the same work, each on its own parts, and meet wherever what
was seen of the parts is merged: nothing crosses but what was seen, and everybody goes on with the whole.

The tree that merges goes by the numbers of the parts alone, so that the sum is the same to the last digit
whoever holds which of them."""

import sys
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Any, Protocol, TypeVar

from even_ballot.core.numerics.parts import Merge, Seen, halfway, in_order, tree

T = TypeVar("T")
R = TypeVar("R")
Node = tuple[int, int]
"""A stretch of parts, the last exclusive, that the tree merges by itself."""


@dataclass(frozen=True)
class Share:
    """Which parts a process holds: from `first` to `last`, exclusive, of so many."""

    first: int
    last: int
    of: int

    def nodes(self) -> Iterator[Node]:
        """The largest stretches of the tree that lie in the share, in order.

        >>> list(Share(1, 6, 8).nodes())
        [(1, 2), (2, 4), (4, 6)]
        """
        return _nodes(self.first, self.last, 0, self.of)


def _nodes(first: int, last: int, low: int, high: int) -> Iterator[Node]:
    if last <= low or high <= first:
        return
    if first <= low and high <= last:
        yield low, high
        return
    middle = halfway(low, high)
    yield from _nodes(first, last, low, middle)
    yield from _nodes(first, last, middle, high)


def shares(of: int, among: int) -> list[Share]:
    """Parts dealt to so many, neighbours together and none more than one more than another.

    >>> [(share.first, share.last) for share in shares(5, 2)]
    [(0, 3), (3, 5)]
    """
    ends = [round(k * of / among + 1e-9) for k in range(among + 1)]
    return [Share(a, b, of) for a, b in pairwise(ends) if a < b]


def whole(add: Callable[[T, T], T], found: Mapping[Node, T], of: int) -> T:
    """What stretches come to together.

    >>> whole(lambda a, b: f"({a}{b})", {(0, 2): "(ab)", (2, 3): "c"}, 3)
    '((ab)c)'
    """

    def at(low: int, high: int) -> T:
        if (low, high) in found:
            return found[low, high]
        middle = halfway(low, high)
        return add(at(low, middle), at(middle, high))

    return at(0, of)


def place() -> str:
    """Where in the work a merge is asked for: everybody must be at the same place.

    >>> def merging() -> str:
    ...     return place()
    >>> merging().partition(":")[0]
    '<module>'
    """
    frame = sys._getframe(2)
    while frame.f_back is not None and frame.f_code.co_filename.endswith("parts.py"):
        frame = frame.f_back
    return f"{frame.f_code.co_name}:{frame.f_lineno}"


class Meet(Protocol):
    """Gives what was seen of the own stretches to whoever leads, and gets the whole. place: where in the work
    that is."""

    def __call__(self, place: str, seen: Mapping[Node, Any], /) -> Any: ...


class Lead(Protocol):
    """Gets what everybody saw, gives everybody what is made of it, and gives that."""

    def __call__(self, place: str, make: Callable[[Mapping[Node, Any]], Any], /) -> Any: ...


Keep = Callable[[Iterable[Any]], Sequence[Any]]
"""Holds something as long as its part, for every part."""


class Following:
    """Merges what is seen of a share of the parts with what others see of theirs. keep: how things as long as
    their parts are held."""

    with_others = True

    def __init__(self, share: Share, meet: Meet, keep: Keep = tuple) -> None:
        self.share, self._meet, self.keep = share, meet, keep

    def __call__(self, add: Callable[[T, T], T], seen: Seen[T], /) -> T:
        merged: T = self._meet(place(), self._found(add, seen))
        return merged

    def finishing(self, add: Callable[[T, T], T], seen: Seen[T], finish: Callable[[T], R]) -> R:
        """What whoever leads makes of the whole."""
        made: R = self._meet(place(), self._found(add, seen))
        return made

    def _found(self, add: Callable[[T, T], T], seen: Seen[T]) -> dict[Node, T]:
        one_by_one = iter(seen)
        return {node: tree(add, one_by_one, *node) for node in self.share.nodes()}


class Leading:
    """Merges what those see who hold parts. The leader's own part holds no cases, and is not looked at."""

    with_others = True

    def __init__(self, of: int, lead: Lead) -> None:
        self.of, self._lead = of, lead

    def __call__(self, add: Callable[[T, T], T], seen: Seen[T], /) -> T:
        merged: T = self._lead(place(), lambda found: whole(add, found, self.of))
        return merged

    def finishing(self, add: Callable[[T, T], T], seen: Seen[T], finish: Callable[[T], R]) -> R:
        """What is made of the whole, which is what everybody gets."""
        made: R = self._lead(place(), lambda found: finish(whole(add, found, self.of)))
        return made

    def __reduce__(self) -> tuple[Callable[[], Merge], tuple[()]]:
        """What was found is sent elsewhere: nobody is led there."""
        return _alone, ()


def _alone() -> Merge:
    return in_order
