"""Work on files and pictures done in processes of its own, within limits of memory and time; what a file
does there ends that process, and is told as a fault."""

import contextlib
import multiprocessing
import os
import queue
import signal
import sys
import threading
import time
from collections.abc import Callable, Generator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from multiprocessing import forkserver
from multiprocessing.connection import Connection, Pipe
from types import ModuleType
from typing import Any

from even_ballot.core.faults import Fault, Passing, StudyError
from even_ballot.core.progress import Progress, quiet
from even_ballot.services.workers import helper
from even_ballot.services.workers.process_limits import memory_for, seconds_for

_LOOK, _PATIENCE, _TURN = 0.05, 5.0, 0.5
RESTING = 120.0
"""Seconds that a process which has nothing to do is kept."""
_FAILED = "The process working on this failed."
_LOGGED = "Try again. var/server.log has what happened; what was sent is unchanged."
_KILLED = "Close other programs, then try again."
_CRASHED = "Check that the file is complete, then try again."
_SMALLER = "Leave out columns or records that are not needed, or import them as several files."


def _error(event: str, **about: Any) -> None:
    """Tells the log; what logs is loaded when there is something to log."""
    import structlog

    structlog.get_logger("even_ballot").error(event, **about)


class _Ended(Exception):
    """The process at the other end is gone."""


def _resident(pid: int) -> int:
    """Memory that a process holds."""
    try:
        with open(f"/proc/{pid}/statm") as file:
            return int(file.read().split()[1]) * os.sysconf("SC_PAGE_SIZE")
    except (OSError, IndexError, ValueError):
        return 0


class _PastLimit(StudyError):
    """Memory or time that was passed; the process still works."""


def _too_much(memory: int) -> StudyError:
    return _past(f"This needs more memory than the limit of {memory / 2**30:.1f} GiB.")


def _past(what: str) -> StudyError:
    return _PastLimit(Fault(what, "", _SMALLER))


def _ended(task: str, code: int, memory: int) -> StudyError:
    """What ended a process: libraries abort where the limit gives them no memory; only the system, or
    somebody on this machine, kills."""
    _error("helper ended", task=task, code=code)
    if code == -signal.SIGABRT:
        return _too_much(memory)
    if code == -signal.SIGKILL:
        what = "The process working on this was killed, perhaps because the machine ran out of memory."
        return Passing(Fault(what, "", _KILLED))
    return Passing(Fault("The process working on this crashed.", "", _CRASHED))


def _placed(error: StudyError, where: str) -> StudyError:
    """Faults that do not say where they are, at a place."""
    return type(error)([replace(f, where=f.where or where) for f in error.faults])


def _followed(connection: Connection, pid: int, memory: int, seconds: float, progress: Progress) -> Any:
    """What a process makes of its task. Raises StudyError for faults and limits; _Ended where the process
    is gone."""
    until, before = time.monotonic() + seconds, _resident(pid)
    while True:
        try:
            if not connection.poll(_LOOK):
                if time.monotonic() > until:
                    raise _past(f"This took longer than the limit of {seconds:,.0f} seconds.")
                if _resident(pid) > before + 2 * memory:
                    raise _too_much(memory)
                continue
            kind, value = helper.receive(connection)
        except (EOFError, ConnectionError):
            raise _Ended from None
        match kind:
            case "says":
                progress(*value)
            case "done":
                return value
            case "faults":
                raise helper.faults_from(value)
            case helper.MEMORY:
                raise _too_much(memory)
            case _:
                _error("helper failed", error=str(value)[:500])
                raise Passing(Fault(_FAILED, "", _LOGGED))


_NURSERY = multiprocessing.get_context("forkserver")
_NURSERY.set_forkserver_preload(["even_ballot.services.workers.nursery"])


_starting = threading.Lock()


