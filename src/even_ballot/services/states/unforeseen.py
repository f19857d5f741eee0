"""What nobody foresaw while a study was worked out: logged whole, and told as a fault of the program's own,
so that the pages of the study still show."""

from collections.abc import Callable
from typing import TypeVar

import structlog
from sqlalchemy.exc import SQLAlchemyError

from even_ballot.core.faults import StudyError, fault
from even_ballot.core.progress import Stopped
from even_ballot.store.database import OutcomeUnknown

T = TypeVar("T")
PROGRAM = "program"
"""The kind of a fault that is the program's own."""
_log = structlog.get_logger("even_ballot")
_FORESEEN = (StudyError, Stopped, SQLAlchemyError, OutcomeUnknown, MemoryError)


def foreseen(make: Callable[[], T]) -> T:
    """What `make` gives. Raises StudyError, of kind PROGRAM, for whatever it was not meant to raise."""
    try:
        return make()
    except _FORESEEN:
        raise
    except Exception as error:
        _log.exception("unforeseen", kind=type(error).__name__)
        raise fault(
            "The program failed while working this out; that is a fault of its own.",
            "",
            "Undo the change that led to it, or switch off the entry of the ledger; var/server.log has the "
            "details.",
            kind=PROGRAM,
        ) from None
