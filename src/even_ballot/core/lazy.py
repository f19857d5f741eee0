"""Values of an object that are made when they are first asked for.

The library's own decorator holds a lock of the class while it makes one, so that threads that work on
different objects wait for each other."""

from collections.abc import Callable
from typing import Any, Generic, TypeVar, overload

T = TypeVar("T")


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
