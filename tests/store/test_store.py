"""What is kept is what was given; MariaDB's limits are kept to; migrations and models agree."""

import re
from datetime import timedelta

import numpy as np
import pytest
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from builders import study
from hypothesis import given, settings
from hypothesis import strategies as st
from sqlalchemy import Engine, func, select, text
from sqlalchemy.orm import Session

from even_ballot.core.data.dataset import Column, RawTable, text_column
from even_ballot.core.study.study_file import Source
from even_ballot.demo import FILES
from even_ballot.formats.sources.source import read_source
from even_ballot.store.chunks import LIMIT, column_from, parts_of, rows_from
from even_ballot.store.database import newest_revision
from even_ballot.store.files import file_bytes, file_table, keep_file
from even_ballot.store.models import Base, ColumnChunk, SourceBytes, SourceFile
from even_ballot.store.retention import forget_strays
from even_ballot.store.server import MariaServer
from even_ballot.store.studies import (
    Files,
    NoStudy,
    StaleState,
    create_study,
    move_study,
    neighbours,
    read_study,
    write_study,
)


def entries(column: Column) -> list[str | None]:
    return [
        None if s else column.words[v]
        for v, s in zip(column.values.tolist(), column.state.tolist(), strict=True)
    ]


def table_of(*columns: Column) -> RawTable:
    names, n = tuple(f"c{k}" for k in range(len(columns))), len(columns[0].values)
    return RawTable(names, names, columns, np.arange(1, n + 1))


def test_migrations_make_exactly_the_models(engine: Engine) -> None:
    with engine.connect() as connection:
        assert (
            compare_metadata(
                MigrationContext.configure(connection, opts={"compare_type": True}), Base.metadata
            )
            == []
        )
        assert connection.scalar(text("SELECT version_num FROM alembic_version")) == newest_revision()


@settings(max_examples=40, deadline=None)
@given(st.lists(st.one_of(st.none(), st.text(max_size=10)), min_size=1, max_size=40))
def test_a_column_comes_back_from_its_chunks(words: list[str | None]) -> None:
    safe = [None if w is None else w.encode("utf-8", "ignore").decode() for w in words]
    column = text_column(safe)
    assert entries(column_from([pieces[1] for _, pieces in parts_of(table_of(column))])) == entries(column)


def test_long_columns_go_in_chunks_under_the_limit() -> None:
    rng = np.random.default_rng(1)
    column = text_column([rng.bytes(40).hex() for _ in range(150_000)])
    few = text_column(["yes", None] * 75_000)
    parts = list(parts_of(table_of(column, few)))
    assert len(parts) > 2
    assert all(len(piece) <= LIMIT < 4 * 1024 * 1024 for _, pieces in parts for piece in pieces)
    # All columns break at the same rows, those of few bytes too.
    assert [rows.start for rows, _ in parts] == [0, *(rows.stop for rows, _ in parts[:-1])]
    assert sum(len(rows) for rows, _ in parts) == 150_000
    for at, of in enumerate((column, few), start=1):
        assert entries(column_from([pieces[at] for _, pieces in parts])) == entries(of)
        for rows, pieces in parts:
            assert entries(column_from([pieces[at]])) == entries(of)[rows.start : rows.stop]
    np.testing.assert_array_equal(rows_from([pieces[0] for _, pieces in parts]), np.arange(1, 150_001))


def test_parts_of_a_wide_table_have_few_records() -> None:
    narrow = [text_column(["a", "b"] * 3000)] * 3000
    sizes = [len(rows) for rows, _ in parts_of(table_of(*narrow))]
    assert sum(sizes) == 6000
    assert max(sizes) * 3000 <= 1 << 23


def test_a_file_and_its_columns_come_back_as_they_were(engine: Engine) -> None:
    content = (FILES / "answers.csv").read_bytes()
    table, reading = read_source(content, Source(path="answers.csv"))
    with Session(engine) as session, session.begin():
        file_id = keep_file(session, "answers.csv", content, reading, table).id
    with Session(engine) as session:
        assert file_bytes(session, file_id) == content
        back = file_table(session, file_id)
        largest = session.scalar(select(func.max(func.length(ColumnChunk.content))))
    assert (back.names, back.labels, back.blank_records) == (table.names, table.labels, 40)
    np.testing.assert_array_equal(back.rows, table.rows)
    assert [entries(c) for c in back.columns] == [entries(c) for c in table.columns]
    assert largest < 4 * 1024 * 1024


