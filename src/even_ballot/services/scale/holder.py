"""A process that holds parts, as whoever leads talks to it."""

import queue
import threading
import traceback
from collections.abc import Mapping
from dataclasses import astuple
from pathlib import Path
from typing import Any

from even_ballot.core.faults import Fault, StudyError
from even_ballot.core.numerics.meeting import Node, Share
from even_ballot.services.scale.work import Job, do

_LOOK, _SAYS = 5.0, 1.0


class Left(Exception):
    """Nobody leads any more."""


class _Exchange:
    """What goes back and forth between the work and whoever leads."""

    def __init__(self) -> None:
        self.out: queue.Queue[tuple[str, Any]] = queue.Queue()
        self.into: queue.Queue[Any] = queue.Queue()
        self.closed = threading.Event()
        self.read = 0

    def reads(self) -> None:
        """A part more was read."""
        self.read += 1

    def meet(self, place: str, seen: Mapping[Node, Any]) -> Any:
        """Gives what was seen, and gets the whole."""
        self.out.put(("seen", (place, seen)))
        while not self.closed.is_set():
            try:
                return self.into.get(timeout=_LOOK)
            except queue.Empty:
                continue
        raise Left


def _work(job: Job, share: Share, exchange: _Exchange) -> None:
    try:
        exchange.out.put(("done", do(job, share, exchange.meet, exchange.reads)))
    except StudyError as error:
        exchange.out.put(("faults", [astuple(of) for of in error.faults]))
    except Left:
        pass
    except MemoryError:
        what = f"A worker ran out of memory with parts {share.first + 1} to {share.last}."
        exchange.out.put(
            ("faults", [astuple(Fault(what, "", "Use more workers, smaller parts, or less --memory."))])
        )
    except BaseException as error:
        # Not what it says: that may quote answers.
        at = [f"{Path(f.filename).name}:{f.lineno}" for f in traceback.extract_tb(error.__traceback__)[-3:]]
        exchange.out.put(("failed", f"{type(error).__name__} at {' < '.join(reversed(at))}"))


class Holder:
    """Works on a share of the parts, and says what was seen of them whenever it is asked."""

    def __init__(self, job: Job, share: Share) -> None:
        self._exchange = _Exchange()
        threading.Thread(target=_work, args=(job, share, self._exchange), daemon=True).start()

    def go_on(self, *whole: Any) -> tuple[str, Any]:
        """Goes on with the whole of what was seen last (nothing at first), to what is seen next: ("seen",
        (place, stretches)), ("done", files), ("faults", …), ("failed", where), or, where that takes a while,
        ("reading", how many parts it has read)."""
        if whole:
            self._exchange.into.put(whole[0])
        try:
            return self._exchange.out.get(timeout=_SAYS)
        except queue.Empty:
            return "reading", self._exchange.read

    def leave(self) -> None:
        """Nobody leads any more: the work ends where it next meets."""
        self._exchange.closed.set()

    def __del__(self) -> None:
        self.leave()


def faults_of(said: list[tuple[Any, ...]]) -> StudyError:
    """Faults as they were said."""
    return StudyError(Fault(*of) for of in said)
