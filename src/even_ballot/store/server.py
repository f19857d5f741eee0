"""A private MariaDB: its own folder, one account with a password that nobody guesses. It is spoken to
through a socket in that folder, which only its owner can enter; it listens on loopback too, on a port that
nothing of ours trusts, since whoever is on the machine can take a port first."""

import os
import re
import secrets
import shutil
import signal
import socket
import subprocess
import tempfile
import threading
import time
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

import pymysql
from sqlalchemy.engine import URL

from even_ballot.store.room import has_room

DATABASE = "even_ballot"
# What the application does with its tables, and their migrations; nothing outside its database, no files.
_RIGHTS = "SELECT, INSERT, UPDATE, DELETE, CREATE, ALTER, DROP, INDEX, REFERENCES"
_GRANTS = ("global_priv", "db", "tables_priv", "columns_priv", "procs_priv", "proxies_priv", "roles_mapping")
_LOOK, _PORTS, _LONGEST_WAIT = 0.2, 5, 30.0
_PATH = 100
"""Characters that the path of a socket may have, with some to spare."""


class DatabaseDown(Exception):
    """MariaDB did not start; the message says why. why: the reason alone, where it is known; lasting: whether
    trying again is of no use."""

    def __init__(self, says: str, why: str = "", lasting: bool = False) -> None:
        self.why, self.lasting = why, lasting
        super().__init__(says)


_REASONS = (
    (r"no space left|disk is full|\berrno: 28\b|error: 28\b|error 28\b", "the disk is full"),
    (r"bind on tcp/ip port|address already in use", "its port is taken"),
    (r"permission denied|errno: 13\b|error: 13\b", "it may not read or write its files"),
    (r"unable to lock|another mysqld|another mariadbd", "another MariaDB holds its files"),
    (
        r"no such file|did not exist|existing redo log|(errno|error): 2\b|cannot be opened|can't open|"
        r"file not found",
        "a file is missing",
    ),
    (r"corrupt|checksum mismatch", "a file is damaged"),
    (r"cannot allocate memory|out of memory", "there is not enough memory"),
)


def reason_in(log: str) -> str:
    """Why MariaDB did not start, by what it wrote last; empty where it does not say.

    >>> reason_in("InnoDB: Error number 28 means 'No space left on device'")
    'the disk is full'
    """
    return next((says for pattern, says in _REASONS if re.search(pattern, log, re.IGNORECASE)), "")


