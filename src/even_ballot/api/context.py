"""What a route works with: one transaction, the pipelines, the study asked for."""

import re
import unicodedata
from collections.abc import Iterator
from typing import Annotated, Any

from fastapi import APIRouter, Depends, Request
from fastapi.routing import APIRoute
from sqlalchemy.orm import Session

from even_ballot.api.faults import Faults, Stale
from even_ballot.services.states.study_states import Pipelines
from even_ballot.services.workers.jobs import Jobs
from even_ballot.store.database import saved
from even_ballot.store.studies import StudyState, read_study

REFUSALS: dict[int | str, dict[str, Any]] = {
    400: {"model": Faults, "description": "The request cannot be read"},
    404: {"model": Faults},
    409: {"model": Stale},
    413: {"model": Faults, "description": "The body is too large"},
    422: {"model": Faults},
    429: {"model": Faults, "description": "Too many requests wait"},
    503: {"model": Faults, "description": "The database does not answer"},
    507: {"model": Faults, "description": "The disk is full"},
}


def station(prefix: str, tag: str) -> APIRouter:
    """A router at an address below the API's, its operations named by their functions. Its routes are the
    application's as they are: to include it would build each a second time, which half of a start went to.
    """
    return APIRouter(
        prefix=f"/api/v1{prefix}", tags=[tag], responses=REFUSALS, generate_unique_id_function=_name
    )


def _name(route: APIRoute) -> str:
    return route.name


def _transaction(request: Request) -> Iterator[Session]:
    """One request, one transaction: committed before the answer is sent, rolled back where anything is
    raised. It takes a connection when it first asks the database for something."""
    session = Session(request.app.state.engine, expire_on_commit=False)
    try:
        yield session
        saved(session)
    except BaseException:
        session.rollback()
        raise
    finally:
        session.close()


def _pipelines(request: Request) -> Pipelines:
    pipelines: Pipelines = request.app.state.pipelines
    return pipelines


Transaction = Annotated[Session, Depends(_transaction, scope="function")]
Workbench = Annotated[Pipelines, Depends(_pipelines)]


def _jobs(request: Request) -> Jobs:
    jobs: Jobs = request.app.state.jobs
    return jobs


Pool = Annotated[Jobs, Depends(_jobs)]


def _state(study_id: str, session: Transaction) -> StudyState:
    """A study that is only read: the connection goes back before anything is worked out, and after every
    file that is read."""
    state = read_study(session, study_id)
    saved(session)
    return state


CurrentStudy = Annotated[StudyState, Depends(_state)]


def attachment(title: str, name: str) -> dict[str, str]:
    """The header of a file that is saved: its name begins with the study's."""
    plain = unicodedata.normalize("NFKD", title).encode("ascii", "ignore").decode().lower()
    words = re.findall(r"[a-z0-9]+", plain)
    named = "-".join([*words[:8], name])
    return {"content-disposition": f'attachment; filename="{named}"'}
