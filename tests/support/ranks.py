"""A study run by several that hold parts of its cases and meet where these are merged, in threads."""

import threading
from collections.abc import Callable
from typing import Any

import numpy as np

from even_ballot.core.data.cases import Cases
from even_ballot.core.data.dataset import Dataset
from even_ballot.core.faults import StudyError
from even_ballot.core.numerics.meeting import Following, Keep, Leading, shares
from even_ballot.core.study.pipeline import run


class Room:
    """Where they meet."""

    def __init__(self, count: int) -> None:
        self.count, self.lock = count, threading.Condition()
        self.given: dict[int, dict[Any, Any]] = {}
        self.arrived: dict[int, int] = {}
        self.places: dict[int, set[str]] = {}
        self.whole: dict[int, Any] = {}
        self.broken: BaseException | None = None

    def follow(self, at: int, place: str, found: Any) -> Any:
        with self.lock:
            self.places.setdefault(at, set()).add(place)
            self.given.setdefault(at, {}).update(found)
            self.arrived[at] = self.arrived.get(at, 0) + 1
            self.lock.notify_all()
            self._wait(lambda: at in self.whole)
            return self.whole[at]

    def lead(self, at: int, place: str, make: Callable[[Any], Any]) -> Any:
        with self.lock:
            self._wait(lambda: self.arrived.get(at, 0) == self.count)
            if self.places[at] != {place}:
                raise AssertionError(f"the leader at {place}, others at {self.places[at]}")
            self.whole[at] = make(self.given[at])
            self.lock.notify_all()
            return self.whole[at]

    def _wait(self, until: Callable[[], bool]) -> None:
        if not self.lock.wait_for(lambda: self.broken is not None or until(), 60):
            raise TimeoutError("they never met")
        if self.broken is not None:
            raise RuntimeError("somebody left") from self.broken


def meeting(call: Callable[..., Any], *first: Any) -> Callable[..., Any]:
    count = iter(range(1 << 30))
    return lambda *more: call(next(count), *first, *more)


def run_together(of: Any, parts: int, among: int, seed: int, keep: Callable[[], Keep] = lambda: tuple) -> Any:
    """What the leader makes of a study. keep: how each holds what is as long as its parts."""
    dealt = shares(parts, among)
    room = Room(len(dealt))
    failures: list[BaseException] = []

    def cut(data: Dataset) -> list[Dataset]:
        part_of = np.random.default_rng(seed).integers(0, parts, data.n)
        return [data.where(part_of == k) for k in range(parts)]

    def follow(share: Any) -> None:
        follower = Following(share, meeting(room.follow), keep())
        try:
            run(of[0], of[1], of[2], part=lambda data: Cases(cut(data)[share.first : share.last], follower))
        except StudyError:
            pass
        except BaseException as error:
            failures.append(error)
            with room.lock:
                room.broken = room.broken or error
                room.lock.notify_all()

    threads = [threading.Thread(target=follow, args=(share,)) for share in dealt]
    for thread in threads:
        thread.start()
    try:
        leader = Leading(parts, meeting(room.lead))
        return run(of[0], of[1], of[2], part=lambda data: Cases([data.where(np.zeros(0, np.int64))], leader))
    except BaseException as error:
        with room.lock:
            room.broken = room.broken or error
            room.lock.notify_all()
        if room.broken is not None and failures:
            raise failures[0] from error
        raise
    finally:
        for thread in threads:
            thread.join()
