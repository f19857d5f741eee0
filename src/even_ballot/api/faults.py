"""Errors as JSON: what, where, and what mends it."""

from dataclasses import asdict

import structlog
from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from pydantic import BaseModel
from sqlalchemy.exc import DBAPIError, TimeoutError
from starlette.exceptions import HTTPException

from even_ballot.core.faults import Fault, StudyError
from even_ballot.core.progress import Stopped
from even_ballot.store.database import OutcomeUnknown, code_of, is_lost
from even_ballot.store.studies import NoStudy, StaleState

_log = structlog.get_logger("even_ballot")
REPORT = "The server's log, var/server.log, says more; please report it with that."
# MariaDB's numbers: lock wait and deadlock; disk or table full; packet too large; value that does not fit.
_SHOWN = 20
_BUSY, _FULL, _LARGE, _UNFIT = (1205, 1213), (3, 1021, 1030, 1114), (1153, 2020), (1264, 1366, 1406)


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

    @app.exception_handler(StudyError)
    def _study(request: Request, error: StudyError) -> JSONResponse:
        return _answer(422, *error.faults)

    @app.exception_handler(StaleState)
    def _stale(request: Request, error: StaleState) -> JSONResponse:
        fault = Fault("Somebody changed this study since you read it.", "", f"Their change: {error.did}. Yours has not been saved.")
        return _answer(409, fault, did=error.did, edition=error.edition)

    @app.exception_handler(NoStudy)
    def _missing(request: Request, error: NoStudy) -> JSONResponse:
        return _answer(404, Fault("There is no such study.", "", "It may have been removed; see the list of studies."))

    @app.exception_handler(Stopped)
    def _stopped(request: Request, error: Stopped) -> JSONResponse:
        return _answer(409, Fault("This was stopped before it was done; nothing was changed.", "", "Ask for it again."))

    @app.exception_handler(RequestValidationError)
    def _invalid(request: Request, error: RequestValidationError) -> JSONResponse:
        faults = [Fault(f"{e['msg']}.", ".".join(map(str, e["loc"]))) for e in error.errors()[:_SHOWN]]
        return _answer(422, *faults)

    @app.exception_handler(HTTPException)
    def _http(request: Request, error: HTTPException) -> JSONResponse:
        what = "There is nothing at this address." if error.status_code == 404 else f"{error.detail}."
        answer = _answer(error.status_code, Fault(what, request.url.path))
        answer.headers.update(error.headers or {})
        return answer

    @app.exception_handler(TimeoutError)
    def _full(request: Request, error: TimeoutError) -> JSONResponse:
        return _again(Fault("All connections to the database are in use; nothing was changed.", "", "Try again in a moment."))

    @app.exception_handler(OutcomeUnknown)
    def _unknown(request: Request, error: OutcomeUnknown) -> JSONResponse:
        what = f"{_standing(app)} while this was being saved: it may have been saved, or not."
        return _again(Fault(what, "", "Load the study again; what you see then is what was saved."))

    @app.exception_handler(DBAPIError)
    def _database(request: Request, error: DBAPIError) -> JSONResponse:
        code = code_of(error)
        _log.error("database", error=str(error.orig)[:300], path=request.url.path)
        if is_lost(error):
            lost = Fault(f"{_standing(app)}, so nothing of this was saved.", "", "Try again in a moment.")
            return _again(lost, database="starting" if _is_starting(app) else "down")
        if code in _BUSY:
            return _again(Fault("Somebody else was saving the same; nothing of this was saved.", "", "Try again."))
        if code in _FULL:
            return _answer(
                507, Fault("The disk that the database is on is full; nothing of this was saved.", "", "Make room there.")
            )
        if code in _LARGE:
            return _answer(
                413, Fault("This is too large to be stored in one piece; nothing of it was saved.", "", "Make it smaller.")
            )
        if code in _UNFIT:
            return _answer(422, Fault("A text in this is too long, or holds characters that cannot be stored.", "", "Shorten it."))
        return _answer(500, Fault("The database refused this; nothing of it was saved.", "", REPORT))


def _again(fault: Fault, **more: str) -> JSONResponse:
    answer = _answer(503, fault, **more)
    answer.headers["retry-after"] = "2"
    return answer


def _standing(app: FastAPI) -> str:
    """What there is to say of a database that does not answer."""
    return "The database ended and is being started again" if _is_starting(app) else "The database does not answer"


def _is_starting(app: FastAPI) -> bool:
    database = app.state.database
    return database is not None and database.state.state == "starting"
