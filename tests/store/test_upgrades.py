"""Databases that earlier versions left behind become today's, with all that was in them.

Each file in kept/ was written by the program as it was when its revision was the newest."""

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import Engine
from sqlalchemy.orm import Session
from typer.testing import CliRunner

from even_ballot.cli import app
from even_ballot.store.database import MIGRATIONS, connect, current_revision, migrate, newest_revision
from even_ballot.store.files import file_bytes, file_table
from even_ballot.store.models import Base
from even_ballot.store.releases import find_template, released_file, releases_of
from even_ballot.store.retention import retention
from even_ballot.store.server import MariaServer
from even_ballot.store.studies import all_studies, read_study, write_study

KEPT = Path(__file__).parent / "kept"
EARLIER = sorted(path.name.split("_")[0] for path in (MIGRATIONS / "versions").glob("[0-9]*.py"))[:-1]


@pytest.fixture(scope="module", params=EARLIER)
def upgraded(request: Any, tmp_path_factory: Any) -> Iterator[tuple[str, Engine]]:
    folder = tmp_path_factory.mktemp("upgraded")
    said = CliRunner().invoke(
        app, ["restore", str(KEPT / f"{request.param}.sql.gz"), "--folder", str(folder / "var")]
    )
    assert said.exit_code == 0, said.output
    server = MariaServer(folder / "var" / "mariadb")
    server.start()
    try:
        engine = connect(server.url)
        assert current_revision(engine) == request.param
        migrate(engine)
        yield request.param, engine
        engine.dispose()
    finally:
        server.stop()


def test_the_tables_are_those_of_today(upgraded: tuple[str, Engine]) -> None:
    _, engine = upgraded
    assert current_revision(engine) == newest_revision()
    with engine.connect() as connection:
        context = MigrationContext.configure(connection, opts={"compare_type": True})
        assert compare_metadata(context, Base.metadata) == []


def test_studies_answers_and_releases_are_what_they_were(upgraded: tuple[str, Engine]) -> None:
    version, engine = upgraded
    with Session(engine) as session:
        (record,) = all_studies(session, deleted=False)
        assert [study.title for study in all_studies(session, deleted=True)] == ["Gone"]
        assert retention(session).days is None
        state = read_study(session, record.id)
        assert (record.title, state.did) == ("Ferries", "Set cases aside")
        (step,) = state.study.ledger
        assert (step.do, step.why) == ("drop_cases", "of the crew")
        assert len(state.stamps) == 1
        assert state.stamps[0].when.endswith("Z")
        assert file_bytes(session, state.files.source).decode() == (
            "id,isle,age\n1,Hask,34\n2,Brim,51\n3,Hask,\n4,Ōran,29\n"
        )
        table = file_table(session, state.files.source)
        isles = table.columns[table.names.index("isle")]
        assert [isles.words[at] for at in isles.values] == ["Hask", "Brim", "Hask", "Ōran"]
        if version >= "0003":
            assert [release.title for release in releases_of(session, record.id)] == ["Ferries"]
            assert released_file(session, record.id, 1, "notes.txt") == b"as it was"
            assert find_template(session, record.id, "house.docx") == b"PK"


def test_work_goes_on(upgraded: tuple[str, Engine]) -> None:
    _, engine = upgraded
    with Session(engine) as session, session.begin():
        (record,) = all_studies(session, deleted=False)
        state = read_study(session, record.id)
        study = state.study.model_copy(update={"title": "Ferries, later"})
        write_study(session, record.id, record.edition, study, state.files, "Changed the title")
    with Session(engine) as session, session.begin():
        (record,) = all_studies(session, deleted=False)
        assert (record.title, read_study(session, record.id).stamps) == ("Ferries, later", state.stamps)
        study = state.study
        write_study(session, record.id, record.edition, study, state.files, "Set cases aside")
