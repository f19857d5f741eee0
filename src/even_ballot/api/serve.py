"""Everything started together: database, migrations, demo study, server; and stopped together.

python -m even_ballot.api [--folder var] [--port 8410] [--web web/dist]
"""

import argparse
import contextlib
import fcntl
import io
import json
import logging
import os
import signal
import socket
import sys
import threading
from collections.abc import Callable, Iterator
from logging.handlers import RotatingFileHandler
from pathlib import Path
from types import FrameType
from typing import TextIO, cast

import structlog
import uvicorn
from sqlalchemy import Engine
from sqlalchemy.orm import Session
from structlog.typing import EventDict

from even_ballot.api.admission import CONNECTIONS
from even_ballot.api.app import make_app
from even_ballot.api.prompt_headers import PromptHeaders
from even_ballot.core.faults import StudyError
from even_ballot.core.numerics.compiled import prepare
from even_ballot.services.demo import load_demo
from even_ballot.services.in_place.exact import Exact
from even_ballot.services.in_place.folders import DataFolder
from even_ballot.services.states.study_states import Pipelines
from even_ballot.services.upkeep import keep_tidy
from even_ballot.services.workers.helper_processes import warm
from even_ballot.store.backup import write_backup
from even_ballot.store.database import connect, current_revision, migrate, newest_revision
from even_ballot.store.jobs import fail_lost_jobs
from even_ballot.store.server import DatabaseDown, MariaServer, free_port

_PORT, _LONGEST_WAIT = 8410, 30.0


def say(text: str) -> None:
    """A line for the person who started us."""
    print(text, flush=True)


