"""Values made once: for each object, whoever asks, and never for another that took its place in memory."""

import threading

from hypothesis import given
from hypothesis import strategies as st

from even_ballot.core.lazy import lazy, remembered


class Thing:
    def __init__(self, value: int) -> None:
        self.value, self.made = value, 0

    @lazy
    def double(self) -> int:
        """Twice."""
        self.made += 1
        return 2 * self.value


def test_a_value_is_made_once_for_each_object() -> None:
    one, other = Thing(1), Thing(2)
    assert (one.double, one.double, other.double) == (2, 2, 4)
    assert (one.made, other.made, Thing.double.__doc__) == (1, 1, "Twice.")


def test_objects_do_not_wait_for_each_other() -> None:
    begun, ended = threading.Event(), threading.Event()

    class Slow:
        def __init__(self, waits: bool) -> None:
            self.waits = waits

        @lazy
        def value(self) -> int:
            if self.waits:
                begun.set()
                assert ended.wait(10)
            return 1

    thread = threading.Thread(target=lambda: Slow(True).value)
    thread.start()
    assert begun.wait(10)
    assert Slow(False).value == 1
    ended.set()
    thread.join(10)


@given(st.lists(st.tuples(st.integers(0, 3), st.integers(0, 2)), max_size=40))
def test_what_is_remembered_is_of_the_very_object(asked: list[tuple[int, int]]) -> None:
    calls = []

    @remembered
    def of(thing: Thing, more: int, scale: int = 1) -> int:
        calls.append((thing.value, more))
        return thing.value * 10 + more * scale

    things = [Thing(k) for k in range(4)]
    for at, more in asked:
        assert of(things[at], more) == at * 10 + more
    assert len(calls) == len({(at, more) for at, more in asked})
    assert of(things[3], 2, scale=5) == 40
    # Others in their place in memory are others.
    for k in range(50):
        del things[0]
        things.insert(0, Thing(100 + k))
        assert of(things[0], 1) == (100 + k) * 10 + 1
