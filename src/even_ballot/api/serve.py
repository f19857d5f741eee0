"""Everything started together: database, migrations, demo study, server; and stopped together.

python -m even_ballot.api.serve [--folder var] [--port 8410] [--web web/dist]
"""

import argparse
import contextlib
import fcntl
import json
import logging
import os
import signal
import socket
import sys
import threading
from collections.abc import Iterator
from datetime import timedelta
from pathlib import Path

import structlog
import uvicorn
from sqlalchemy.orm import Session

from even_ballot.api.app import make_app
from even_ballot.core.compiled import prepare
from even_ballot.services.demo import load_demo
from even_ballot.store.database import connect, migrate
from even_ballot.store.jobs import fail_lost_jobs
from even_ballot.store.server import DatabaseDown, MariaServer, free_port
from even_ballot.store.studies import forget_strays

_PORT = 8410


def say(text: str) -> None:
    """A line for the person who started us."""
    print(text, flush=True)


@contextlib.contextmanager
def only_one(folder: Path) -> Iterator[Path]:
    """Holds the folder's lock; says where the one that holds it already is."""
    folder.mkdir(parents=True, exist_ok=True)
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


def _log_to(path: Path) -> None:
    """Structured logs, a JSON object a line."""
    structlog.configure(
        processors=[
            structlog.contextvars.merge_contextvars,
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="iso", utc=True),
            structlog.processors.dict_tracebacks,
            structlog.processors.JSONRenderer(),
        ],
        logger_factory=structlog.WriteLoggerFactory(file=path.open("a", buffering=1)),
        cache_logger_on_first_use=True,
    )
    logging.getLogger("alembic").setLevel(logging.WARNING)


def _port(wanted: int) -> int:
    """The port wanted, or a free one where it is taken or none is wanted (0)."""
    if not wanted:
        return free_port()
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", wanted))
        except OSError:
            return free_port()
    return wanted


class _Server(uvicorn.Server):
    """Says the address once it listens."""

    def __init__(self, config: uvicorn.Config, running: Path, address: str) -> None:
        super().__init__(config)
        self._running, self._address = running, address

    async def startup(self, sockets: list[object] | None = None) -> None:  # type: ignore[override]
        await super().startup(sockets)  # type: ignore[arg-type]
        if self.started:
            self._running.write_text(json.dumps({"pid": os.getpid(), "address": self._address}))
            say(f"\nEven Ballot is at {self._address}\nCtrl-C stops it.")


def _as_ctrl_c(number: int, frame: object) -> None:
    """Being told to end is the same as Ctrl-C: the database is stopped too."""
    raise KeyboardInterrupt


def serve(folder: Path, port: int, web: Path) -> int:
    """Runs until it is told to stop; returns the exit code."""
    signal.signal(signal.SIGTERM, _as_ctrl_c)
    with only_one(folder) as running:
        _log_to(folder / "server.log")
        database = MariaServer(folder / "mariadb")
        first = not (database.data / "mysql").exists()
        say("Making the database …" if first else "Starting the database …")
        threading.Thread(target=prepare, daemon=True).start()
        try:
            database.start()
        except DatabaseDown as error:
            say(str(error))
            return 1
        try:
            engine = connect(database.url)
            migrate(engine)
            fail_lost_jobs(engine)
            app = make_app(engine, web)
            with Session(engine) as session, session.begin():
                forget_strays(session, timedelta(days=2))
                if load_demo(session, app.state.bench):
                    say("Brought in the demo study, the Veldry Isles ferry survey.")
            at = _port(port)
            config = uvicorn.Config(
                app, host="127.0.0.1", port=at, log_config=None, access_log=False, timeout_graceful_shutdown=5, server_header=False
            )
            server = _Server(config, running, f"http://127.0.0.1:{at}")
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
    parser.add_argument("--web", type=Path, default=Path("web/dist"), help="the built interface")
    args = parser.parse_args()
    sys.exit(serve(args.folder, args.port, args.web))


if __name__ == "__main__":
    main()
