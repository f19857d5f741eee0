"""What was deleted goes for good when its days are over, never at once, and takes nothing of others with it."""

import gc
import threading
import weakref
from datetime import datetime, timedelta

import pytest
from builders import study
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import Engine
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

from even_ballot.core.faults import StudyError
from even_ballot.core.study.study_file import Source
from even_ballot.formats.sources.source import read_source
from even_ballot.services.states.study_states import Pipelines
from even_ballot.services.upkeep import keep_tidy, tidy
from even_ballot.store.files import keep_file
from even_ballot.store.models import SourceFile, now
from even_ballot.store.retention import Retention, purge, purge_due, retention, set_retention
from even_ballot.store.studies import Files, all_studies, create_study, read_study

DAY = timedelta(days=1)
CONTENT = b"a,b\n1,2\n"


def made(engine: Engine, *deleted: timedelta | None) -> list[str]:
    """Studies that read one file, each deleted so long ago or not at all."""
    table, reading = read_source(CONTENT, Source(path="a.csv"))
    with Session(engine) as session, session.begin():
        file = keep_file(session, "a.csv", CONTENT, reading, table).id
        records = [
            create_study(session, study(title=str(k)), Files(file, {}), "Began")
            for k, _ in enumerate(deleted)
        ]
        for record, ago in zip(records, deleted, strict=True):
            record.deleted = None if ago is None else now() - ago
        return [record.id for record in records]


def left(engine: Engine) -> set[str]:
    with Session(engine) as session:
        return {s.id for deleted in (False, True) for s in all_studies(session, deleted)}


def test_days_count_from_the_deletion_but_from_the_setting_for_what_was_deleted_before(
    engine: Engine,
) -> None:
    here, *_ = made(engine, None, 40 * DAY, 2 * DAY)
    with Session(engine) as session, session.begin():
        assert purge_due(session, now() + 900 * DAY) == 0, "nothing is set, so nothing goes"
        set_retention(session, 7)
        assert retention(session).days == 7
        assert purge_due(session) == 0, "nothing goes at once"
        assert purge_due(session, now() + 6.9 * DAY) == 0
    later = made(engine, -3 * DAY)[0]  # Deleted three days from now.
    with Session(engine) as session, session.begin():
        assert purge_due(session, now() + 7.1 * DAY) == 2
    assert left(engine) == {here, later}
    with Session(engine) as session, session.begin():
        assert purge_due(session, now() + 10.1 * DAY) == 1
        # The study that is there still reads its file; the other's file went with it.
        assert session.query(SourceFile).count() == 1
        set_retention(session, None)
        assert retention(session).days is None


def test_what_was_purged_is_in_no_memory(engine: Engine) -> None:
    (gone,) = made(engine, DAY)
    with Session(engine) as session, session.begin():
        study_of_it = weakref.ref(read_study(session, gone).study)
        assert study_of_it() is read_study(session, gone).study
        purge(session, gone)
    gc.collect()
    assert study_of_it() is None


def test_upkeep_goes_on_after_a_database_that_was_away(
    engine: Engine, monkeypatch: pytest.MonkeyPatch
) -> None:
    calls, again = list[int](), threading.Event()

    def tidied(*_: object) -> None:
        calls.append(1)
        if len(calls) == 2:
            raise OperationalError("select", {}, Exception("gone"))
        if len(calls) > 3:
            again.set()

    monkeypatch.setattr("even_ballot.services.upkeep.tidy", tidied)
    ended = keep_tidy(engine, Pipelines(), each=0.01)
    assert again.wait(10)
    ended.set()


def test_upkeep_removes_what_is_due(engine: Engine, monkeypatch: pytest.MonkeyPatch) -> None:
    (gone,) = made(engine, 40 * DAY)
    with Session(engine) as session, session.begin():
        set_retention(session, 1)
    tidy(engine, Pipelines())
    assert gone in left(engine)
    monkeypatch.setattr("even_ballot.store.retention.now", lambda: datetime.now() + 2 * DAY)
    tidy(engine, Pipelines())
    assert gone not in left(engine)


@pytest.mark.parametrize("days", [0, -1, 3651])
def test_days_that_are_none_are_refused(engine: Engine, days: int) -> None:
    with Session(engine) as session, pytest.raises(StudyError, match="not a number of days"):
        set_retention(session, days)


@given(
    st.datetimes(max_value=datetime(3000, 1, 1)),
    st.datetimes(max_value=datetime(3000, 1, 1)),
    st.integers(1, 3650),
)
def test_nothing_goes_sooner_than_its_days(deleted: datetime, since: datetime, days: int) -> None:
    until = Retention(days, since).until(deleted)
    assert until is not None
    assert until - deleted >= days * DAY and until - since >= days * DAY
    assert days * DAY in (until - deleted, until - since)
