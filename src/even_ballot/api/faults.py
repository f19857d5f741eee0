"""Errors as JSON: what, where, and what mends it."""

from collections.abc import Callable
from dataclasses import asdict
from typing import Any

import structlog
from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from pydantic import BaseModel
from sqlalchemy.exc import DBAPIError, TimeoutError
from starlette.exceptions import HTTPException

from even_ballot.core.faults import Fault, StudyError
from even_ballot.core.progress import Stopped
from even_ballot.store.database import FULL, OutcomeUnknown, code_of, is_lost, refusal_of
from even_ballot.store.room import NoRoom
from even_ballot.store.studies import NoStudy, StaleState

_log = structlog.get_logger("even_ballot")
REPORT = "Details are in server.log in the data folder; please include them in a report."
_SHOWN = 20


class Faults(BaseModel):
    """What was wrong with a request. Nothing has been changed."""

    faults: list[Fault]


class Stale(BaseModel):
    """Somebody changed the study first: what they did, and the edition it has now."""

    faults: list[Fault]
    did: str
    edition: int


def _answer(status: int, *faults: Fault, **more: object) -> JSONResponse:
    return JSONResponse({"faults": [asdict(f) for f in faults], **more}, status)


def install(app: FastAPI) -> None:
    """Handlers for everything our code raises."""
    handlers: dict[type[Exception], Callable[[FastAPI, Any], JSONResponse]] = {
        StudyError: lambda _, error: _answer(422, *error.faults),
        StaleState: lambda _, error: _stale(error),
        NoStudy: lambda _, __: _answer(404, _NO_STUDY),
        Stopped: lambda _, __: _answer(409, _STOPPED),
        RequestValidationError: lambda _, error: _invalid(error),
        TimeoutError: lambda _, __: _again(_POOL_FULL),
        UnicodeEncodeError: lambda _, __: _answer(422, _HALF),
        MemoryError: lambda _, __: _again(_NO_MEMORY),
        OutcomeUnknown: lambda app, _: _unknown(app),
        DBAPIError: lambda app, error: _database(app, error),
        NoRoom: lambda _, __: _answer(507, FULL),
    }

    def handle(kind: type[Exception], answer: Callable[[FastAPI, Any], JSONResponse]) -> None:
        @app.exception_handler(kind)
        def _handled(request: Request, error: Exception) -> JSONResponse:
            return answer(app, error)

    for kind, answer in handlers.items():
        handle(kind, answer)

    @app.exception_handler(HTTPException)
    def _http(request: Request, error: HTTPException) -> JSONResponse:
        what = "There is nothing at this address." if error.status_code == 404 else f"{error.detail}."
        answer = _answer(error.status_code, Fault(what, request.url.path))
        answer.headers.update(error.headers or {})
        return answer


_NO_STUDY = Fault("There is no such study.", "", "It may have been removed; see the list of studies.")
_STOPPED = Fault("This was stopped before it was done; nothing was changed.", "", "Ask for it again.")
_POOL_FULL = Fault(
    "All connections to the database are in use; nothing was changed.", "", "Try again in a moment."
)
_HALF = Fault(
    "A text in this contains half a character, which cannot be stored or shown.", "", "Type that text again."
)
_NO_MEMORY = Fault("This needs more memory than is free; nothing was changed.", "", "Ask for less at once.")


def _stale(error: StaleState) -> JSONResponse:
    mend = f"Latest change: {error.did}. Your change was not saved."
    fault = Fault("This study has changed since you opened it.", "", mend)
    return _answer(409, fault, did=error.did, edition=error.edition)


def _invalid(error: RequestValidationError) -> JSONResponse:
    faults = [Fault(f"{e['msg']}.", ".".join(map(str, e["loc"]))) for e in error.errors()[:_SHOWN]]
    return _answer(422, *faults)


def _unknown(app: FastAPI) -> JSONResponse:
    what = f"{_standing(app)} while this was being saved: it may have been saved, or not."
    return _again(Fault(what, "", "Load the study again; what you see then is what was saved."))


def _database(app: FastAPI, error: DBAPIError) -> JSONResponse:
    code = code_of(error)
    _log.error("database", code=code, kind=type(error.orig).__name__)
    if is_lost(error):
        lost = Fault(f"{_standing(app)}, so nothing of this change was saved.", "", _tried_again(app))
        return _again(lost, database="starting" if _is_starting(app) else "down")
    refused = refusal_of(error)
    if refused is not None and refused.status == 503:
        return _again(refused.fault)
    if refused is not None:
        return _answer(refused.status, refused.fault)
    return _answer(500, Fault("The database refused this; nothing of it was saved.", "", REPORT))


def _again(fault: Fault, **more: str) -> JSONResponse:
    answer = _answer(503, fault, **more)
    answer.headers["retry-after"] = "2"
    return answer


def _standing(app: FastAPI) -> str:
    """What there is to say of a database that does not answer."""
    database = app.state.database
    if database is None or not _is_starting(app):
        return "The database does not answer"
    why = database.state.why
    return f"The database does not start ({why})" if why else "The database ended and is being started again"


def _tried_again(app: FastAPI) -> str:
    """What mends that."""
    if not _is_starting(app):
        return "Start Even Ballot again; var/mariadb/mariadb.log says why it ended."
    if app.state.database.state.why:
        return "Put that right; it is tried again every half minute by itself."
    return "It takes a few seconds; then send it again."


def _is_starting(app: FastAPI) -> bool:
    """Whether a database that does not answer is started again by us, noticed already or not."""
    database = app.state.database
    return database is not None and database.state.state != "down"
