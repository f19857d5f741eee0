"""What figures depend on: decisions, their combinations, and the cases that carry a figure."""

from typing import Annotated, Any

from fastapi import APIRouter, Query
from fastapi.responses import StreamingResponse
from pydantic import TypeAdapter, ValidationError
from starlette.types import Receive, Scope, Send

from even_ballot.api.context import REFUSALS, CurrentStudy, Transaction, Workbench
from even_ballot.core.faults import fault
from even_ballot.services.dependence.asked import (
    Asked,
    DependenceLine,
    FigureKey,
    Influence,
    Lines,
    PathLine,
)

router = APIRouter(prefix="/studies/{study_id}", tags=["dependence"], responses=REFUSALS)
_FIGURE: TypeAdapter[FigureKey] = TypeAdapter(FigureKey)
Figure = Annotated[str, Query(max_length=4000, description="A figure: its stub, banner and stat, as JSON.")]


class _Lines(StreamingResponse):
    """Lines that stop being worked out when whoever reads them goes away."""

    def __init__(self, lines: Lines) -> None:
        super().__init__(iter(lines), media_type="application/x-ndjson")
        self._lines = lines

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        try:
            await super().__call__(scope, receive, send)
        finally:
            self._lines.close()


def _figure(text: str) -> FigureKey:
    try:
        return _FIGURE.validate_json(text)
    except ValidationError:
        raise fault("This names no figure.", "figure", "Say its stub, banner and stat.") from None


@router.get("/depends/{table_id}", response_model=list[DependenceLine])
def depends(
    table_id: str, state: CurrentStudy, session: Transaction, pipelines: Workbench
) -> StreamingResponse:
    """What the figures of a table or an analysis (or of `_all`) would be without each decision: a line of
    JSON for each, as it is worked out. Who goes away stops it."""
    return _Lines(Asked(session, pipelines, state, table_id).decisions())


@router.get("/paths/{table_id}", response_model=list[PathLine])
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


@router.get("/influence/{table_id}", response_model=Influence)
def influence(
    table_id: str, figure: Figure, state: CurrentStudy, session: Transaction, pipelines: Workbench
) -> Any:
    """The cases, first-stage units and strata that carry a figure, the first of them with the exact figure
    without them."""
    return Asked(session, pipelines, state, table_id).influence(_figure(figure))