@contextlib.contextmanager
def _without_main() -> Generator[None, None, None]:
    """For a moment there is no main module: a helper would load whichever started this process once more,
    with all that it does."""
    with _starting:
        held, sys.modules["__main__"] = sys.modules["__main__"], ModuleType("__main__")
        try:
            yield
        finally:
            sys.modules["__main__"] = held


class _Helper:
    """A process, forked from one that has what tasks need ready."""

    def __init__(self, nice: int) -> None:
        self.connection, theirs = Pipe()
        with theirs:
            self.process = _NURSERY.Process(target=helper.work, args=(theirs, nice), daemon=True)
            with _without_main():
                self.process.start()
        self.used, self.since = 0, time.monotonic()

    @property
    def pid(self) -> int:
        return self.process.pid or 0

    @property
    def alive(self) -> bool:
        return self.process.exitcode is None

    def code(self) -> int:
        """Of its end, once it has ended."""
        self.process.join(_PATIENCE)
        return self.process.exitcode or 0

    def end(self) -> None:
        self.process.kill()
        self.process.join()
        self.connection.close()


def warm() -> None:
    """Starts the process that helpers are forked from, so that the first file need not wait for it."""
    forkserver.ensure_running()


class Helpers:
    """Processes that work on what is asked, and rest for a while before they end. count: how many may rest;
    most: how many there are while others are waited for, of which one alone may work on what takes more than
    the least memory; tasks: after how many one is replaced; nice: how far they give way to others."""

    def __init__(self, count: int = 2, tasks: int = 200, nice: int = 1, most: int | None = None) -> None:
        self.nice, self._count, self._tasks = nice, count, tasks
        self._most = max(count, most or count)
        self._free: queue.LifoQueue[_Helper] = queue.LifoQueue()
        self._lock, self._large = threading.Lock(), threading.BoundedSemaphore(1)
        self._started, self._looked_after = 0, False

    def end_idle(self, seconds: float = RESTING) -> None:
        """Ends the processes that have had nothing to do for so long."""
        rested: list[_Helper] = []
        with self._lock, self._free.mutex:
            for one in list(self._free.queue):
                if time.monotonic() - one.since > seconds:
                    self._free.queue.remove(one)
                    rested.append(one)
            self._started -= len(rested)
        for one in rested:
            one.end()

    def _look_after(self) -> None:
        while True:
            time.sleep(RESTING / 4)
            self.end_idle()

    def _one(self) -> _Helper:
        """A process that is free; another one where none is and there may be more."""
        with self._lock:
            if not self._looked_after:
                self._looked_after = True
                threading.Thread(target=self._look_after, name="helpers", daemon=True).start()
        try:
            one = self._free.get_nowait()
        except queue.Empty:
            with self._lock:
                more = self._started < self._most
                self._started += more
            if more:
                return self._new()
            one = self._free.get()
        if not one.alive:
            one.end()
            one = self._new()
        return one

    def _back(self, one: _Helper, kept: bool) -> None:
        """A process is free again: it stays where it is one of those that are always there."""
        with self._lock:
            fewer = self._started > self._count
            self._started -= fewer
        if kept and not fewer:
            one.since = time.monotonic()
            self._free.put(one)
            return
        one.end()
        if not fewer:
            self._free.put(self._new())

    def run(self, name: str, *args: Any, size: int = 0, progress: Progress = quiet, where: str = "") -> Any:
        """What a task makes; size: bytes that it works on; where: their name, for faults. Raises
        StudyError where it is at fault, or takes too much."""
        if memory_for(size) <= memory_for(0):
            return self._run(name, args, size, progress, where)
        while not self._large.acquire(timeout=_TURN):
            progress("Waiting for another large file", None)
        try:
            return self._run(name, args, size, progress, where)
        finally:
            self._large.release()

    def _run(self, name: str, args: tuple[Any, ...], size: int, progress: Progress, where: str) -> Any:
        one = self._one()
        memory = memory_for(size)
        one.used += 1
        kept = False
        try:
            helper.send(one.connection, (name, args, memory))
            value = _followed(one.connection, one.pid, memory, seconds_for(size), progress)
            kept = True
            return value
        except (_Ended, ConnectionError):
            raise _placed(_ended(name, one.code(), memory), where) from None
        except StudyError as error:
            kept = not isinstance(error, _PastLimit)
            raise _placed(error, where) from None
        finally:
            self._back(one, kept and one.used < self._tasks)

    @property
    def busy(self) -> bool:
        """Whether whoever comes now must wait."""
        with self._lock:
            return self._free.empty() and self._started >= self._most

    def stream(self, name: str, *args: Any, size: int = 0, waiting: Any = None) -> Generator[Any, None, None]:
        """What a task gives, one thing after the other; who closes this stops the work. waiting: given first
        where no process is free. Raises StudyError where it is at fault, or takes too much."""
        if waiting is not None and self.busy:
            yield waiting
        one, done = self._one(), False
        try:
            helper.send(one.connection, (name, args, memory_for(size)))
            while True:
                kind, value = helper.receive(one.connection)
                if kind == "part":
                    yield value
                    continue
                done = True
                if kind == "faults":
                    raise helper.faults_from(value)
                if kind != "done":
                    _error("helper failed", task=name, error=str(value)[:500])
                    raise Passing(Fault(_FAILED, "", _LOGGED))
                return
        except (EOFError, ConnectionError):
            raise _ended(name, one.code(), memory_for(size)) from None
        finally:
            if done and one.alive:
                self._back(one, True)
            else:
                threading.Thread(target=self._stop, args=(one,), daemon=True).start()

    def _stop(self, one: _Helper) -> None:
        """Has a process leave its task, and ends it where it does not."""
        try:
            helper.send(one.connection, helper.STOP)
            until = time.monotonic() + _PATIENCE
            while one.connection.poll(max(until - time.monotonic(), 0)):
                if helper.receive(one.connection)[0] != "part":
                    self._back(one, True)
                    return
        except (EOFError, ConnectionError):
            pass
        self._back(one, False)

    def _new(self) -> _Helper:
        return _Helper(self.nice)

    def close(self) -> None:
        """Ends the processes that are free."""
        self.end_idle(-1)


