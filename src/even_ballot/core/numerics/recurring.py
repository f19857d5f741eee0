"""Rows alike in some columns, over parts of which each is seen by itself: short keys point at rows that may
be alike, digests of these alone decide, so that no more than a stretch of them is ever in one place."""

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.numerics.arrays import Bools, Ints
from even_ballot.core.numerics.parts import Looks, Merge, finished, plus

Digests = NDArray[np.uint64]
"""(n, 2): 128 bits a row."""
_LANES = 4
AT_ONCE = 1 << 20
"""Rows that are looked at at once, about: two bits for each of eight places a row come together first, then
40 bytes of each row that shares its place with another."""
_BLOCK = 1 << 14
_PLACES = 3
"""Places a row, as a power of two."""
_FEW = 20
"""Places for each row from which on bits take less than places that are named."""


def keys(columns: Iterable[NDArray[np.uint64]], n: int, seed: int = 0) -> NDArray[np.uint64]:
    """64 bits for each row that are the same for rows alike in all columns of 64 bits, (n,). Rows that differ
    seldom have one key, unless somebody has made them so: keys only point at rows, and others decide.

    >>> found = keys([np.array([5, 7, 5], np.uint64)], 3)
    >>> bool(found[0] == found[2]), bool(found[0] == found[1])
    (True, False)
    """
    found = np.full(n, np.random.default_rng(seed).integers(1 << 63, dtype=np.uint64))
    for column in columns:
        for start in range(0, n, _BLOCK):
            # Blocks stay in the processor's cache.
            block = found[start : start + _BLOCK]
            block ^= column[start : start + _BLOCK]
            block *= np.uint64(0x9E3779B97F4A7C15)
            block ^= block >> np.uint64(29)
    return found


def digests(columns: Sequence[NDArray[np.uint64]], n: int, seed: int) -> Digests:
    """128 bits for each row that are the same for rows alike in all columns of 64 bits, (n, 2). seed: the
    same for rows to be compared; where whoever made the rows does not know it, two that differ have one
    digest with a probability of 2⁻¹²⁸ (multilinear hashing: Σ a_i x_i modulo 2⁶⁴ over halves x_i of 32 bits
    with random a_i, of which the upper half is kept, four times).

    >>> found = digests([np.array([5, 7, 5], np.uint64)], 3, seed=1)
    >>> bool((found[0] == found[2]).all()), bool((found[0] == found[1]).any())
    (True, False)
    """
    random = np.random.default_rng(seed)
    factors = random.integers(0, 1 << 64, (1 + 2 * len(columns), _LANES), np.uint64)
    found, low, half = np.empty((n, 2), np.uint64), np.uint64(0xFFFFFFFF), np.uint64(32)
    # Blocks stay in the processor's cache.
    for start in range(0, n, _BLOCK):
        block = slice(start, min(start + _BLOCK, n))
        lanes = np.repeat(factors[0][:, None], block.stop - start, 1)
        for k, column in enumerate(columns):
            for of, halves in enumerate((column[block] & low, column[block] >> half)):
                for lane, factor in zip(lanes, factors[1 + 2 * k + of], strict=True):
                    lane += factor * halves
        lanes >>= half
        found[block, 0] = (lanes[0] << half) | lanes[1]
        found[block, 1] = (lanes[2] << half) | lanes[3]
    return found


@dataclass(frozen=True)
class _Alike:
    """Rows of some parts by what they are alike in: the digest of each kind, ascending, (k, 2), how many rows
    it has, and which is to be preferred: the one of the lowest rank, among those the lowest row."""

    digest: Digests
    n: Ints
    rank: Ints
    row: Ints

    def __add__(self, other: "_Alike") -> "_Alike":
        return _alike(
            np.concatenate([self.digest, other.digest]),
            np.concatenate([self.n, other.n]),
            np.concatenate([self.rank, other.rank]),
            np.concatenate([self.row, other.row]),
        )

    def several(self) -> "_Alike":
        """Those of more rows than one."""
        at = np.flatnonzero(self.n > 1)
        return _Alike(self.digest[at], self.n[at], self.rank[at], self.row[at])

    def place(self, digest: Digests) -> tuple[Ints, Bools]:
        """Where the kinds of some rows are among these, and whether they are."""
        key = self.digest[:, 0]
        at = np.searchsorted(key, digest[:, 0])
        # Where the first halves are equal and the second are not, the next one is meant.
        last = max(len(key) - 1, 0)
        while len(key):
            here = np.minimum(at, last)
            ahead = (key[here] == digest[:, 0]) & (self.digest[here, 1] < digest[:, 1]) & (at < len(key))
            if not ahead.any():
                break
            at = at + ahead
        here = np.minimum(at, last)
        there = (at < len(key)) & (self.digest[here] == digest).all(1) if len(key) else at < 0
        return here, np.asarray(there)