@contextlib.contextmanager
def only_one(folder: Path) -> Iterator[Path]:
    """Holds the folder's lock; says where the one that holds it already is."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
        os.chmod(folder, 0o700)
        (folder / "lock").touch()
    except OSError as error:
        raise _CannotStart(
            f"The folder {folder} cannot be written to: {error.strerror}. Choose another with --folder."
        ) from None
    running = folder / "running.json"
    with (folder / "lock").open("a+") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            try:
                where = json.loads(running.read_text())
                say(f"Even Ballot is running already, at {where['address']} (process {where['pid']}).")
            except (OSError, ValueError, KeyError):
                say("Even Ballot is starting or stopping already in this folder.")
            raise SystemExit(1) from None
        try:
            yield running
        finally:
            running.unlink(missing_ok=True)


class Rotated(io.TextIOBase):
    """A log; past its size it is put aside under .1, .2, …, and the oldest goes."""

    def __init__(self, path: Path, size: int = 16 << 20, kept: int = 4) -> None:
        self._handler = RotatingFileHandler(
            path, maxBytes=size, backupCount=kept, encoding="utf-8", errors="backslashreplace"
        )
        self._handler.terminator = ""
        os.chmod(path, 0o600)

    def write(self, text: str) -> int:
        # On a full disk the line is lost, and nothing else is.
        with contextlib.suppress(OSError, ValueError):
            self._handler.emit(logging.makeLogRecord({"msg": text}))
        return len(text)

    def flush(self) -> None:
        with contextlib.suppress(OSError, ValueError):
            self._handler.flush()


def without_values(logger: object, method: str, event: EventDict) -> EventDict:
    """A processor of logs: of exceptions only their kind and place stay, no text of theirs, which may quote
    what somebody answered."""
    for one in event.get("exception") or ():
        one["exc_value"] = ""
        one.pop("exc_notes", None)
        one["exceptions"] = []
    return event


class _CannotStart(Exception):
    """Why the server does not start, as a sentence."""


def _log_to(path: Path) -> None:
    """Structured logs, a JSON object a line."""
    structlog.configure(
        processors=[
            structlog.contextvars.merge_contextvars,
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="iso", utc=True),
            structlog.processors.ExceptionRenderer(
                structlog.tracebacks.ExceptionDictTransformer(show_locals=False)
            ),
            without_values,
            structlog.processors.JSONRenderer(),
        ],
        logger_factory=structlog.WriteLoggerFactory(file=cast(TextIO, Rotated(path))),
        cache_logger_on_first_use=True,
    )
    logging.getLogger("alembic").setLevel(logging.WARNING)


def _port(wanted: int) -> int:
    """The port wanted, or a free one where it is taken or none is wanted (0)."""
    if not wanted:
        return free_port()
    if not 0 < wanted < 65536:
        raise _CannotStart(f"{wanted} is not a port: use a number from 1 to 65535, or 0 for any free port.")
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", wanted))
        except OSError:
            return free_port()
    return wanted


def _warm() -> None:
    """What the first requests would otherwise wait for, once the server answers: processes and compiled code
    take longer to load than the server does, and would have it wait for a processor."""
    warm()
    prepare()


class _Server(uvicorn.Server):
    """Says the address once it listens."""

    def __init__(
        self, config: uvicorn.Config, running: Path, address: str, ending: Callable[[], None]
    ) -> None:
        super().__init__(config)
        self._running, self._address, self._ending = running, address, ending

    def handle_exit(self, sig: int, frame: FrameType | None) -> None:
        """Whatever is being worked out ends, so that nobody waits for it."""
        self._ending()
        super().handle_exit(sig, frame)

    async def startup(self, sockets: list[object] | None = None) -> None:  # type: ignore[override]
        await super().startup(sockets)  # type: ignore[arg-type]
        if self.started:
            self._running.write_text(json.dumps({"pid": os.getpid(), "address": self._address}))
            say(f"\nEven Ballot is at {self._address}\nCtrl-C stops it.")
            threading.Thread(target=_warm, daemon=True).start()


def _as_ctrl_c(number: int, frame: object) -> None:
    """Being told to end is the same as Ctrl-C: the database is stopped too."""
    raise KeyboardInterrupt


def _started(database: MariaServer) -> bool:
    """Starts the database, again and again where that may be of use."""
    delay = 1.0
    while True:
        try:
            database.start()
            return True
        except DatabaseDown as error:
            say(str(error))
            if error.lasting:
                return False
            say(f"Trying again in {delay:.0f} s. Ctrl-C stops.")
        database.wait_to_try(delay)
        delay = min(2 * delay, _LONGEST_WAIT)


def _kept_before_migrating(database: MariaServer, engine: Engine, folder: Path) -> None:
    """A backup of what there is, before its tables are changed."""
    now, then = current_revision(engine), newest_revision()
    if now is None or now == then:
        return
    backups = folder / "backups"
    backups.mkdir(exist_ok=True)
    write_backup(database, backups / f"{now}-before-{then}.sql.gz")
    say(f"The data is of an earlier version; a backup of it is in {backups}.")


# Long: what starts first stops last, in one place.
def serve(folder: Path, port: int, web: Path, data: Path | None = None) -> int:
    """Runs until it is told to stop; returns the exit code. data: below which records may stay."""
    below = None if data is None else DataFolder(data)
    signal.signal(signal.SIGTERM, _as_ctrl_c)
    # What the server writes is its owner's to read.
    os.umask(0o077)
    at = _port(port)
    with only_one(folder) as running:
        _log_to(folder / "server.log")
        database = MariaServer(folder / "mariadb")
        first = not (database.data / "mysql").exists()
        say("Creating the database …" if first else "Starting the database …")
        try:
            if not _started(database):
                return 1
            engine = connect(database.url, CONNECTIONS)
            _kept_before_migrating(database, engine, folder)
            migrate(engine)
            fail_lost_jobs(engine)
            database.watch()
            app = make_app(engine, web, database, Pipelines(below, Exact(folder / "figures")))
            keep_tidy(engine, app.state.pipelines)
            with Session(engine) as session, session.begin():
                if load_demo(session, app.state.pipelines):
                    say("Added the demo study, the Veldry Isles ferry survey.")
            config = uvicorn.Config(
                app,
                host="127.0.0.1",
                port=at,
                log_config=None,
                access_log=False,
                timeout_graceful_shutdown=1,
                http=PromptHeaders,
                server_header=False,
            )
            server = _Server(config, running, f"http://127.0.0.1:{at}", app.state.pipelines.works.close)
            with contextlib.suppress(KeyboardInterrupt):
                server.run()
            engine.dispose()
        finally:
            say("Stopping the database …")
            database.stop()
        say("Stopped.")
    return 0


def main() -> None:
    parser = argparse.ArgumentParser(description="Starts Even Ballot.")
    parser.add_argument("--folder", type=Path, default=Path("var"), help="where the data lives")
    parser.add_argument("--port", type=int, default=_PORT)
    parser.add_argument("--data", type=Path, help="a folder below which records may stay where they are")
    parser.add_argument("--web", type=Path, default=Path("web/dist"), help="the built interface")
    args = parser.parse_args()
    try:
        code = serve(args.folder, args.port, args.web, args.data)
    except (_CannotStart, StudyError, OSError) as error:
        say(str(error))
        code = 1
    except KeyboardInterrupt:
        say("Stopped before it had started.")
        code = 0
    sys.stdout.flush()
    # Not waiting for threads: what they worked out is asked for by nobody any more, and all that is kept is
    # kept.
    os._exit(code)