READERS = Helpers(1, most=3)
"""For files that are brought in."""
HELPERS = Helpers(1, most=3)
"""For everything else that looks at what came from outside; no file that is slow to read keeps it waiting."""
WHOLE = Helpers(1, nice=5)
"""For figures of records that stay where they are, one study at a time."""
DEPENDING = Helpers(nice=9)
"""For what may take long, and gives way to everything else."""


def forked(
    name: str,
    *args: Any,
    size: int = 0,
    where: str = "",
    meanwhile: Callable[[], None] = lambda: None,
) -> Any:
    """The same in a copy of this process, for a command that does one thing: nothing has to be loaded
    again. meanwhile: what this process does beside it."""
    ours, theirs = Pipe()
    memory = memory_for(size)
    sys.stdout.flush()
    sys.stderr.flush()
    pid = os.fork()
    if pid == 0:
        _child(theirs, lambda: helper.carry_out(theirs, name, args, memory))
    theirs.close()
    try:
        # Only now: a process that is copied while it loads something has half of it.
        with ThreadPoolExecutor(1) as beside:
            beside.submit(meanwhile)
            return _followed(ours, pid, memory, seconds_for(size), quiet)
    except _Ended:
        raise _placed(_too_much(memory), where) from None
    except StudyError as error:
        raise _placed(error, where) from None
    finally:
        os.kill(pid, signal.SIGKILL)
        os.waitpid(pid, 0)
        ours.close()


def _child(connection: Connection, work: Callable[[], None]) -> None:
    """Does the work and ends, whatever happens; what the parent had opened is not touched."""
    try:
        helper.die_with_parent()
        work()
    finally:
        connection.close()
        os._exit(0)
