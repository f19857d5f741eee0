"""Tables, and what is released."""

from typing import Literal

from fastapi import Request, Response
from fastapi.responses import StreamingResponse

from even_ballot.api.admission import body_of
from even_ballot.api.context import CurrentStudy, Transaction, Workbench, attachment, station
from even_ballot.core.faults import fault
from even_ballot.core.models.analysis import AnalysisPart
from even_ballot.core.models.joint import Joint
from even_ballot.core.models.side_by_side import ModelsBeside
from even_ballot.core.release.plan import Format
from even_ballot.services.releases.piece import Clip, PieceOf, clipped, piece_file
from even_ballot.services.stations import tables
from even_ballot.services.stations.views import (
    AnalysisView,
    DisclosureView,
    Planned,
    PlanOf,
    TableView,
    WithheldView,
)

router = station("/studies/{study_id}", "tables")

_TYPES = {
    "tables.xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
    "microdata.csv": "text/csv; charset=utf-8",
    "replicates.json": "application/json",
    "results.json": "application/json",
    "weighting.html": "text/html; charset=utf-8",
}
_ABSENT = {
    "weighting.html": ("There are no weights to report on.", "weightings", "Weight the sample first."),
    "replicates.json": (
        "There are no replicate weights in the records.",
        "design.save_replicates",
        "Have them saved with the records, in the sample design.",
    ),
}


@router.get("/pieces/{part}/{name}/clip")
def clip(part: PieceOf, name: str, state: CurrentStudy, session: Transaction, pipelines: Workbench) -> Clip:
    """One table or analysis for the clipboard, as the release would show it."""
    return clipped(session, pipelines, state, part, name)


@router.get("/pieces/{part}/{name}/file/{kind}", response_class=Response)
def piece(
    part: PieceOf, name: str, kind: Format, state: CurrentStudy, session: Transaction, pipelines: Workbench
) -> Response:
    """One table or analysis as a file, as the release would show it."""
    ending, content = piece_file(session, pipelines, state, part, name, kind)
    headers = attachment(state.study.title, ending)
    return Response(content, media_type="application/octet-stream", headers=headers)


@router.get("/tables/{table_id}")
def table(table_id: str, state: CurrentStudy, session: Transaction, pipelines: Workbench) -> TableView:
    """One table, laid out."""
    return tables.table(session, pipelines, state, table_id)


@router.get("/analyses/{part}/{analysis_id}")
def analysis(
    part: AnalysisPart, analysis_id: str, state: CurrentStudy, session: Transaction, pipelines: Workbench
) -> AnalysisView:
    """A model, a scale of items or correlations, with what it says in words."""
    return tables.analysis(session, pipelines, state, part, analysis_id)


@router.post("/tables/{table_id}/design-effect")
def planned(
    table_id: str, body: PlanOf, state: CurrentStudy, session: Transaction, pipelines: Workbench
) -> Planned:
    """Where a figure's design effect comes from, and samples that would show what is wanted of it."""
    return tables.planned(session, pipelines, state, table_id, body)


@router.get("/side-by-side/{beside_id}")
def beside(beside_id: str, state: CurrentStudy, session: Transaction, pipelines: Workbench) -> ModelsBeside:
    """Models of the plan in one table."""
    return tables.beside(session, pipelines, state, beside_id)


@router.get("/correlations/{analysis_id}/pair")
def pair(
    analysis_id: str, across: str, down: str, state: CurrentStudy, session: Transaction, pipelines: Workbench
) -> Joint | None:
    """Two variables of some correlations held against each other, as they were answered."""
    return tables.pair(session, pipelines, state, analysis_id, across, down)


@router.get("/disclosure")
def disclosure(state: CurrentStudy, session: Transaction, pipelines: Workbench) -> DisclosureView | None:
    """What is hidden when all tables are released together."""
    return tables.disclosure(session, pipelines, state)


@router.get("/disclosure/analyses")
def withheld(state: CurrentStudy, session: Transaction, pipelines: Workbench) -> WithheldView:
    """Analyses that are not told when everything is released together."""
    return tables.withheld(session, pipelines, state)


@router.get("/plan.{kind}", response_class=Response)
def plan(kind: Literal["csv", "json"], state: CurrentStudy) -> Response:
    """The plan of tables as a file."""
    headers = attachment(state.study.title, f"plan.{kind}")
    return Response(
        tables.plan(state, kind),
        media_type="text/csv; charset=utf-8" if kind == "csv" else "application/json",
        headers=headers,
    )


@router.put("/plan")
def lay_plan(
    study_id: str,
    edition: int,
    name: str,
    request: Request,
    session: Transaction,
    pipelines: Workbench,
    replace: bool = False,
    anyway: bool = False,
) -> int:
    """Reads a plan of tables from a file: after those there are, or in their place; anyway: though it names
    variables there are not. How many it has."""
    content = body_of(request)
    return tables.lay_plan(session, pipelines, study_id, edition, name, content, replace, anyway)


@router.get("/release/{name}", response_class=Response)
def release(name: str, state: CurrentStudy, session: Transaction, pipelines: Workbench) -> Response:
    """A file of the release."""
    if name not in _TYPES:
        raise fault(f"A release has no {name!r}.", "", f"It has: {', '.join(_TYPES)}.")
    content = tables.release(session, pipelines, state).get(name)
    if content is None:
        raise fault(*_ABSENT[name])
    headers = attachment(state.study.title, name)
    if name == "microdata.csv":
        return StreamingResponse(content, media_type=_TYPES[name], headers=headers)
    return Response(b"".join(content), media_type=_TYPES[name], headers=headers)
