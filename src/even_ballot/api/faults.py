"""Errors as JSON: what, where, and what mends it."""

import structlog
from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from pydantic import BaseModel
from sqlalchemy.exc import DBAPIError

from even_ballot.core.faults import Fault, StudyError
from even_ballot.core.progress import Stopped
from even_ballot.store.studies import NoStudy, StaleState

_log = structlog.get_logger("even_ballot")


class Faults(BaseModel):
    """What was wrong with a request. Nothing has been changed."""

    faults: list[Fault]


class Stale(BaseModel):
    """Somebody changed the study first: what they did, and the edition it has now."""

    faults: list[Fault]
    did: str
    edition: int


def _answer(status: int, *faults: Fault, **more: object) -> JSONResponse:
    return JSONResponse({"faults": [{"what": f.what, "where": f.where, "mend": f.mend} for f in faults], **more}, status)


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
        faults = [Fault(f"{e['msg']}.", ".".join(map(str, e["loc"]))) for e in error.errors()]
        return _answer(422, *faults)

    @app.exception_handler(DBAPIError)
    def _database(request: Request, error: DBAPIError) -> JSONResponse:
        _log.error("database", error=str(error.orig)[:300], path=request.url.path)
        return _answer(503, Fault("The database does not answer, so nothing of this was saved.", "", "Try again in a moment."))
