"""Work that outlasts a request: run in a pool, its progress kept in view, stopped when asked to."""

import errno
import threading
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from dataclasses import dataclass, replace
from typing import Literal

import structlog
from sqlalchemy import Engine
from sqlalchemy.exc import DBAPIError
from sqlalchemy.orm import Session

from even_ballot.core.faults import Fault, StudyError
from even_ballot.core.progress import Progress, Stopped
from even_ballot.store.database import FULL, refusal_of
from even_ballot.store.jobs import begin_job, end_job, faults_of, find_job, note_progress
from even_ballot.store.room import NoRoom

_log = structlog.get_logger()
_EVERY, _IN_VIEW = 0.5, 60
_NO_DATABASE = Fault(
    "The database does not answer; nothing of this was kept.", "", "Check that it runs, then try again."
)
_DISK_FULL = Fault("The disk is full; nothing of this was kept.", "", "Make room there, then begin it again.")
_FAILED = Fault(
    "An internal error occurred in the server; nothing of it was kept.", "", "The server's log says why."
)
Kind = Literal["intake", "release", "figures"]
_PLACES: dict[Kind, int] = {"intake": 3, "release": 2, "figures": 1}
_STOPPED: dict[Kind, Fault] = {
    "intake": Fault("Stopped. Nothing was imported."),
    "release": Fault("Stopped. No release was made."),
    "figures": Fault("Stopped. Figures are those of before."),
}


@dataclass(frozen=True)
class JobView:
    """How a job stands. state: running, done, failed or stopped; share: of the whole, None where not
    known; result: the identifier of what it made."""

    id: str
    about: str
    state: str
    says: str
    share: float | None
    result: str | None
    faults: tuple[Fault, ...]


class _Running:
    """A job under way."""

    def __init__(self, view: JobView) -> None:
        self.view, self.stop = view, threading.Event()
        self.ended: float | None = None


class Jobs:
    """Runs jobs on a database, three files and two releases at a time. What a job writes is one transaction:
    all of it or nothing."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine
        self._pools = {kind: ThreadPoolExecutor(n, f"job {kind}") for kind, n in _PLACES.items()}
        self._running: dict[str, _Running] = {}

    def start(self, kind: Kind, about: str, work: Callable[[Session, Progress], str]) -> JobView:
        """Begins a job; `work` gives the identifier of what it made."""
        # Cache in view a while for those who follow them; afterwards the rows say how they ended.
        for ended in [
            k
            for k, r in list(self._running.items())
            if r.ended is not None and time.monotonic() - r.ended > _IN_VIEW
        ]:
            self._running.pop(ended, None)
        job_id = begin_job(self._engine, kind, about)
        running = _Running(JobView(job_id, about, "running", "Waiting", None, None, ()))
        self._running[job_id] = running
        self._pools[kind].submit(self._run, running, kind, work)
        return running.view

    def view(self, session: Session, job_id: str) -> JobView:
        """How a job stands: from memory while it runs here, else as it is written down."""
        if (running := self._running.get(job_id)) is not None:
            return running.view
        job = find_job(session, job_id)
        return JobView(job.id, job.about, job.state, job.says, job.share, job.result, faults_of(job))

    def running(self, job_id: str) -> JobView | None:
        """A job of this process, running or just ended."""
        running = self._running.get(job_id)
        return None if running is None else running.view

    def stop(self, job_id: str) -> None:
        """Asks a job to stop. One that has ended already stays as it ended."""
        if (running := self._running.get(job_id)) is not None:
            running.stop.set()

    def close(self) -> None:
        """Stops what runs and waits for it."""
        for running in list(self._running.values()):
            running.stop.set()
        for pool in self._pools.values():
            pool.shutdown(wait=True, cancel_futures=True)

    def _run(self, running: _Running, kind: Kind, work: Callable[[Session, Progress], str]) -> None:
        job_id, noted = running.view.id, time.monotonic()

        def progress(says: str, share: float | None) -> None:
            nonlocal noted
            if running.stop.is_set():
                raise Stopped
            running.view = replace(running.view, says=says, share=share)
            if time.monotonic() - noted > _EVERY:
                noted = time.monotonic()
                with suppress(DBAPIError):  # How far it has got is only told; what it makes is what counts.
                    note_progress(self._engine, job_id, says, share)

        state, result, faults = self._ended(job_id, kind, work, progress)
        try:
            end_job(self._engine, job_id, state, result, faults)
        except DBAPIError:
            _log.warning("job's end not written", job=job_id, state=state)
        running.view = replace(running.view, state=state, result=result, faults=faults)
        running.ended = time.monotonic()

    def _ended(
        self, job_id: str, kind: Kind, work: Callable[[Session, Progress], str], progress: Progress
    ) -> tuple[str, str | None, tuple[Fault, ...]]:
        """How a job ended: its state, what it made where it is done, and what stopped it."""
        try:
            with Session(self._engine, expire_on_commit=False) as session, session.begin():
                result = work(session, progress)
                progress("Writing it down", 1.0)
        except Stopped:
            return "stopped", None, (_STOPPED[kind],)
        except StudyError as error:
            return "failed", None, error.faults
        except DBAPIError as error:
            refused = refusal_of(error)
            return "failed", None, (_NO_DATABASE if refused is None else refused.fault,)
        except NoRoom:
            return "failed", None, (FULL,)
        except OSError as error:
            _log.exception("job failed", job=job_id)
            return "failed", None, (_DISK_FULL if error.errno == errno.ENOSPC else _FAILED,)
        except BaseException:
            # Also what ends a thread in the middle: a job never stays as if it were running.
            _log.exception("job failed", job=job_id)
            return "failed", None, (_FAILED,)
        return "done", result, ()
