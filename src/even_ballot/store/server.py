"""A private MariaDB: its own folder, loopback only, its own port and password."""

import os
import secrets
import shutil
import signal
import socket
import subprocess
import time
from pathlib import Path

import pymysql
from sqlalchemy.engine import URL

_DATABASE = "even_ballot"


class DatabaseDown(Exception):
    """MariaDB did not start; the message says why."""


def free_port() -> int:
    """A loopback port nobody listens on."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


class MariaServer:
    """MariaDB in a folder: made at the first start, kept from then on."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder.resolve()
        self.data = self.folder / "data"
        self.log = self.folder / "mariadb.log"
        self._password_file = self.folder / "password"
        self._process: subprocess.Popen[bytes] | None = None
        self.port = 0

    @property
    def url(self) -> URL:
        """Where to connect."""
        password = self._password_file.read_text().strip()
        return URL.create("mysql+pymysql", _DATABASE, password, "127.0.0.1", self.port, _DATABASE, {"charset": "utf8mb4"})

    @property
    def pid(self) -> int | None:
        """The running server's process."""
        return None if self._process is None else self._process.pid

    def start(self, wait: float = 60) -> None:
        """Starts the server and waits until it answers. Raises DatabaseDown where it does not."""
        self.folder.mkdir(parents=True, exist_ok=True)
        os.chmod(self.folder, 0o700)
        if not (self.data / "mysql").exists():
            self._install()
        self._end_stray()
        self.port = free_port()
        command = [_program("mariadbd"), *self._options(), f"--port={self.port}"]
        with self.log.open("ab") as log:
            self._process = subprocess.Popen(command, stdout=log, stderr=log, start_new_session=True, env=self._environment())
        self._wait(wait)

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
                raise DatabaseDown(f"An earlier MariaDB (process {pid}) still holds {self.data}. End it, then start again.")
            time.sleep(0.05)

    def _options(self) -> list[str]:
        user = ["--user=root"] if os.geteuid() == 0 else []
        # A socket's path has a short limit, so it stays out of deep folders.
        socket_path = self.folder / "s"
        options = ["--no-defaults", *user, f"--datadir={self.data}", f"--socket={socket_path}", f"--pid-file={self.folder / 'pid'}"]
        return [*options, "--bind-address=127.0.0.1", "--skip-name-resolve", "--max-allowed-packet=16M",
                "--innodb-buffer-pool-size=256M", f"--init-file={self._accounts()}"]  # fmt: skip

    def _environment(self) -> dict[str, str]:
        """A folder of its own for what is kept for a moment: a server that starts clears away what others have left in its folder,
        even where they are still at work."""
        passing = self.folder / "tmp"
        passing.mkdir(exist_ok=True)
        return {**os.environ, "TMPDIR": str(passing)}

    def _install(self) -> None:
        unfinished = self.folder / "data.new"
        shutil.rmtree(unfinished, ignore_errors=True)
        user = ["--user=root"] if os.geteuid() == 0 else []
        made = subprocess.run(
            [_program("mariadb-install-db"), "--no-defaults", *user, f"--datadir={unfinished}",
             "--auth-root-authentication-method=normal", "--skip-test-db"],
            capture_output=True, text=True, check=False, env=self._environment(),
        )  # fmt: skip
        if made.returncode:
            raise DatabaseDown(f"MariaDB's folder could not be made: {(made.stderr or made.stdout).strip()[-400:]}")
        shutil.rmtree(self.data, ignore_errors=True)
        unfinished.rename(self.data)

    def _accounts(self) -> Path:
        """Statements run at every start: our account with its password, root locked."""
        if not self._password_file.exists():
            _private(self._password_file, secrets.token_urlsafe(32) + "\n")
        password = self._password_file.read_text().strip()
        statements = [
            f"CREATE DATABASE IF NOT EXISTS {_DATABASE} CHARACTER SET utf8mb4 COLLATE utf8mb4_bin",
            f"CREATE USER IF NOT EXISTS '{_DATABASE}'@'127.0.0.1' IDENTIFIED BY '{password}'",
            f"ALTER USER '{_DATABASE}'@'127.0.0.1' IDENTIFIED BY '{password}'",
            f"GRANT ALL ON {_DATABASE}.* TO '{_DATABASE}'@'127.0.0.1'",
            "ALTER USER 'root'@'localhost' ACCOUNT LOCK",
        ]
        path = self.folder / "accounts.sql"
        _private(path, "".join(f"{statement};\n" for statement in statements))
        return path

    def _wait(self, seconds: float) -> None:
        assert self._process is not None
        until = time.monotonic() + seconds
        while time.monotonic() < until:
            if self._process.poll() is not None:
                break
            try:
                url = self.url
                pymysql.connect(host="127.0.0.1", port=self.port, user=_DATABASE, password=str(url.password)).close()
                return
            except pymysql.err.OperationalError:
                time.sleep(0.05)
        last = self.log.read_text(errors="replace").strip().splitlines()[-3:]
        self.stop()
        raise DatabaseDown("MariaDB did not start. Its log ends: " + " / ".join(last))

    def stop(self) -> None:
        """Stops the server and waits for it."""
        if self._process is not None and self._process.poll() is None:
            self._process.send_signal(signal.SIGTERM)
            try:
                self._process.wait(30)
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


def _program(name: str) -> str:
    found = shutil.which(name, path=f"{os.environ.get('PATH', '')}:/usr/sbin:/usr/bin:/usr/local/sbin")
    if found is None:
        raise DatabaseDown(f"{name} is not installed. ./start installs it, or: apt-get install mariadb-server.")
    return found