def _alike(digest: Digests, n: Ints, rank: Ints, row: Ints) -> _Alike:
    # Runs that are in order are merged; only where first halves are the same the rest decides.
    order = np.argsort(digest[:, 0], kind="stable")
    first = digest[order, 0]
    same = first[1:] == first[:-1]
    if same.any():
        tied = np.zeros(len(first), np.bool_)
        tied[1:] |= same
        tied[:-1] |= same
        some = order[tied]
        order[tied] = some[np.lexsort((row[some], rank[some], digest[some, 1], digest[some, 0]))]
    digest = digest[order]
    new = np.ones(len(order), np.bool_)
    new[1:] = (digest[1:] != digest[:-1]).any(1)
    at = np.flatnonzero(new)
    counts = np.add.reduceat(n[order], at) if len(at) else n[:0]
    return _Alike(digest[at], counts, rank[order[at]], row[order[at]])


@dataclass(frozen=True)
class Preferred:
    """Some rows of a part: the digest of each, (k, 2), and which of those alike is preferred: the one of the
    lowest rank, among those the lowest row."""

    digest: Digests
    rank: Ints
    row: Ints


@dataclass(frozen=True)
class Keyed:
    """The rows of a part that are compared, by their keys, ascending. place: where each stands."""

    key: NDArray[np.uint64]
    place: NDArray[np.uint32]

    @classmethod
    def of(cls, key: NDArray[np.uint64], known: Bools) -> "Keyed":
        """known: (n,), which of the part's rows are compared."""
        place = np.flatnonzero(known)
        order = np.argsort(key[place])
        place = place[order]
        return cls(key[place], place.astype(np.uint32))

    def between(self, of: "_Stretch") -> slice:
        """Those in a stretch."""
        ends = [min(k << 64 - of.bits, (1 << 64) - 1) for k in (of.number, of.number + 1)]
        low, high = np.searchsorted(self.key, np.array(ends, np.uint64)).tolist()
        return slice(low, len(self.place) if of.number + 1 == 1 << of.bits else high)

    def marks(self, of: "_Stretch") -> "_Marks | _Packed":
        """Which places of a stretch it has rows at, and several."""
        at = of.places(self.key[self.between(of)])
        new = np.ones(len(at), np.bool_)
        new[1:] = at[1:] != at[:-1]
        first = np.flatnonzero(new)
        several = np.diff(np.append(first, len(at))) > 1
        return _Marks(at[first].astype(np.uint32), several).packed(of.places_bits)

    def candidates(self, of: "_Stretch", several: Bools) -> Ints:
        """Where in the part its rows stand that lie in a stretch at places that several rows have."""
        here = self.between(of)
        return self.place[here][several[of.places(self.key[here])]].astype(np.int64)


@dataclass(frozen=True)
class _Stretch:
    """One of 2^bits equal stretches of digests, in 2^places_bits places."""

    number: int
    bits: int
    places_bits: int

    def places(self, key: NDArray[np.uint64]) -> Ints:
        """The place of each of its first halves, ascending as these are."""
        here: Ints = ((key << np.uint64(self.bits)) >> np.uint64(64 - self.places_bits)).astype(np.int64)
        return here


@dataclass(frozen=True)
class _Packed:
    """Places of a stretch that some rows have, and that several have, as bits."""

    once: NDArray[np.uint8]
    several: NDArray[np.uint8]

    def __add__(self, other: "_Packed | _Marks") -> "_Packed":
        if isinstance(other, _Marks):
            return self + other.bits(8 * len(self.once))
        both = self.several | other.several | (self.once & other.once)
        return _Packed(self.once | other.once, both)

    def shared(self) -> NDArray[np.uint32]:
        """The places that several have, ascending."""
        return np.flatnonzero(np.unpackbits(self.several)).astype(np.uint32)


