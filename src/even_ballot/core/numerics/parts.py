"""Work on the parts of a file: a look at each, what was seen of them merged, in any order."""

from abc import abstractmethod
from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import Any, Generic, Protocol, TypeVar, overload

from even_ballot.core.faults import fault

P = TypeVar("P")
T = TypeVar("T")
R = TypeVar("R")
T_co = TypeVar("T_co", covariant=True)


class Seen(Protocol[T_co]):
    """What is seen of every part, perhaps made only as it is asked for: then one after the other, once."""

    def __len__(self) -> int: ...
    def __iter__(self) -> Iterator[T_co]: ...


class Merge(Protocol):
    """Makes one of what was seen of the parts, in any order and by any tree."""

    def __call__(self, add: Callable[[T, T], T], seen: Seen[T], /) -> T: ...


def with_others(merge: Merge) -> bool:
    """Whether parts are merged that others hold: then everybody merges the same things in the same order.

    >>> with_others(in_order)
    False
    """
    return bool(getattr(merge, "with_others", False))


def finished(merge: Merge, add: Callable[[T, T], T], seen: Seen[T], finish: Callable[[T], R]) -> R:
    """What is made of the whole of what was seen of the parts, where that is less than the whole: made once,
    before it goes to everybody.

    >>> finished(in_order, plus, [1, 2, 3], lambda whole: whole % 2)
    0
    """
    own = getattr(merge, "finishing", None)
    made: R = finish(merge(add, seen)) if own is None else own(add, seen, finish)
    return made


def kept(merge: Merge, made: Iterable[T]) -> Sequence[T]:
    """Something as long as its part, for every part, held as whoever merges holds such things: at once, or
    made one after the other and put away.

    >>> kept(in_order, (k * k for k in range(3)))
    (0, 1, 4)
    """
    keep: Callable[[Iterable[T]], Sequence[T]] = getattr(merge, "keep", None) or tuple
    return keep(made)


def halfway(first: int, last: int) -> int:
    """Where the tree that merges parts `first` to `last` (exclusive) parts them.

    >>> halfway(0, 5)
    3
    """
    return (first + last + 1) // 2


def tree(add: Callable[[T, T], T], seen: Iterator[T], first: int, last: int) -> T:
    """Halves with halves, over parts `first` to `last` (exclusive), as they come; no more than one thing a
    level is held.

    >>> tree(lambda a, b: f"({a}{b})", iter("bcd"), 1, 4)
    '((bc)d)'
    """
    if last - first == 1:
        return next(seen)
    middle = halfway(first, last)
    before = tree(add, seen, first, middle)
    return add(before, tree(add, seen, middle, last))


def in_order(add: Callable[[T, T], T], seen: Seen[T]) -> T:
    """Neighbours with neighbours, halves with halves.

    >>> in_order(lambda a, b: f"({a}{b})", "abc")
    '((ab)c)'
    """
    return tree(add, iter(seen), 0, len(seen))


def plus(a: Any, b: Any) -> Any:
    """a + b: of arrays, of tallies, of tuples of arrays each with its own.

    >>> plus((1, 2.0), (3, 0.5))
    (4, 2.5)
    """
    return tuple(x + y for x, y in zip(a, b, strict=True)) if isinstance(a, tuple) else a + b


def bounded(n: int, most: int, what: str, where: str, mend: str) -> None:
    """Refuses what was seen of parts where it grows with the cases and is too much to come together.

    >>> bounded(7, 5, "Base weights", "weightings", "Round them.")  # doctest: +ELLIPSIS
    Traceback (most recent call last):
        ...
    even_ballot.core.faults.StudyError: weightings: Base weights: 7, and at most 5 fit in one place. ...
    """
    if n > most:
        raise fault(f"{what}: {n:,}, and at most {most:,} fit in one place.", where, mend)


class Looks(Generic[T]):
    """What is seen of parts, part by part."""

    def __init__(
        self, parts: Sequence[Any], look: Callable[..., T], beside: Sequence[Sequence[Any]] = ()
    ) -> None:
        self._parts, self._look, self._beside = parts, look, beside

    def __len__(self) -> int:
        return len(self._parts)

    def __iter__(self) -> Iterator[T]:
        return (self._look(*part) for part in zip(self._parts, *self._beside, strict=True))


class OneByOne(Sequence[T], Generic[T]):
    """Something of every part that is made whenever it is asked for."""

    @abstractmethod
    def of(self, number: int) -> T:
        """That of one part."""

    @overload
    def __getitem__(self, at: int) -> T: ...
    @overload
    def __getitem__(self, at: slice) -> tuple[T, ...]: ...
    def __getitem__(self, at: int | slice) -> T | tuple[T, ...]:
        if isinstance(at, slice):
            return tuple(self.of(number) for number in range(*at.indices(len(self))))
        if not -len(self) <= at < len(self):
            raise IndexError(at)
        return self.of(at % len(self))


class InParts(Generic[P]):
    """A whole in parts, at least one. Nothing here is of the whole but what is merged from its parts."""

    def __init__(self, parts: Sequence[P], merge: Merge = in_order) -> None:
        # What is kept already is not held once more.
        self.parts: Sequence[P] = tuple(parts) if isinstance(parts, list) else parts
        self.merge = merge

    @property
    def several(self) -> bool:
        """Whether there are other parts than one, here or with others."""
        return len(self.parts) > 1 or with_others(self.merge)

    def each(self, look: Callable[..., T], *beside: Sequence[Any]) -> Sequence[T]:
        """What is seen of every part; beside: for every part what is looked at with it."""
        return kept(self.merge, Looks(self.parts, look, beside))

    def merged(self, look: Callable[..., T], *beside: Sequence[Any], add: Callable[[T, T], T] = plus) -> T:
        """What is seen of every part, merged as it is seen."""
        return self.merge(add, Looks(self.parts, look, beside))
