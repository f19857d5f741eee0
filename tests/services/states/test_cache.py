"""Values made once, whoever asks for them; work that is seen, stopped and superseded."""

import threading
import time
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from functools import partial
from typing import Any

import numpy as np
import pytest

from even_ballot.core.faults import StudyError, fault
from even_ballot.core.progress import Stopped
from even_ballot.services.states.cache import Cache, Room
from even_ballot.services.workers.ongoing_work import CALLER, OngoingWork, Superseded

PATIENCE = 10


class Maker:
    """Makes a value when it is let go; counts how often it was asked to."""

    def __init__(self, ends: Callable[[], Any]) -> None:
        self.ends, self.calls = ends, 0
        self.begun, self.go = threading.Event(), threading.Event()

    def __call__(self) -> Any:
        self.calls += 1
        self.begun.set()
        assert self.go.wait(PATIENCE)
        return self.ends()


def raising(error: Exception) -> Callable[[], Any]:
    def ends() -> Any:
        raise error

    return ends


def asked_by_three(kept: Cache, maker: Maker, then: Callable[[], Any]) -> list[Future[Any]]:
    """One who makes, and two who ask while it is being made; they would make something else."""
    with ThreadPoolExecutor(3) as pool:
        first = pool.submit(kept.once, "key", maker)
        assert maker.begun.wait(PATIENCE)
        others = [pool.submit(kept.once, "key", then) for _ in range(2)]
        maker.go.set()
    return [first, *others]


def test_what_is_being_made_is_waited_for() -> None:
    value = object()
    maker = Maker(lambda: value)
    answers = asked_by_three(Cache(most=5), maker, raising(AssertionError("made twice")))
    assert all(answer.result() is value for answer in answers)
    assert maker.calls == 1


def test_a_fault_is_kept_for_all_who_ask() -> None:
    kept, maker = Cache(most=5), Maker(raising(fault("It is wrong.")))
    answers = asked_by_three(kept, maker, raising(AssertionError("made twice")))
    assert {str(answer.result()) for answer in answers} == {str(StudyError([*kept.once("key", int).faults]))}


def test_who_waits_is_stopped_too_and_nothing_is_kept() -> None:
    kept = Cache(most=5)
    answers = asked_by_three(kept, Maker(raising(Stopped())), raising(AssertionError("not to be made")))
    assert all(isinstance(answer.exception(), Stopped) for answer in answers)
    assert kept.once("key", lambda: "anew") == "anew"


@pytest.mark.parametrize("error", [OSError("lost"), Superseded()])
def test_who_waits_makes_it_where_the_first_had_a_reason_of_its_own_to_end(error: Exception) -> None:
    first, *others = asked_by_three(Cache(most=5), Maker(raising(error)), lambda: "made after all")
    assert first.exception() is error
    assert [other.result() for other in others] == ["made after all"] * 2


def test_the_least_recently_used_goes() -> None:
    kept = Cache(most=2)
    for key in ("a", "b", "a", "c"):
        kept.once(key, partial(str.__mul__, key, 2))
    assert kept.once("a", lambda: "again") == "aa"
    assert kept.once("b", lambda: "again") == "again"


def test_work_on_a_newer_edition_takes_the_place_of_that_on_an_earlier_one() -> None:
    works = OngoingWork()
    with works.telling("s", 1, "table a") as first, works.telling("s", 1, "table b") as other:
        first("Counting a", 0.5)
        other("Counting b", 0.1)
        with works.telling("s", 1, "table a") as same:
            first("Counting a", 0.6)
            same("Counting a again", 0.2)
            with works.telling("s", 2, "table a") as newer:
                for tell in (first, same):
                    with pytest.raises(Superseded):
                        tell("Counting a", 0.7)
                newer("Counting a anew", 0.0)
                other("Counting b", 0.2)
                doing = works.doing("s")
                assert doing is not None
                assert doing.says == "Counting a anew"
    assert works.doing("s") is None


def test_work_without_a_place_is_stopped_by_nobody_but_who_asks_to() -> None:
    works = OngoingWork()
    with works.telling("s", 1) as release, works.telling("t", 1) as elsewhere:
        with works.telling("s", 2), works.telling("s", 3, "table a"):
            release("Counting for the release", 0.5)
        works.stop("s")
        with pytest.raises(Stopped):
            release("Counting for the release", 0.6)
        elsewhere("Counting", 0.5)


def test_what_is_kept_stays_within_its_bytes_and_shared_parts_count_once() -> None:
    kept = Cache(Room(1_000_000))
    shared = np.zeros(50_000)
    for k in range(30):
        kept.once(f"state {k}", lambda: {"shared": shared, "own": np.zeros(1000)})
    assert kept.taken == shared.nbytes + 30 * 8000
    for k in range(20):
        kept.once(f"large {k}", lambda: np.zeros(20_000))
        assert kept.taken <= 1_000_000
    assert kept.once("large 19", lambda: "made anew") is not None
    assert kept.once("state 0", lambda: "made anew") == "made anew"


def test_much_that_nobody_asks_for_goes_after_a_while_and_little_stays() -> None:
    room = Room(1_000_000, resting=100_000)
    kept = Cache(room, idle=0.05)
    for k in range(5):
        kept.once(f"large {k}", lambda: np.zeros(10_000))
    end = time.monotonic() + PATIENCE
    while kept.taken > room.resting and time.monotonic() < end:
        time.sleep(0.01)
    assert kept.taken == 80_000
    assert not isinstance(kept.once("large 4", lambda: "made anew"), str)
    assert kept.once("large 0", lambda: "made anew") == "made anew"


def test_work_ends_where_whoever_asked_has_gone() -> None:
    works, gone = OngoingWork(), threading.Event()
    token = CALLER.set(gone)
    try:
        with works.telling("s", 1) as tell:
            tell("Counting", 0.1)
            gone.set()
            with pytest.raises(Superseded):
                tell("Counting", 0.2)
    finally:
        CALLER.reset(token)