@dataclass(frozen=True)
class _Marks:
    """The same as places, ascending, where they are few; several: whether several rows have them."""

    place: NDArray[np.uint32]
    several: Bools

    def packed(self, bits: int) -> "_Marks | _Packed":
        """As bits, where that is less."""
        if len(self.place) * _FEW < 1 << bits:
            return self
        return self.bits(1 << bits)

    def bits(self, places: int) -> _Packed:
        """The same as bits of so many places."""
        once, several = np.zeros((2, places), np.bool_)
        once[self.place] = True
        several[self.place[self.several]] = True
        return _Packed(np.packbits(once), np.packbits(several))

    def __add__(self, other: "_Packed | _Marks") -> "_Packed | _Marks":
        if isinstance(other, _Packed):
            return self.bits(8 * len(other.once)) + other
        place, at = np.unique(np.concatenate([self.place, other.place]), return_inverse=True)
        several = np.bincount(at.ravel(), minlength=len(place)) > 1
        several[at.ravel()[: len(self.place)][self.several]] = True
        several[at.ravel()[len(self.place) :][other.several]] = True
        return _Marks(place, several)

    def shared(self) -> NDArray[np.uint32]:
        """The places that several have, ascending."""
        return self.place[self.several]


def _both(a: _Packed | _Marks, b: _Packed | _Marks) -> _Packed | _Marks:
    return a + b


@dataclass(frozen=True)
class Compared:
    """Parts of rows that are compared: their keys, what they are, and what tells of some rows of a part, by
    their places, what decides."""

    keyed: Sequence[Keyed]
    parts: Sequence[Any]
    decide: Callable[[Any, Ints], Preferred]

    def _kinds(self, keyed: Keyed, part: Any, of: _Stretch, several: Bools) -> _Alike:
        """Rows of a part that may be alike, by what they are."""
        found = self.decide(part, keyed.candidates(of, several))
        return _alike(found.digest, np.ones(len(found.row), np.int64), found.rank, found.row)

    def stretches(self, merge: Merge) -> Iterator[tuple[_Stretch, Bools, _Alike]]:
        """Stretch by stretch the places that several rows of all parts have, and the kinds of these rows: no
        others can be alike to another."""
        rows = self.rows(merge)
        bits = (rows // AT_ONCE).bit_length()
        places = max(min(rows, AT_ONCE).bit_length() + _PLACES, 3)
        for number in range(1 << bits):
            of = _Stretch(number, bits, places)
            marks = Looks(self.keyed, partial(Keyed.marks, of=of))
            several = np.zeros(1 << places, np.bool_)
            several[finished(merge, _both, marks, lambda whole: whole.shared())] = True
            look = partial(self._kinds, of=of, several=several)
            yield of, several, merge(_Alike.__add__, Looks(self.keyed, look, (self.parts,)))

    def rows(self, merge: Merge) -> int:
        """How many rows of all parts are compared."""
        return int(merge(plus, Looks(self.keyed, lambda keyed: len(keyed.place))))


def recurring(of: Compared, sizes: Sequence[int], merge: Merge) -> Sequence[tuple[Bools, Bools]]:
    """For every part, of (n,) rows as `sizes` says, which of its rows another one is alike to, and which of
    these are not the preferred of their kind.

    >>> from even_ballot.core.numerics.parts import in_order
    >>> parts = [np.array([7, 8], np.uint64), np.array([8, 9], np.uint64)]
    >>> keyed = [Keyed.of(keys([part], 2), np.ones(2, bool)) for part in parts]
    >>> def decide(part, at):
    ...     return Preferred(digests([part[at]], len(at), 1), 0 * at, part[at].astype(int))
    >>> found = recurring(Compared(keyed, parts, decide), [2, 2], in_order)
    >>> [alike.tolist() for alike, _ in found]
    [[False, True], [True, False]]
    """
    found = [(np.zeros(n, np.bool_), np.zeros(n, np.bool_)) for n in sizes]
    for stretch, shared, kinds in of.stretches(merge):
        several = kinds.several()
        if not len(several.n):
            continue
        for (alike, spare), keyed, part in zip(found, of.keyed, of.parts, strict=True):
            at = keyed.candidates(stretch, shared)
            here = of.decide(part, at)
            where, there = several.place(here.digest)
            rows = at[there]
            alike[rows] = True
            spare[rows] = several.row[where[there]] != here.row[there]
    return found


def distinct(of: Compared, merge: Merge) -> int:
    """How many kinds of rows there are in all parts.

    >>> from even_ballot.core.numerics.parts import in_order
    >>> values = np.array([7, 8, 7], np.uint64)
    >>> keyed = Keyed.of(keys([values], 3), values > 0)
    >>> def decide(part, at):
    ...     return Preferred(digests([part[at]], len(at), 1), 0 * at, at)
    >>> distinct(Compared([keyed] * 2, [values] * 2, decide), in_order)
    2
    """
    # Rows at places of their own are all distinct.
    return of.rows(merge) + sum(len(kinds.n) - int(kinds.n.sum()) for _, _, kinds in of.stretches(merge))