def test_large_files_are_kept_in_pieces(engine: Engine) -> None:
    content = b"a\n" + b"x" * (9 * 1024 * 1024)
    table = RawTable(("a",), ("a",), (text_column(["x"]),), np.array([1]))
    with Session(engine) as session, session.begin():
        file_id = keep_file(session, "large.csv", content, Source(path="large.csv"), table).id
    with Session(engine) as session:
        sizes = session.scalars(select(func.length(SourceBytes.content))).all()
        assert len(sizes) == 4 and max(sizes) < 4 * 1024 * 1024
        assert file_bytes(session, file_id) == content


@pytest.fixture
def kept(engine: Engine) -> tuple[Engine, str, Files]:
    """A study in the database."""
    table, reading = read_source(b"a\n1\n", Source(path="a.csv"))
    with Session(engine) as session, session.begin():
        files = Files(keep_file(session, "a.csv", b"a\n1\n", reading, table).id, {})
        study_id = create_study(session, study(title="One"), files, "Began").id
    return engine, study_id, files


def write(engine: Engine, study_id: str, edition: int, title: str, files: Files) -> int:
    with Session(engine) as session, session.begin():
        return write_study(
            session, study_id, edition, study(title=title), files, f"Called it {title}"
        ).edition


def title_of(engine: Engine, study_id: str) -> str:
    with Session(engine) as session:
        return read_study(session, study_id).study.title


def test_undo_and_redo_go_through_every_state(kept: tuple[Engine, str, Files]) -> None:
    engine, study_id, files = kept
    edition = write(engine, study_id, write(engine, study_id, 1, "Two", files), "Three", files)
    seen = []
    for by in (-1, -1, -1, 1, 1, 1):
        with Session(engine) as session, session.begin():
            edition = move_study(session, study_id, edition, by).edition
        seen.append(title_of(engine, study_id))
    assert seen == ["Two", "One", "One", "Two", "Three", "Three"]
    with Session(engine) as session, session.begin():
        record = move_study(session, study_id, edition, -1)
        edition = record.edition
        assert neighbours(session, record) == ("Called it Two", "Called it Three")
    write(engine, study_id, edition, "Other", files)
    with Session(engine) as session:
        assert neighbours(session, read_study(session, study_id).record)[1] is None


def test_a_second_writer_of_a_stale_state_is_told(kept: tuple[Engine, str, Files]) -> None:
    engine, study_id, files = kept
    write(engine, study_id, 1, "Two", files)
    with pytest.raises(StaleState, match="Called it Two"):
        write(engine, study_id, 1, "Mine", files)
    assert title_of(engine, study_id) == "Two"


def test_a_study_that_is_not_there(engine: Engine) -> None:
    with Session(engine) as session, pytest.raises(NoStudy):
        read_study(session, "nowhere")


def test_files_nobody_reads_are_forgotten_after_a_while(kept: tuple[Engine, str, Files]) -> None:
    engine, _, files = kept
    table, reading = read_source(b"a\n1\n", Source(path="b.csv"))
    with Session(engine) as session, session.begin():
        keep_file(session, "b.csv", b"a\n1\n", reading, table)
        assert forget_strays(session, timedelta(days=1)) == 0
    with Session(engine) as session, session.begin():
        assert forget_strays(session, timedelta(seconds=-5)) == 1
        assert session.scalars(select(SourceFile.id)).all() == [files.source]


def test_the_server_listens_on_loopback_only_with_a_private_password(
    mariadb: MariaServer, engine: Engine
) -> None:
    with engine.connect() as connection:
        assert connection.scalar(text("SELECT @@bind_address")) == "127.0.0.1"
        assert connection.scalar(text("SELECT @@innodb_flush_log_at_trx_commit")) == 1
        # Another server that starts on this machine clears away nothing of this one.
        assert connection.scalar(text("SELECT @@tmpdir")) == str(mariadb.folder / "tmp")
    password = mariadb.folder / "password"
    assert password.stat().st_mode & 0o077 == 0
    assert re.fullmatch(r"[\w-]{30,}\n", password.read_text())
