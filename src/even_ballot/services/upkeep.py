"""What nobody asks for is removed in time: studies whose days are over, files that no study reads."""

import threading
from datetime import timedelta

import structlog
from sqlalchemy import Engine
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session

from even_ballot.services.states.study_states import Pipelines
from even_ballot.store.files import file_ids
from even_ballot.store.retention import forget_strays, purge_due

_EACH, _STRAYS = 3600.0, timedelta(days=2)


def tidy(engine: Engine, pipelines: Pipelines) -> None:
    """Removes what is due, from memory too."""
    with Session(engine) as session, session.begin():
        gone = purge_due(session)
        gone += forget_strays(session, _STRAYS)
        left = file_ids(session)
    if gone:
        pipelines.forget(left)


def keep_tidy(engine: Engine, pipelines: Pipelines, each: float = _EACH) -> threading.Event:
    """Does so now, and every `each` seconds in a thread of its own until the event that is returned is set;
    a database that is away is tried again next time."""
    ended = threading.Event()
    tidy(engine, pipelines)

    def again() -> None:
        while not ended.wait(each):
            try:
                tidy(engine, pipelines)
            except SQLAlchemyError:
                structlog.get_logger("even_ballot").warning("upkeep postponed", exc_info=True)

    threading.Thread(target=again, daemon=True, name="upkeep").start()
    return ended
