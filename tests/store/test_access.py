"""Nobody on the machine but the application gets into its database."""

import os
import pwd
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pymysql
import pytest

from even_ballot.store.server import MariaServer


@pytest.fixture
def server(tmp_path: Path) -> Iterator[MariaServer]:
    made = MariaServer(tmp_path / "mariadb")
    yield made
    made.stop()


def ask(server: MariaServer, statement: str) -> list[tuple[object, ...]]:
    with pymysql.connect(
        host="127.0.0.1", port=server.port, user="even_ballot", password=str(server.url.password)
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
    options = server._options
    path = server.folder / "left.sql"
    path.write_text("".join(f"{s};\n" for s in statements))
    ours = [*(o for o in options() if not o.startswith("--init-file")), f"--init-file={path}"]
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(server, "_options", lambda: ours)
        server.start()
    server.stop()


def test_there_is_one_account_with_the_rights_it_needs(server: MariaServer) -> None:
    server.start()
    assert len(str(server.url.password)) >= 43
    for user in ("root", "", "mysql", "mariadb.sys", "even_ballot"):
        assert refused(server, user), user
        assert refused(server, user, host=None, unix_socket=str(server.folder / "s")), user
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
    assert server.url.password == url.password
    assert refused(server, "root")
    assert refused(server, "")
    assert "FILE" not in " ".join(str(row[0]) for row in ask(server, "SHOW GRANTS"))
    assert server.data.stat().st_mode & 0o077 == 0


@pytest.mark.skipif(os.geteuid() != 0, reason="only root can become somebody else")
def test_another_user_of_the_machine_gets_nowhere(server: MariaServer) -> None:
    server.start()
    nobody = pwd.getpwnam("nobody")
    child = os.fork()
    if child == 0:
        os.setgroups([])
        os.setgid(nobody.pw_gid)
        os.setuid(nobody.pw_uid)
        got_in = [
            user for user in ("root", "", "nobody", "even_ballot", "mariadb.sys") if not refused(server, user)
        ]
        sockets = not refused(server, "root", host=None, unix_socket=str(server.folder / "s"))
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
