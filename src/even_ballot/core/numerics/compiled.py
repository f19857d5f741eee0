"""Loops over cases, compiled where that pays.

Loading the compiler takes longer than a small study needs altogether, so loops run as the Python they are
written in, or by arrays where that is written too, until they have taken so long that it pays. All ways do
the same operations in the same order, and give the same bits.
"""

import threading
from collections.abc import Callable
from types import FunctionType
from typing import Any, ParamSpec, TypeVar, cast

import numpy as np

P = ParamSpec("P")
R = TypeVar("R")

PAYS_FROM = 300_000_000
"""Nanoseconds of loops before the compiler is loaded, which takes about three times as long."""
_PYTHON, _ARRAYS = 3000, 25
"""Nanoseconds an element takes."""


def _length(of: Any) -> int:
    """Elements of an array, or of the largest one in a record of arrays."""
    if isinstance(of, tuple):
        return max(map(_length, of), default=1)
    return of.size if isinstance(of, np.ndarray) else 1


class Budget:
    """How long loops may still run before they are compiled, in nanoseconds."""

    def __init__(self, left: int = PAYS_FROM) -> None:
        self.left = left

    def takes(self, args: tuple[Any, ...], each: int = _PYTHON) -> bool:
        """Whether a loop over these arguments still fits; its largest array says how long it is."""
        self.left -= each * max(map(_length, args), default=1)
        return self.left >= 0


_budget = Budget()
_compiling = threading.Lock()


class Loop:
    """A function of loops over arrays, without Python objects; it may call other such functions of its
    module."""

    def __init__(self, plain: Callable[..., Any], budget: Budget = _budget) -> None:
        self.plain, self._budget = plain, budget
        self._fast: Callable[..., Any] | None = None
        self._arrays: Callable[..., Any] | None = None
        self.__doc__, self.__name__ = plain.__doc__, plain.__name__

    def __call__(self, *args: Any) -> Any:
        if self._fast is not None:
            return self._fast(*args)
        uncompiled, each = (self.plain, _PYTHON) if self._arrays is None else (self._arrays, _ARRAYS)
        if self._budget.takes(args, each):
            with np.errstate(all="ignore"):
                return uncompiled(*args)
        return self.fast(*args)

    def by_arrays(self, whole: Callable[..., Any]) -> None:
        """As it runs as long as it is not compiled."""
        self._arrays = whole

    @property
    def fast(self) -> Callable[..., Any]:
        """The compiled function; compiled code is kept on disk from one start to the next."""
        with _compiling:
            return self._compiled()

    def _compiled(self) -> Callable[..., Any]:
        if self._fast is None:
            from numba import njit  # Takes longer to load than most small studies to run.

            assert isinstance(self.plain, FunctionType)
            code, names = self.plain.__code__, self.plain.__globals__
            called = {
                name: names[name]._compiled() for name in code.co_names if isinstance(names.get(name), Loop)
            }
            made = FunctionType(code, {**names, **called}, self.plain.__name__) if called else self.plain
            made.__qualname__ = self.plain.__qualname__
            self._fast = njit(cache=True, nogil=True)(made)
        return self._fast


def compiled(plain: Callable[P, R]) -> Callable[P, R]:
    """A function of loops over arrays that is compiled once that pays.

    >>> @compiled
    ... def doubled(x, out):
    ...     for k in range(x.shape[0]):
    ...         out[k] = 2 * x[k]
    >>> doubled.__name__
    'doubled'
    """
    return cast(Callable[P, R], Loop(plain))


def by_arrays(loop: Callable[P, R]) -> Callable[[Callable[P, R]], Callable[P, R]]:
    """How a loop is done by operations on whole arrays, as long as it is not compiled.

    >>> @compiled
    ... def halved(x, out):
    ...     for k in range(x.shape[0]):
    ...         out[k] = x[k] / 2
    >>> @by_arrays(halved)
    ... def at_once(x, out):
    ...     out[:] = x / 2
    >>> out = np.zeros(2)
    >>> at_once(np.array([3.0, 5.0]), out)
    >>> out.tolist()
    [1.5, 2.5]
    """

    def said(whole: Callable[P, R]) -> Callable[P, R]:
        assert isinstance(loop, Loop)
        loop.by_arrays(whole)
        return whole

    return said


@Loop
def _nothing(a: Any) -> None:
    a[0] = 0.0


def prepare() -> None:
    """Loads the compiler beforehand, where more is to come than a small study, as in a server. All loops
    are compiled then.

    >>> prepare()
    """
    _nothing.fast(np.ones(1))
    _budget.left = 0
