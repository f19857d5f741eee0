"""Grouping by one or several keys."""

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.numerics.arrays import Ints

_CLOSE, _WHOLE = 4, 2.0**62


def numbered(keys: NDArray[Any]) -> tuple[NDArray[Any], Ints]:
    """The distinct keys, ascending, and the place of each among them, (n,). Keys that are whole numbers close
    together are counted, which is several times faster than sorting them.

    >>> found, place = numbered(np.array([7, 3, 7]))
    >>> found.tolist(), place.tolist()
    ([3, 7], [1, 0, 1])
    """
    whole = keys
    if keys.dtype.kind == "f" and len(keys) and np.abs(keys).max(initial=0) < _WHOLE:
        ints = keys.astype(np.int64)
        whole = ints if (ints == keys).all() else keys
    if whole.dtype.kind in "iub" and len(keys):
        low = int(whole.min())
        if int(whole.max()) - low < _CLOSE * len(keys) + 1000:
            at = whole.astype(np.int64) - low
            there = np.zeros(int(at.max()) + 1, np.bool_)
            there[at] = True
            found = np.flatnonzero(there) + low
            place = np.cumsum(there) - 1
            return found.astype(np.int64 if keys.dtype.kind == "b" else keys.dtype), place[at]
    found, place = np.unique(keys, return_inverse=True)
    return found, place.ravel().astype(np.int64)


def alike(columns: Sequence[NDArray[Any]]) -> Ints:
    """A number for each row that is the same for rows alike in all columns, (n,): 0, 1, … in the order of
    the columns' values.

    >>> alike([np.array([1, 1, 0]), np.array([5, 4, 9])]).tolist()
    [2, 1, 0]
    """
    found = np.zeros(len(columns[0]), np.int64)
    for column in columns:
        distinct, place = numbered(column)
        found = numbered(found * max(len(distinct), 1) + place)[1]
    return found
