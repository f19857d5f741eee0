"""What is kept can be copied while it is used, and stands again elsewhere."""

import gzip
import threading
from pathlib import Path
from typing import Any

import pytest
from builders import study
from sqlalchemy import text
from sqlalchemy.orm import Session
from typer.testing import CliRunner

from even_ballot.cli import app
from even_ballot.core.study.study_file import Source
from even_ballot.formats.sources.source import read_source
from even_ballot.store.backup import write_backup
from even_ballot.store.database import connect, migrate
from even_ballot.store.files import file_bytes, file_table, keep_file
from even_ballot.store.server import MariaServer
from even_ballot.store.studies import Files, all_studies, create_study, read_study

CONTENT = b"a,b\n" + b"".join(b"%d,answer %d\n" % (k, k) for k in range(5_000))
RUNNER = CliRunner()


def fill(engine: Any, count: int, first: int = 0) -> None:
    table, reading = read_source(CONTENT, Source(path="a.csv"))
    for k in range(first, first + count):
        with Session(engine, expire_on_commit=False) as session, session.begin():
            files = Files(keep_file(session, "a.csv", CONTENT, reading, table).id, {})
            create_study(session, study(title=f"Study {k}"), files, "Began")


def test_a_backup_made_while_others_write_is_of_one_moment_and_stands_again(tmp_path: Path) -> None:
    running = MariaServer(tmp_path / "var" / "mariadb")
    running.start()
    try:
        engine = connect(running.url)
        migrate(engine)
        fill(engine, 3)
        stop = threading.Event()

        def write() -> None:
            k = 3
            while not stop.is_set():
                fill(engine, 1, k)
                k += 1

        writer = threading.Thread(target=write)
        writer.start()
        write_backup(running, tmp_path / "kept.sql.gz")
        stop.set()
        writer.join(60)
        engine.dispose()
    finally:
        running.stop()
    said = RUNNER.invoke(app, ["restore", str(tmp_path / "kept.sql.gz"), "--folder", str(tmp_path / "new")])
    assert said.exit_code == 0, said.output
    again = MariaServer(tmp_path / "new" / "mariadb")
    again.start()
    try:
        engine = connect(again.url)
        migrate(engine)
        with Session(engine) as session:
            records = all_studies(session, False)
            assert {r.title for r in records} >= {"Study 0", "Study 1", "Study 2"}
            for record in records:
                source = read_study(session, record.id).files.source
                assert file_bytes(session, source) == CONTENT
                assert len(file_table(session, source).rows) == 5_000
            pieces = session.scalar(text("SELECT COUNT(DISTINCT file_id) FROM source_bytes"))
            assert pieces == len(records), "a file without its study, or half of one"
        engine.dispose()
    finally:
        again.stop()


def test_a_folder_that_does_not_run_is_backed_up_too_and_nothing_is_written_over(tmp_path: Path) -> None:
    one = MariaServer(tmp_path / "var" / "mariadb")
    one.start()
    engine = connect(one.url)
    migrate(engine)
    fill(engine, 1)
    engine.dispose()
    one.stop()
    out = tmp_path / "b.sql.gz"
    assert RUNNER.invoke(app, ["backup", str(out), "--folder", str(tmp_path / "var")]).exit_code == 0
    assert out.stat().st_mode & 0o077 == 0
    assert b"Study 0" in gzip.decompress(out.read_bytes())
    assert RUNNER.invoke(app, ["backup", str(out), "--folder", str(tmp_path / "var")]).exit_code == 2
    assert RUNNER.invoke(app, ["restore", str(out), "--folder", str(tmp_path / "var")]).exit_code == 2


@pytest.mark.parametrize(
    "content",
    [
        pytest.param(b"", id="empty"),
        pytest.param(b"no gzip", id="no gzip"),
        pytest.param(gzip.compress(b"SELECT 1;", mtime=0), id="of something else"),
        pytest.param(gzip.compress(b"-- Even Ballot backup 1\nnonsense;", mtime=0), id="not whole"),
    ],
)
def test_what_is_no_backup_is_refused_and_leaves_nothing(tmp_path: Path, content: bytes) -> None:
    (tmp_path / "x.sql.gz").write_bytes(content)
    said = RUNNER.invoke(app, ["restore", str(tmp_path / "x.sql.gz"), "--folder", str(tmp_path / "new")])
    assert said.exit_code == 2
    assert not (tmp_path / "new" / "mariadb" / "data").exists()


def test_a_folder_without_data_is_said(tmp_path: Path) -> None:
    said = RUNNER.invoke(app, ["backup", str(tmp_path / "x"), "--folder", str(tmp_path / "none")])
    assert said.exit_code == 2
