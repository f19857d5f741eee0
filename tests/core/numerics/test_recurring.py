"""Rows alike over parts: places that several have, whichever way they are said, and rows against a plain count."""

from collections import Counter
from itertools import chain

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from even_ballot.core.numerics import recurring
from even_ballot.core.numerics.parts import in_order
from even_ballot.core.numerics.recurring import Compared, Keyed, Preferred, digests, keys
from even_ballot.core.numerics.recurring import recurring as recurring_rows

BITS = 6


@given(
    st.lists(st.lists(st.integers(0, 2**BITS - 1), max_size=12), min_size=1, max_size=6),
    st.lists(st.booleans(), min_size=6, max_size=6),
)
def test_places_that_several_have_are_the_same_as_places_and_as_bits(
    parts: list[list[int]], as_bits: list[bool]
) -> None:
    of = recurring._Stretch(0, 0, BITS)
    seen = []
    for part, bits in zip(parts, as_bits, strict=False):
        key = np.array(sorted(part), np.uint64) << np.uint64(64 - BITS)
        marks = Keyed(key, np.arange(len(part), dtype=np.uint32)).marks(of)
        assert isinstance(marks, recurring._Marks) == (len(part and set(part)) * 20 < 2**BITS)
        seen.append(marks.bits(2**BITS) if bits and isinstance(marks, recurring._Marks) else marks)
    found = in_order(recurring._both, seen).shared().tolist()
    assert found == sorted(place for place, n in Counter(chain(*parts)).items() if n > 1)


@given(st.lists(st.lists(st.integers(0, 30), max_size=20), min_size=1, max_size=5), st.booleans())
def test_rows_alike_are_those_that_a_plain_count_finds(parts: list[list[int]], poor: bool) -> None:
    of = [np.array(part, np.uint64) for part in parts]

    def decide(part: np.ndarray, at: np.ndarray) -> Preferred:
        row = at + 100 * next(k for k, one in enumerate(of) if one is part)
        return Preferred(digests([part[at]], len(at), 7), np.zeros(len(at), np.int64), row)

    # Keys that many different rows share only cost time.
    keyed = [
        Keyed.of(keys([part % np.uint64(3) if poor else part], len(part)), np.ones(len(part), bool))
        for part in of
    ]
    found = recurring_rows(Compared(keyed, of, decide), [len(part) for part in of], in_order)
    every = Counter(chain(*parts))
    seen = set[int]()
    for part, (alike, spare) in zip(parts, found, strict=True):
        assert alike.tolist() == [every[value] > 1 for value in part]
        for value, is_spare in zip(part, spare.tolist(), strict=True):
            assert is_spare == (value in seen)
            seen.add(value)
