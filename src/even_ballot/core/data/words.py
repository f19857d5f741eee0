"""The distinct entries of a column that has very many: packed, so that a million take the room of their
letters, and no time until they are asked for."""

from collections.abc import Iterator, Sequence
from itertools import pairwise
from typing import Any, overload

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.numerics.arrays import Floats


class Words(Sequence[str]):
    """Texts in one buffer of UTF-8. offsets: (n + 1,), where each begins and the last ends. numbers: (n,),
    the number each is written as, with a point for decimals; NaN where it is none, or may be none: those are
    to be read one by one. zeros: whether one of them begins with 0 and another digit.

    >>> words = Words.of(["late", "é", "12"])
    >>> len(words), words[1], list(words), words == ("late", "é", "12")
    (3, 'é', ['late', 'é', '12'], True)
    """

    __slots__ = ("_data", "_offsets", "numbers", "zeros")

    def __init__(
        self,
        data: NDArray[np.uint8],
        offsets: NDArray[Any],
        numbers: Floats | None = None,
        zeros: bool = False,
    ) -> None:
        self._data, self._offsets, self.numbers, self.zeros = data, offsets, numbers, zeros

    @classmethod
    def of(cls, words: Sequence[str]) -> "Words":
        """The same texts, packed."""
        encoded = [word.encode(errors="surrogatepass") for word in words]
        offsets = np.concatenate(([0], np.cumsum([len(word) for word in encoded], dtype=np.int64)))
        return cls(np.frombuffer(b"".join(encoded), np.uint8), offsets)

    @property
    def arrays(self) -> tuple[NDArray[Any], ...]:
        """What it takes up."""
        return self._data, self._offsets, *(() if self.numbers is None else (self.numbers,))

    @property
    def lengths(self) -> NDArray[Any]:
        """Bytes of each text."""
        return np.diff(self._offsets)

    def __len__(self) -> int:
        return len(self._offsets) - 1

    def __iter__(self) -> Iterator[str]:
        whole = self._data.tobytes()
        offsets = self._offsets.tolist()
        if self._data.size and self._data.max() < 128:
            text = whole.decode("ascii")
            return (text[a:b] for a, b in pairwise(offsets))
        return (whole[a:b].decode(errors="surrogatepass") for a, b in pairwise(offsets))

    @overload
    def __getitem__(self, at: int) -> str: ...
    @overload
    def __getitem__(self, at: slice) -> tuple[str, ...]: ...
    def __getitem__(self, at: int | slice) -> str | tuple[str, ...]:
        if isinstance(at, slice):
            return tuple(self[i] for i in range(*at.indices(len(self))))
        at = at + len(self) if at < 0 else at
        if not 0 <= at < len(self):
            raise IndexError(at)
        start, end = int(self._offsets[at]), int(self._offsets[at + 1])
        return self._data[start:end].tobytes().decode(errors="surrogatepass")

    def __eq__(self, other: object) -> bool:
        if isinstance(other, Words):
            same = self._data is other._data and self._offsets is other._offsets
            return same or (
                np.array_equal(self._offsets, other._offsets) and np.array_equal(self._data, other._data)
            )
        return isinstance(other, tuple) and len(other) == len(self) and tuple(self) == other

    def __hash__(self) -> int:
        return hash(tuple(self))

    def __add__(self, other: Sequence[str]) -> tuple[str, ...]:
        return (*self, *other)

    def __radd__(self, other: Sequence[str]) -> tuple[str, ...]:
        return (*other, *self)

    def __reduce__(self) -> tuple[Any, ...]:
        return Words, (self._data, self._offsets, self.numbers, self.zeros)
