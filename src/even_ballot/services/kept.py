"""Values kept by a key that says all there is to know of them, each made once, whoever asks for it."""

import threading
from collections import OrderedDict
from collections.abc import Callable
from typing import Any

from even_ballot.core.faults import StudyError
from even_ballot.core.progress import Stopped
from even_ballot.services.works import Superseded


class _Making:
    """A value that somebody is making; others wait for it."""

    def __init__(self) -> None:
        self.done = threading.Event()
        self.value: Any = None
        self.broke: BaseException | None = None


class Kept:
    """The most recently used values by key; faults are kept like values."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._values: OrderedDict[str, Any] = OrderedDict()
        self._making: dict[str, _Making] = {}
        self._lock = threading.Lock()

    def once(self, key: str, make: Callable[[], Any]) -> Any:
        """What `make` gives, or the fault it raised. Where it is being made already, that is waited for; stopped, it is stopped for
        all who wait."""
        while True:
            with self._lock:
                if key in self._values:
                    self._values.move_to_end(key)
                    return self._values[key]
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
            # Whoever made it did not end for a reason of its own, a lost connection for one: now it is our turn.

    def _made(self, key: str, make: Callable[[], Any], making: _Making) -> Any:
        try:
            try:
                making.value = make()
            except StudyError as error:
                making.value = error
        except BaseException as error:
            making.broke = error
            raise
        finally:
            with self._lock:
                del self._making[key]
                if making.broke is None:
                    self._values[key] = making.value
                    while len(self._values) > self._most:
                        self._values.popitem(last=False)
            making.done.set()
        return making.value
