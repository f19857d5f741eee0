"""The application: routes under /api/v1, the built interface everywhere else."""

import contextlib
import json
from collections.abc import AsyncIterator
from pathlib import Path

from fastapi import FastAPI
from fastapi.responses import FileResponse, JSONResponse, Response
from sqlalchemy import Engine
from starlette.staticfiles import StaticFiles

from even_ballot import __version__
from even_ballot.api import faults
from even_ballot.api.admission import Admission
from even_ballot.api.guard import Guard
from even_ballot.api.routes import (
    dependence,
    in_place,
    intake,
    jobs,
    pictures,
    preparation,
    releases,
    studies,
    tables,
    weighting,
)
from even_ballot.services.states.study_states import Pipelines
from even_ballot.services.stations.vocabulary import Vocabulary, vocabulary
from even_ballot.services.workers.jobs import Jobs
from even_ballot.store.server import DatabaseState, MariaServer

_STATIONS = (
    studies, intake, in_place, jobs, preparation, weighting, tables, dependence, pictures, releases,
)  # fmt: skip


def make_app(
    engine: Engine | None,
    web: Path | None = None,
    database: MariaServer | None = None,
    pipelines: Pipelines | None = None,
) -> FastAPI:
    """The application on a database; `web` is the folder of the built interface; `database`: the server,
    where it is ours; pipelines: what works studies out."""
    app = FastAPI(
        title="Even Ballot",
        version=__version__,
        openapi_url="/api/v1/openapi.json",
        docs_url=None,
        redoc_url=None,
        separate_input_output_schemas=False,
        lifespan=_lifespan,
        generate_unique_id_function=lambda route: route.name,
    )
    app.state.engine, app.state.database = engine, database
    app.state.pipelines = pipelines or Pipelines()
    app.state.jobs = None if engine is None else Jobs(engine)
    faults.install(app)

    @app.get("/api/v1/health", tags=["health"])
    def health() -> dict[str, str]:
        """Says that the server is up, which version, and how its database stands."""
        standing = DatabaseState("up") if database is None else database.state
        return {"version": __version__, "database": standing.state, "says": standing.says}

    @app.get("/api/v1/vocabulary", tags=["vocabulary"])
    def vocabulary_of_choices() -> Vocabulary:
        """What can be chosen: figures, functions of formulas, parts of entries."""
        return vocabulary()

    for station in _STATIONS:
        app.router.routes.extend(station.router.routes)
    if web is not None:
        _serve(app, web)
    app.add_middleware(Admission)
    app.add_middleware(Guard)
    return app


@contextlib.asynccontextmanager
async def _lifespan(app: FastAPI) -> AsyncIterator[None]:
    """Jobs are stopped with the server."""
    yield
    app.state.pipelines.works.close()
    if app.state.jobs is not None:
        app.state.jobs.close()


def _serve(app: FastAPI, web: Path) -> None:
    """Built files as they are; every other address is the interface's own."""
    app.mount("/assets", StaticFiles(directory=web / "assets"))

    @app.get("/{path:path}", include_in_schema=False)
    def page(path: str) -> Response:
        if path.startswith("api/"):
            return JSONResponse({"faults": [{"what": f"There is no /{path}.", "where": "", "mend": ""}]}, 404)
        return FileResponse(web / "index.html", headers={"cache-control": "no-cache"})


def openapi_document() -> str:
    """The OpenAPI document as it is kept in docs/, from which the interface's types are made."""
    return json.dumps(make_app(None).openapi(), indent=1, sort_keys=True) + "\n"


if __name__ == "__main__":
    print(openapi_document(), end="")
