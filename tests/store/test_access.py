"""Nobody on the machine but the application gets into its database."""

import os
import pwd
import select
import socket
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pymysql
import pytest

from even_ballot.store.database import connect, migrate
from even_ballot.store.server import MariaServer, free_port, reason_in


@pytest.fixture
def server(tmp_path: Path) -> Iterator[MariaServer]:
    made = MariaServer(tmp_path / "mariadb")
    yield made
    made.stop()


def ask(server: MariaServer, statement: str) -> list[tuple[object, ...]]:
    with pymysql.connect(
        unix_socket=str(server.socket), user="even_ballot", password=str(server.url.password)
    ) as open_one:
        cursor = open_one.cursor()
        cursor.execute(statement)
        return list(cursor.fetchall())


def refused(server: MariaServer, user: str, **how: object) -> bool:
    try:
        pymysql.connect(user=user, **{"host": "127.0.0.1", "port": server.port, **how}).close()
    except pymysql.err.OperationalError as error:
        return error.args[0] in (1045, 1130, 1698, 2003)
    return False


def as_root_of_the_database(server: MariaServer, statements: list[str]) -> None:
    """What an earlier version, or somebody with the folder, left behind."""
    os.environ.pop("MYSQL_PWD", None)
    server.stop()
    accounts = server._accounts

    def left() -> Path:
        path = accounts()
        path.write_text(path.read_text() + "".join(f"{s};\n" for s in statements))
        return path

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(server, "_accounts", left)
        server.start()
    server.stop()


def test_there_is_one_account_with_the_rights_it_needs(server: MariaServer) -> None:
    server.start()
    assert len(str(server.url.password)) >= 43
    for user in ("root", "", "mysql", "mariadb.sys", "even_ballot"):
        assert refused(server, user), user
        assert refused(server, user, host=None, unix_socket=str(server.socket)), user
        assert refused(server, user, password=str(server.url.password)), f"{user} by the port"
    grants = " ".join(str(row[0]) for row in ask(server, "SHOW GRANTS"))
    assert "FILE" not in grants
    assert "ALL PRIVILEGES" not in grants
    rows: list[Any] = ask(
        server,
        "SHOW VARIABLES WHERE Variable_name IN ('secure_file_priv', 'local_infile', 'bind_address')",
    )
    settings = dict(rows)
    assert settings["local_infile"] == "OFF"
    assert settings["bind_address"] == "127.0.0.1"
    assert list(Path(str(settings["secure_file_priv"])).iterdir()) == []
    with pytest.raises(pymysql.err.OperationalError, match="Access denied"):
        ask(server, f"SELECT 1 INTO OUTFILE '{server.folder}/no-files/x'")
    for folder in (server.folder, server.data, server.folder / "tmp", server.folder / "no-files"):
        assert folder.stat().st_mode & 0o077 == 0, folder


def test_accounts_that_earlier_versions_left_are_gone_after_the_next_start(server: MariaServer) -> None:
    server.start()
    url = server.url
    as_root_of_the_database(server, [
        "CREATE OR REPLACE USER 'root'@'127.0.0.1'", "GRANT ALL ON *.* TO 'root'@'127.0.0.1' WITH GRANT OPTION",
        "CREATE OR REPLACE USER ''@'%'", "GRANT FILE ON *.* TO 'even_ballot'@'127.0.0.1'",
    ])  # fmt: skip
    os.chmod(server.data, 0o755)
    server.start()
    assert server.url.password != url.password, "the password is a new one at every start"
    assert refused(server, "root")
    assert refused(server, "")
    assert "FILE" not in " ".join(str(row[0]) for row in ask(server, "SHOW GRANTS"))
    assert server.data.stat().st_mode & 0o077 == 0


@pytest.mark.skipif(os.geteuid() != 0, reason="only root can become somebody else")
def test_another_user_of_the_machine_gets_nowhere(server: MariaServer) -> None:
    server.start()
    nobody, server_password = pwd.getpwnam("nobody"), server.url.password
    child = os.fork()
    if child == 0:
        os.setgroups([])
        os.setgid(nobody.pw_gid)
        os.setuid(nobody.pw_uid)
        got_in = [
            user for user in ("root", "", "nobody", "even_ballot", "mariadb.sys") if not refused(server, user)
        ]
        password = str(server_password)
        got_in += ["password"] * (not refused(server, "even_ballot", password=password))
        sockets = not refused(
            server, "even_ballot", host=None, unix_socket=str(server.socket), password=password
        )
        try:
            readable = bool((server.folder / "password").read_text())
        except OSError:
            readable = False
        os._exit(len(got_in) + 10 * sockets + 20 * readable)
    assert os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]) == 0


