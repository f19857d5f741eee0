"""Work on the parts of a file: a look at each, what was seen of them merged, in any order."""

from collections.abc import Callable, Sequence
from functools import reduce
from typing import Any, Generic, Protocol, TypeVar

P = TypeVar("P")
T = TypeVar("T")


class Merge(Protocol):
    """Makes one of what was seen of the parts, in any order and by any tree."""

    def __call__(self, add: Callable[[T, T], T], seen: Sequence[T], /) -> T: ...


def in_order(add: Callable[[T, T], T], seen: Sequence[T]) -> T:
    """One after the other.

    >>> in_order(lambda a, b: a + b, [1, 2, 4])
    7
    """
    return reduce(add, seen)


def plus(a: Any, b: Any) -> Any:
    """a + b: of arrays, of tallies, of tuples of arrays each with its own.

    >>> plus((1, 2.0), (3, 0.5))
    (4, 2.5)
    """
    return tuple(x + y for x, y in zip(a, b, strict=True)) if isinstance(a, tuple) else a + b


class InParts(Generic[P]):
    """A whole in parts, at least one. Nothing here is of the whole but what is merged from its parts."""

    def __init__(self, parts: Sequence[P], merge: Merge = in_order) -> None:
        self.parts, self.merge = tuple(parts), merge

    def each(self, look: Callable[..., T], *beside: Sequence[Any]) -> tuple[T, ...]:
        """What is seen of every part; beside: for every part what is looked at with it."""
        return tuple(look(*part) for part in zip(self.parts, *beside, strict=True))

    def merged(self, look: Callable[..., T], *beside: Sequence[Any], add: Callable[[T, T], T] = plus) -> T:
        """What is seen of every part, merged."""
        return self.merge(add, self.each(look, *beside))
