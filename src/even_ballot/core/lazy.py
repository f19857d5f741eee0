"""Values of an object that are made when they are first asked for, and kept as long as it is.

The library's own decorator holds a lock of the class while it makes one, so that threads that work on
different objects wait for each other."""

import weakref
from collections.abc import Callable
from typing import Any, Concatenate, Generic, ParamSpec, TypeVar, overload

T = TypeVar("T")
Of = TypeVar("Of")
Rest = ParamSpec("Rest")


def remembered(make: Callable[Concatenate[Of, Rest], T]) -> Callable[Concatenate[Of, Rest], T]:
    """What a function makes of an object that nobody changes, and of further hashable arguments: once, for as
    long as the object lives. Objects are told apart by identity, as equal ones take long to compare.

    >>> class Word(str): ...
    >>> word = Word("isle")
    >>> shout = remembered(lambda of, mark: [of.upper() + mark])
    >>> shout(word, "!") is shout(word, "!"), shout(word, "?")
    (True, ['ISLE?'])
    """
    kept: dict[tuple[Any, ...], tuple[weakref.ref[Any], T]] = {}

    def given(of: Of, /, *rest: Rest.args, **named: Rest.kwargs) -> T:
        key = (id(of), *rest, *sorted(named.items()))
        found = kept.get(key)
        if found is not None and found[0]() is of:
            return found[1]
        value = make(of, *rest, **named)
        kept[key] = weakref.ref(of, lambda _: kept.pop(key, None)), value
        return value

    given.__doc__ = make.__doc__
    return given


class lazy(Generic[T]):
    """Makes a method's value once for each object and keeps it there. Threads that ask an object at once may
    each make it; they get the one that was first.

    >>> class Circle:
    ...     @lazy
    ...     def area(self) -> float:
    ...         print("made")
    ...         return 3.0
    >>> circle = Circle()
    >>> circle.area + circle.area
    made
    6.0
    """

    def __init__(self, make: Callable[[Any], T]) -> None:
        self._make, self.__doc__ = make, make.__doc__

    def __set_name__(self, owner: type, name: str) -> None:
        self._name = name

    @overload
    def __get__(self, instance: None, owner: type) -> "lazy[T]": ...

    @overload
    def __get__(self, instance: object, owner: type) -> T: ...

    def __get__(self, instance: object, owner: type) -> Any:
        if instance is None:
            return self
        return instance.__dict__.setdefault(self._name, self._make(instance))