def test_a_server_that_ends_by_itself_is_started_again(server: MariaServer) -> None:
    server.start()
    server.watch()
    first = server.pid
    assert first is not None
    os.kill(first, 9)
    until = time.monotonic() + 30
    while time.monotonic() < until and (server.pid == first or server.state.state != "up"):
        time.sleep(0.05)
    assert server.state.state == "up"
    assert ask(server, "SELECT 1") == [(1,)]


@pytest.mark.skipif(os.geteuid() != 0, reason="only root can become somebody else")
def test_a_port_that_somebody_else_took_first_gets_nothing_from_us(
    server: MariaServer, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Another user waits at the port that was chosen, and speaks as a database that asks for the password in
    clear."""
    taken, free = free_port(), free_port()
    nobody = pwd.getpwnam("nobody")
    heard, told = os.pipe()
    child = os.fork()
    if child == 0:
        os.setgid(nobody.pw_gid)
        os.setuid(nobody.pw_uid)
        waiting = socket.create_server(("127.0.0.1", taken))
        os.write(told, b"ready")
        greeting = b"\x0a5.5.5-11\0" + b"\1\0\0\0" + b"x" * 8 + b"\0\xff\xff\x21\2\0\xff\xff\x15" + b"\0" * 10
        greeting += b"x" * 12 + b"\0mysql_clear_password\0"
        while True:
            one, _ = waiting.accept()
            one.sendall(len(greeting).to_bytes(3, "little") + b"\0" + greeting)
            os.write(told, b" heard " + one.recv(4096))
    try:
        assert os.read(heard, 5) == b"ready"
        ports = iter([taken, free])
        monkeypatch.setattr("even_ballot.store.server.free_port", lambda: next(ports))
        server.start()
        assert server.port == free, "a port that is taken means another one, not a stop"
        assert ask(server, "SELECT 1") == [(1,)]
        engine = connect(server.url)
        migrate(engine)
        engine.dispose()
        assert not select.select([heard], [], [], 0.2)[0], os.read(heard, 4096)
    finally:
        os.kill(child, 9)
        os.waitpid(child, 0)


def test_a_folder_too_deep_for_a_socket_has_one_elsewhere_that_only_we_can_enter(tmp_path: Path) -> None:
    deep = MariaServer(tmp_path / ("deep" * 20) / ("deeper" * 8))
    try:
        deep.start()
        assert ask(deep, "SELECT 1") == [(1,)]
        assert len(str(deep.socket)) < 100
        assert deep.socket.parent.stat().st_mode & 0o077 == 0
    finally:
        deep.stop()
    assert not deep.socket.parent.exists() or deep.socket.parent != deep.folder


def test_one_that_fails_to_start_again_is_tried_until_it_lives_and_says_why(server: MariaServer) -> None:
    server.start()
    server.watch()
    lost, kept = server.data / "ibdata1", server.data / "ibdata1.away"
    lost.rename(kept)
    assert server.pid is not None
    os.kill(server.pid, 9)
    until = time.monotonic() + 40
    while time.monotonic() < until and not server.state.why:
        time.sleep(0.05)
    assert str(server.state.state) == "starting"
    assert server.state.why == "a file is missing"
    assert "MariaDB did not start: a file is missing" in server.state.says
    time.sleep(4)  # Several tries later …
    kept.rename(lost)
    until = time.monotonic() + 60
    while time.monotonic() < until and server.state.state != "up":
        time.sleep(0.05)
    assert server.state.state == "up"
    assert ask(server, "SELECT 1") == [(1,)]


@pytest.mark.parametrize(
    ("log", "why"),
    [
        ("[ERROR] InnoDB: Error number 28 means 'No space left on device'", "the disk is full"),
        ("mariadbd: Disk is full writing './x' (Errcode: 28)", "the disk is full"),
        ("[ERROR] Can't start server: Bind on TCP/IP port: Address already in use", "its port is taken"),
        ("[ERROR] InnoDB: Unable to lock ./ibdata1 error: 11", "another MariaDB holds its files"),
        ("[ERROR] InnoDB: Cannot open './ibdata1': No such file or directory", "a file is missing"),
        ("[ERROR] Aborting", ""),
    ],
)
def test_why_it_did_not_start_is_read_from_what_it_wrote_last(log: str, why: str) -> None:
    assert reason_in(log) == why
