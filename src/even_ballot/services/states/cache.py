"""Values kept by a key that says all there is to know of them, each made once, whoever asks for it; all
together within a number of bytes."""

import threading
import time
from collections import OrderedDict
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, fields, is_dataclass
from typing import Any

import numpy as np

from even_ballot.core.data.words import Words
from even_ballot.core.faults import Passing, StudyError
from even_ballot.core.numerics.parts import InParts
from even_ballot.core.progress import Stopped
from even_ballot.core.sampling.replicates import Replicates
from even_ballot.core.tables.shared import SharedCounts
from even_ballot.services.workers.ongoing_work import Superseded
from even_ballot.services.workers.process_limits import GIB, give_back, machine_memory

_SMALL, _DEEP = 2000, 12
_ALIKE, _LOOKED_AT = 64, 8
"""Of more things than these, so many are looked at for how large they are."""
RESTING, IDLE = 64 << 20, 300.0
"""Bytes that may be kept though nobody asks for them, and after how many seconds that is so."""


def parts_of(value: Any, depth: int = 0) -> Iterator[tuple[int, int]]:
    """What a value holds that is worth counting: each array and run of texts by its identity, with its
    bytes. States of one study share most of their columns, so a sum over states would count them many
    times."""
    if isinstance(value, np.ndarray):
        while isinstance(value.base, np.ndarray):
            value = value.base
        yield id(value), value.nbytes
    elif isinstance(value, bytes | str):
        yield id(value), len(value)
    elif depth <= _DEEP:
        own, inside = _inside(value)
        yield from own
        for item in inside:
            yield from parts_of(item, depth + 1)


def _is_small(item: Any) -> bool:
    """Whether a thing is of few bytes, all it holds together."""
    return not isinstance(item, np.ndarray) and sum(size for _, size in parts_of(item, _DEEP - 3)) < _SMALL


def _inside(value: Any) -> tuple[list[tuple[int, int]], Iterable[Any]]:
    """What a value takes up itself, and what it holds."""
    if isinstance(value, tuple | list):
        if value and all(isinstance(text, str) for text in value[:50]):
            return [(id(value), sum(len(text) + 60 if isinstance(text, str) else 60 for text in value))], ()
        if len(value) > _ALIKE and all(_is_small(item) for item in value[:: len(value) // _LOOKED_AT]):
            # Many small things alike, figures of a table for one.
            return [(id(value), len(value) * 400)], ()
        return [], value
    if isinstance(value, dict):
        return [], value.values()
    if isinstance(value, Words):
        return [], value.arrays
    if isinstance(value, SharedCounts):
        return [(id(value), value.room)], [value.sample]
    if isinstance(value, InParts | Replicates):
        return [], vars(value).values()
    if is_dataclass(value):
        return [], [getattr(value, field.name) for field in fields(value)]
    return [], ()


class Room:
    """Bytes that may be kept, and what takes them up, each part counted once however many values hold it.
    resting: how many of them by what nobody asks for."""

    def __init__(self, most: int | None = None, resting: int = RESTING) -> None:
        self.most = min(machine_memory() // 4, 2 * GIB) if most is None else most
        self.resting = resting
        self.taken = 0
        self._holders: dict[int, tuple[int, int]] = {}

    def add(self, parts: dict[int, int]) -> None:
        """Some parts are held once more."""
        for part, size in parts.items():
            known, holders = self._holders.get(part, (size, 0))
            self._holders[part] = known, holders + 1
            self.taken += 0 if holders else known

    def drop(self, parts: dict[int, int]) -> None:
        """They are held once less."""
        for part in parts:
            size, holders = self._holders[part]
            if holders > 1:
                self._holders[part] = size, holders - 1
            else:
                del self._holders[part]
                self.taken -= size


class _Making:
    """A value that somebody is making; others wait for it."""

    def __init__(self) -> None:
        self.done = threading.Event()
        self.value: Any = None
        self.broke: BaseException | None = None


@dataclass
class _Kept:
    """A value, its parts, and when somebody last asked for it."""

    value: Any
    parts: dict[int, int]
    used: float


class _Values:
    """The most recently used values; those that go leave their room to others."""

    def __init__(self, room: Room, most: int) -> None:
        self._room, self._most = room, most
        self._kept: OrderedDict[str, _Kept] = OrderedDict()

    def __len__(self) -> int:
        return len(self._kept)

    def get(self, key: str) -> _Kept | None:
        if (kept := self._kept.get(key)) is not None:
            kept.used = time.monotonic()
            self._kept.move_to_end(key)
        return kept

    def keep(self, key: str, value: Any, parts: dict[int, int]) -> None:
        """Keeps a value; what was used least recently goes, until there is room."""
        self._kept[key] = _Kept(value, parts, time.monotonic())
        self._room.add(parts)
        while len(self) > 1 and (len(self) > self._most or self._room.taken > self._room.most):
            self._drop_oldest()

    def _drop_oldest(self) -> None:
        _, kept = self._kept.popitem(last=False)
        self._room.drop(kept.parts)

    def rest(self, since: float) -> bool:
        """Drops what nobody asked for since then, until what is left is small; says whether any went."""
        before = len(self)
        while self._room.taken > self._room.resting and len(self) > 1:
            if next(iter(self._kept.values())).used > since:
                break
            self._drop_oldest()
        return len(self) < before


class Cache:
    """The most recently used values by key, within a room; faults are kept like values. idle: seconds after
    which what nobody asked for goes, where it is much."""

    def __init__(self, room: Room | None = None, most: int = 5000, idle: float = IDLE) -> None:
        self._room, self._idle = room or Room(), idle
        self._clock: threading.Timer | None = None
        self._values = _Values(self._room, most)
        self._making: dict[str, _Making] = {}
        self._lock = threading.Lock()

    @property
    def taken(self) -> int:
        """Bytes that are kept."""
        return self._room.taken

    def once(self, key: str, make: Callable[[], Any]) -> Any:
        """What `make` gives, or the fault it raised. Where it is being made already, that is waited for;
        stopped, it is stopped for all who wait."""
        while True:
            with self._lock:
                if (kept := self._values.get(key)) is not None:
                    return kept.value
                making = self._making.get(key)
                mine = making is None
                if making is None:
                    making = self._making[key] = _Making()
            if mine:
                return self._made(key, make, making)
            making.done.wait()
            if making.broke is None:
                return making.value
            if isinstance(making.broke, Stopped) and not isinstance(making.broke, Superseded):
                raise Stopped
            # Whoever made it did not end for a reason of its own, a lost connection for one: now it is our
            # turn.

    def _made(self, key: str, make: Callable[[], Any], making: _Making) -> Any:
        try:
            try:
                making.value = make()
            except Passing:
                raise
            except StudyError as error:
                making.value = error
        except BaseException as error:
            making.broke = error
            raise
        finally:
            parts = dict(parts_of(making.value)) if making.broke is None else {}
            with self._lock:
                del self._making[key]
                if making.broke is None:
                    self._values.keep(key, making.value, parts)
                    self._wind()
            making.done.set()
        return making.value

    def _wind(self) -> None:
        """Looks again after a while, where much is kept."""
        if self._clock is None and self._room.taken > self._room.resting:
            self._clock = threading.Timer(self._idle, self._rest)
            self._clock.daemon = True
            self._clock.start()

    def _rest(self) -> None:
        with self._lock:
            self._clock = None
            dropped = self._values.rest(time.monotonic() - self._idle)
            self._wind()
        if dropped:
            give_back()