def free_port() -> int:
    """A loopback port nobody listens on."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


@dataclass(frozen=True)
class DatabaseState:
    """How MariaDB stands: it answers, is being started again, or was stopped; what there is to say of it, and
    why it did not start, where that is known."""

    state: Literal["up", "starting", "down"]
    says: str = ""
    why: str = ""


class MariaServer:
    """MariaDB in a folder: made at the first start, kept from then on; started again where it ends by
    itself."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder.resolve()
        self.data = self.folder / "data"
        self.log = self.folder / "mariadb.log"
        self._password_file = self.folder / "password"
        self._process: subprocess.Popen[bytes] | None = None
        self._lock = threading.RLock()
        self._watched = self._stopped = False
        self._apart: tempfile.TemporaryDirectory[str] | None = None
        self.port, self._said_from = 0, 0
        self.state = DatabaseState("down", "It has not been started.")

    @property
    def url(self) -> URL:
        """Where to connect."""
        password = self._password_file.read_text().strip()
        how = {"charset": "utf8mb4", "unix_socket": str(self.socket)}
        return URL.create("mysql+pymysql", DATABASE, password, "localhost", None, DATABASE, how)

    @property
    def socket(self) -> Path:
        """Where it is spoken to: in its folder, or, where that path is too long for a socket, in another that
        only we can enter."""
        if len(str(self.folder / "s")) < _PATH:
            return self.folder / "s"
        elsewhere = self.folder / "socket"
        if self._apart is None and elsewhere.exists():
            # Another process started it.
            return Path(elsewhere.read_text())
        if self._apart is None:
            self._apart = tempfile.TemporaryDirectory(prefix="even-ballot-")
            elsewhere.write_text(str(Path(self._apart.name) / "s"))
        return Path(self._apart.name) / "s"

    @property
    def pid(self) -> int | None:
        """The running server's process."""
        return None if self._process is None else self._process.pid

    def start(self, wait: float = 60) -> None:
        """Starts the server, with a new password, and waits until it answers. Raises DatabaseDown where it
        does not."""
        for folder in (self.folder, self._empty):
            folder.mkdir(parents=True, exist_ok=True)
            os.chmod(folder, 0o700)
        (self.folder / "socket").unlink(missing_ok=True)
        if not (self.data / "mysql").exists():
            self._install()
        # Folders of earlier versions, too.
        os.chmod(self.data, 0o700)
        self._end_stray()
        _private(self._password_file, secrets.token_urlsafe(32) + "\n")
        self.port = free_port()
        self._stopped = False
        with self._lock:
            self._run(wait)

    @property
    def _empty(self) -> Path:
        """The only folder that statements could read files from or write them to; nothing is in it, and no
        account may."""
        return self.folder / "no-files"

    def _run(self, wait: float) -> None:
        """A server, once it answers; on another port where somebody else has taken the one."""
        for _ in range(_PORTS):
            try:
                self._run_once(wait)
                return
            except DatabaseDown as error:
                if not _port_taken(self._last_words(40)):
                    raise
                last = error
                self.port = free_port()
        raise last

    def _run_once(self, wait: float) -> None:
        if not has_room(self.folder):
            raise _down("the disk is full")
        self._said_from = self.log.stat().st_size if self.log.exists() else 0
        command = [program("mariadbd"), *self._options(), f"--port={self.port}"]
        with os.fdopen(os.open(self.log, os.O_WRONLY | os.O_CREAT | os.O_APPEND, 0o600), "ab") as log:
            self._process = subprocess.Popen(
                command, stdout=log, stderr=log, start_new_session=True, env=self._environment()
            )
        self._wait(wait)
        self.state = DatabaseState("up")

    def watch(self) -> None:
        """Starts the server again whenever it has ended by itself, after a delay that grows as long as it
        fails."""
        self._watched = True
        threading.Thread(target=self._watch, name="database", daemon=True).start()

    def _watch(self) -> None:
        tries = 0
        while self._watched:
            time.sleep(_LOOK)
            with self._lock:
                process = self._process
                if not self._watched or process is None or process.poll() is None:
                    tries = 0 if process is not None else tries
                    continue
                tries += 1
                if tries == 1:
                    code = process.returncode
                    self.state = DatabaseState(
                        "starting", f"It ended by itself (code {code}) and is being started again."
                    )
                try:
                    self._run(60)
                    continue
                except (DatabaseDown, OSError) as error:
                    self.state = DatabaseState("starting", str(error), getattr(error, "why", ""))
                # What failed to start is looked at again as if it had ended.
                self._process = process
            self.wait_to_try(min(2.0 ** (tries - 1), _LONGEST_WAIT))

    def wait_to_try(self, seconds: float) -> None:
        """Waits before it is tried again; not longer than the disk is full, where it is."""
        until, full = time.monotonic() + seconds, not has_room(self.folder)
        while not self._stopped and time.monotonic() < until and not (full and has_room(self.folder)):
            time.sleep(_LOOK)

    def _end_stray(self, wait: float = 30) -> None:
        """Ends a server that was left running on this folder when whoever started it was killed."""
        try:
            pid = int((self.folder / "pid").read_text())
            ours = f"--datadir={self.data}".encode() in Path(f"/proc/{pid}/cmdline").read_bytes().split(b"\0")
        except (OSError, ValueError):
            return
        if not ours:
            return
        os.kill(pid, signal.SIGTERM)
        until = time.monotonic() + wait
        while Path(f"/proc/{pid}").exists() and not _is_zombie(pid):
            if time.monotonic() > until:
                raise DatabaseDown(
                    f"An earlier MariaDB (process {pid}) still holds {self.data}. End it, then start again.",
                    lasting=True,
                )
            time.sleep(0.05)

    def _options(self) -> list[str]:
        user = ["--user=root"] if os.geteuid() == 0 else []
        options = [
            "--no-defaults",
            *user,
            f"--datadir={self.data}",
            f"--socket={self.socket}",
            f"--pid-file={self.folder / 'pid'}",
        ]
        closed = ["--local-infile=0", "--skip-symbolic-links", f"--secure-file-priv={self._empty}"]
        return [
            *options,
            *closed,
            "--bind-address=127.0.0.1",
            "--skip-name-resolve",
            "--max-allowed-packet=16M",
            "--innodb-buffer-pool-size=256M",
            f"--init-file={self._accounts()}",
        ]

    def _environment(self) -> dict[str, str]:
        """A folder of its own for what is kept for a moment: a server that starts clears away what others
        have left in its folder, even where they are still at work."""
        passing = self.folder / "tmp"
        passing.mkdir(exist_ok=True)
        os.chmod(passing, 0o700)
        return {**os.environ, "TMPDIR": str(passing)}

    def _install(self) -> None:
        unfinished = self.folder / "data.new"
        shutil.rmtree(unfinished, ignore_errors=True)
        user = ["--user=root"] if os.geteuid() == 0 else []
        made = subprocess.run(
            [
                program("mariadb-install-db"),
                "--no-defaults",
                *user,
                f"--datadir={unfinished}",
                "--auth-root-authentication-method=normal",
                "--skip-test-db",
            ],
            capture_output=True,
            text=True,
            check=False,
            env=self._environment(),
        )
        if made.returncode:
            raise DatabaseDown(
                f"MariaDB's folder could not be made: {(made.stderr or made.stdout).strip()[-400:]}"
            )
        shutil.rmtree(self.data, ignore_errors=True)
        unfinished.rename(self.data)

    def _accounts(self) -> Path:
        """Statements run at every start, before anybody can connect: no account but ours, whoever made it,
        and no right but those that ours needs."""
        password = self._password_file.read_text().strip()
        statements = [
            f"CREATE DATABASE IF NOT EXISTS {DATABASE} CHARACTER SET utf8mb4 COLLATE utf8mb4_bin",
            *(f"DELETE FROM mysql.{table}" for table in _GRANTS),
            "FLUSH PRIVILEGES",
            f"CREATE USER '{DATABASE}'@'localhost' IDENTIFIED BY '{password}'",
            f"GRANT {_RIGHTS} ON {DATABASE}.* TO '{DATABASE}'@'localhost'",
        ]
        path = self.folder / "accounts.sql"
        _private(path, "".join(f"{statement};\n" for statement in statements))
        return path

    def _wait(self, seconds: float) -> None:
        assert self._process is not None
        until = time.monotonic() + seconds
        while time.monotonic() < until:
            if self._process.poll() is not None or self._stopped or not has_room(self.folder):
                break
            try:
                pymysql.connect(
                    unix_socket=str(self.socket), user=DATABASE, password=str(self.url.password)
                ).close()
                return
            except pymysql.err.OperationalError:
                time.sleep(0.05)
        last = self._last_words(40)
        # Where it waits for room it hears nothing.
        full = not has_room(self.folder)
        self._end(1 if full or self._stopped else 30)
        raise _down("the disk is full" if full else reason_in("\n".join(last)), last[-3:])

    def _last_words(self, lines: int) -> list[str]:
        """What the server that was started last wrote at its end."""
        with self.log.open("rb") as log:
            log.seek(max(self.log.stat().st_size - 16384, self._said_from))
            return log.read().decode(errors="replace").strip().splitlines()[-lines:]

    def stop(self) -> None:
        """Stops the server and waits for it."""
        self._watched, self._stopped = False, True
        with self._lock:
            self._end()
            self.state = DatabaseState("down", "It was stopped.")
            if self._apart is not None:
                self._apart.cleanup()
                self._apart = None

    def _end(self, patience: float = 30) -> None:
        if self._process is not None and self._process.poll() is None:
            self._process.send_signal(signal.SIGTERM)
            try:
                self._process.wait(patience)
            except subprocess.TimeoutExpired:
                self._process.kill()
                self._process.wait()
        self._process = None

    def kill(self) -> None:
        """Ends the server at once, as a power cut would."""
        if self._process is not None:
            self._process.kill()
            self._process.wait()
            self._process = None


def _down(why: str, last: Sequence[str] = ()) -> DatabaseDown:
    """Why it did not start; last: what it wrote last."""
    said = f" Its log ends: {' / '.join(last)}" if last else ""
    return DatabaseDown(f"MariaDB did not start{f': {why}' if why else ''}.{said}", why)


def _port_taken(lines: list[str]) -> bool:
    return reason_in("\n".join(lines)) == "its port is taken"


def _is_zombie(pid: int) -> bool:
    """Whether a process has ended and only waits to be collected."""
    try:
        return Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[0] == "Z"
    except OSError:
        return True


def _private(path: Path, text: str) -> None:
    """A file only its owner reads."""
    handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
    with os.fdopen(handle, "w") as file:
        file.write(text)


def program(name: str) -> str:
    """Where a program of MariaDB is. Raises DatabaseDown where it is not installed."""
    found = shutil.which(name, path=f"{os.environ.get('PATH', '')}:/usr/sbin:/usr/bin:/usr/local/sbin")
    if found is None:
        raise DatabaseDown(
            f"{name} is not installed. ./start installs it, or: apt-get install mariadb-server.", lasting=True
        )
    return found
