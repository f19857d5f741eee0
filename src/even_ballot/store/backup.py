"""A copy of everything that is kept, as one file: made while the database runs, of one moment."""

import contextlib
import fcntl
import gzip
import os
import shutil
import subprocess
from collections.abc import Iterator
from pathlib import Path

from even_ballot.core.faults import fault
from even_ballot.store.server import DATABASE, MariaServer, program

_PIECE = 1 << 20
_FIRST = b"-- Even Ballot backup 1\n"


def _environment(server: MariaServer) -> dict[str, str]:
    return {**os.environ, "MYSQL_PWD": str(server.url.password)}


def write_backup(server: MariaServer, out: Path) -> None:
    """Writes all studies, files and releases of a running database to `out`, compressed: a snapshot of one
    moment, whole or not at all. Raises StudyError where it cannot be made."""
    unfinished = out.with_name(out.name + ".part")
    command = [
        program("mariadb-dump"),
        "--no-defaults",
        f"--socket={server.socket}",
        f"--user={DATABASE}",
        "--single-transaction",
        "--quick",
        "--hex-blob",
        "--no-tablespaces",
        "--skip-lock-tables",
        "--skip-add-locks",
        "--skip-disable-keys",
        DATABASE,
    ]
    try:
        with (
            os.fdopen(os.open(unfinished, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "wb") as raw,
            gzip.GzipFile(fileobj=raw, mode="wb", compresslevel=1, mtime=0) as file,
            subprocess.Popen(
                command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, env=_environment(server)
            ) as dump,
        ):
            assert dump.stdout is not None
            assert dump.stderr is not None
            file.write(_FIRST)
            shutil.copyfileobj(dump.stdout, file, _PIECE)
            said = dump.stderr.read().decode(errors="replace").strip()
        if dump.returncode:
            raise fault(
                f"The backup could not be made: {said[-300:]}", str(out), "Check that the database runs."
            )
        unfinished.replace(out)
    except OSError as error:
        raise fault(
            f"The backup cannot be written: {error.strerror}.", str(out), "Choose another place."
        ) from None
    finally:
        unfinished.unlink(missing_ok=True)


def read_backup(server: MariaServer, backup: Path) -> None:
    """Fills an empty, running database from a backup. Raises StudyError where it is none, or damaged."""
    command = [
        program("mariadb"),
        "--no-defaults",
        f"--socket={server.socket}",
        f"--user={DATABASE}",
        DATABASE,
    ]
    try:
        with gzip.open(backup, "rb") as file:
            if file.readline() != _FIRST:
                raise fault(
                    f"{backup} is not a backup of Even Ballot.",
                    str(backup),
                    "Choose a file that `backup` wrote.",
                )
            with subprocess.Popen(
                command, stdin=subprocess.PIPE, stderr=subprocess.PIPE, env=_environment(server)
            ) as load:
                assert load.stdin is not None
                assert load.stderr is not None
                with contextlib.suppress(BrokenPipeError):
                    shutil.copyfileobj(file, load.stdin, _PIECE)
                    load.stdin.close()
                said = load.stderr.read().decode(errors="replace").strip()
    except (OSError, EOFError) as error:
        raise fault(f"{backup} cannot be read: {error}.", str(backup), "Choose another backup.") from None
    if load.returncode:
        raise fault(f"The backup could not be restored: {said[-300:]}", str(backup))


@contextlib.contextmanager
def at_hand(folder: Path) -> Iterator[MariaServer]:
    """The database of a data folder: the one that runs, or one that runs for this alone."""
    server = MariaServer(folder / "mariadb")
    if not (server.data / "mysql").exists():
        raise fault(
            f"There is no data in {folder}.", "--folder", "Name the folder that the application uses."
        )
    with (folder / "lock").open("a+") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            yield server
            return
        server.start()
        try:
            yield server
        finally:
            server.stop()


def restore(backup: Path, folder: Path) -> None:
    """A new data folder from a backup. Raises StudyError where there is one already."""
    server = MariaServer(folder / "mariadb")
    if server.data.exists():
        raise fault(f"{folder} holds data already.", "--folder", "Name a folder that is not there yet.")
    server.start()
    try:
        read_backup(server, backup)
    except BaseException:
        server.stop()
        shutil.rmtree(server.folder, ignore_errors=True)
        raise
    server.stop()
