"""What was acknowledged survives the database being killed in the middle of a write; what was not is
wholly absent."""

import threading
from collections.abc import Iterator
from pathlib import Path

import pytest
from builders import study
from sqlalchemy import text
from sqlalchemy.exc import DBAPIError
from sqlalchemy.orm import Session

from even_ballot.core.study.study_file import Source
from even_ballot.formats.sources.source import read_source
from even_ballot.store.database import connect, migrate
from even_ballot.store.files import file_bytes, file_table, keep_file
from even_ballot.store.server import MariaServer
from even_ballot.store.studies import Files, all_studies, create_study, read_study, write_study

CONTENT = b"a,b\n" + b"".join(b"%d,answer %d\n" % (k, k) for k in range(20_000))


@pytest.fixture
def server(tmp_path: Path) -> Iterator[MariaServer]:
    made = MariaServer(tmp_path / "db")
    made.start()
    yield made
    made.stop()


def test_killing_the_database_in_the_middle_of_writing_loses_nothing_acknowledged(
    server: MariaServer,
) -> None:
    engine = connect(server.url)
    migrate(engine)
    table, reading = read_source(CONTENT, Source(path="a.csv"))
    acknowledged: list[str] = []
    enough = threading.Event()

    def write() -> None:
        try:
            while True:
                with Session(engine, expire_on_commit=False) as session, session.begin():
                    files = Files(keep_file(session, "a.csv", CONTENT, reading, table).id, {})
                    made = create_study(session, study(title=f"Study {len(acknowledged)}"), files, "Began")
                    write_study(
                        session, made.id, 1, study(title=f"Changed {len(acknowledged)}"), files, "Changed"
                    )
                acknowledged.append(made.id)
                if len(acknowledged) >= 5:
                    enough.set()
        except DBAPIError:
            enough.set()

    writer = threading.Thread(target=write)
    writer.start()
    assert enough.wait(60)
    server.kill()
    writer.join(60)
    assert len(acknowledged) >= 5
    engine.dispose()

    server.start()
    engine = connect(server.url)
    with Session(engine) as session:
        there = {record.id for record in all_studies(session, deleted=False)}
        assert set(acknowledged) <= there
        for study_id in there:
            state = read_study(session, study_id)
            assert state.study.title.startswith("Changed ")
            assert file_bytes(session, state.files.source) == CONTENT
            assert len(file_table(session, state.files.source).rows) == 20_000
        orphans = text(
            "SELECT COUNT(*) FROM source_files WHERE id NOT IN (SELECT json_value(files, '$.source') FROM revisions)"
        )
        assert session.scalar(orphans) == 0
    engine.dispose()
