"""What figures depend on: decisions, their combinations, and the cases that carry a figure."""

from typing import Annotated, Any

from fastapi import Query
from fastapi.responses import StreamingResponse
from pydantic import TypeAdapter, ValidationError
from starlette.types import Receive, Scope, Send

from even_ballot.api.context import REFUSALS, CurrentStudy, Transaction, Workbench, station
from even_ballot.api.faults import Faults
from even_ballot.core.faults import fault
from even_ballot.services.dependence.asked import (
    Asked,
    DependenceLine,
    FigureKey,
    InfluenceLine,
    Lines,
    PathLine,
    Waiting,
)

router = station("/studies/{study_id}", "dependence")
_FIGURE: TypeAdapter[FigureKey] = TypeAdapter(FigureKey)
Figure = Annotated[str, Query(max_length=4000, description="A figure: its stub, banner and stat, as JSON.")]


class _Lines(StreamingResponse):
    """Lines that stop being worked out when whoever reads them goes away. Each is of one kind, or says
    that the question waits, or what is at fault."""

    media_type = "application/x-ndjson"

    def __init__(self, lines: Lines) -> None:
        super().__init__(iter(lines))
        self._lines = lines

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        try:
            await super().__call__(scope, receive, send)
        finally:
            self._lines.close()


def _lines(kinds: Any) -> dict[str, Any]:
    """An answer of such lines, as it is documented."""
    documented: dict[int | str, dict[str, Any]] = {200: {"model": kinds}}
    for status, of in REFUSALS.items():
        # What is refused is no line.
        schema = {"$ref": f"#/components/schemas/{of['model'].__name__}"}
        said = {
            "description": of.get("description", "Refused"),
            "content": {"application/json": {"schema": schema}},
        }
        documented[status] = said
    return {
        "response_class": _Lines,
        "response_model": None,
        "status_code": 200,
        "responses": documented,
    }


def _figure(text: str) -> FigureKey:
    try:
        return _FIGURE.validate_json(text)
    except ValidationError:
        raise fault("This names no figure.", "figure", "Say its stub, banner and stat.") from None


@router.get("/depends/{table_id}", **_lines(DependenceLine | Waiting | Faults))
def depends(
    table_id: str,
    state: CurrentStudy,
    session: Transaction,
    pipelines: Workbench,
    reading: Annotated[bool, Query(description="Entries that only make answers readable, too.")] = False,
) -> StreamingResponse:
    """What the figures of a table or an analysis (or of `_all`) would be without each decision: a line of
    JSON for each, as it is worked out. Who goes away stops it."""
    return _Lines(Asked(session, pipelines, state, table_id).decisions(reading))


@router.get("/paths/{table_id}", **_lines(PathLine | Waiting | Faults))
def paths(
    table_id: str,
    figure: Figure,
    decision: Annotated[list[str], Query(max_length=200)],
    state: CurrentStudy,
    session: Transaction,
    pipelines: Workbench,
) -> StreamingResponse:
    """A figure over every combination of some decisions: a line of JSON for each, the study as it is first.
    Who goes away stops it."""
    return _Lines(Asked(session, pipelines, state, table_id).paths(_figure(figure), decision))


@router.get("/influence/{table_id}", **_lines(InfluenceLine | Waiting | Faults))
def influence(
    table_id: str, figure: Figure, state: CurrentStudy, session: Transaction, pipelines: Workbench
) -> StreamingResponse:
    """The cases, first-stage units and strata that carry a figure, the first of them with the exact figure
    without them: a line of JSON says how far it has got, the last one what was found. Who goes away stops
    it."""
    return _Lines(Asked(session, pipelines, state, table_id).influence(_figure(figure)))
