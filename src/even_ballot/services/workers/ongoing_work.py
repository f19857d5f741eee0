"""What is being worked out for a study: seen while it goes on, and stopped."""

import threading
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass

from even_ballot.core.progress import Progress, Stopped

CALLER: ContextVar[threading.Event | None] = ContextVar("caller", default=None)
"""Set where whoever asked for the work has gone."""


@dataclass(frozen=True)
class Doing:
    """What is being done, and the share of it that is."""

    says: str
    share: float | None


class Superseded(Stopped):
    """Work that nobody waits for any more: work for a newer edition has taken its place, or whoever asked
    has gone."""


class _Work:
    """Work that somebody waits for. what: the place it fills, where a newer edition's work makes it
    useless."""

    def __init__(self, what: str | None, edition: int) -> None:
        self.what, self.edition = what, edition
        self.doing: Doing | None = None
        self.end: Stopped | None = None
        self._caller = CALLER.get()

    def tell(self, says: str, share: float | None) -> None:
        if self._caller is not None and self._caller.is_set():
            raise Superseded
        if self.end is not None:
            raise self.end
        self.doing = Doing(says, share)


class OngoingWork:
    """All work that goes on, by study."""

    def __init__(self) -> None:
        self._works: dict[str, list[_Work]] = {}
        self._lock = threading.Lock()

    @contextmanager
    def telling(self, study_id: str, edition: int, what: str | None = None) -> Iterator[Progress]:
        """Work on an edition of a study. Where it says what it is for, work for the same on an earlier
        edition is stopped."""
        work = _Work(what, edition)
        with self._lock:
            works = self._works.setdefault(study_id, [])
            for other in works:
                if what is not None and other.what == what and other.edition < edition:
                    other.end = Superseded()
            works.append(work)
        try:
            yield work.tell
        finally:
            with self._lock:
                works.remove(work)

    def doing(self, study_id: str) -> Doing | None:
        """What is being worked out for a study that takes a while, the newest first."""
        with self._lock:
            going = [
                work.doing
                for work in self._works.get(study_id, ())
                if work.doing is not None and work.end is None
            ]
        return going[-1] if going else None

    def stop(self, study_id: str) -> None:
        """Stops what is being worked out for a study; nothing is kept of it, and nothing is lost."""
        with self._lock:
            for work in self._works.get(study_id, ()):
                work.end = Stopped()

    def close(self) -> None:
        """Stops all of it: the server ends."""
        for study_id in list(self._works):
            self.stop(study_id)
