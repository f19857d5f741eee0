"""Tables, and what is released."""

from fastapi import APIRouter, Response

from even_ballot.api.context import REFUSALS, CurrentStudy, Transaction, Workbench
from even_ballot.core.faults import fault
from even_ballot.services import tables
from even_ballot.services.views import TableView

router = APIRouter(prefix="/studies/{study_id}", tags=["tables"], responses=REFUSALS)

_TYPES = {
    "tables.xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
    "microdata.csv": "text/csv; charset=utf-8",
    "results.json": "application/json",
    "weighting.html": "text/html; charset=utf-8",
}


@router.get("/tables/{table_id}")
def table(table_id: str, state: CurrentStudy, session: Transaction, bench: Workbench) -> TableView:
    """One table, laid out."""
    return tables.table(session, bench, state, table_id)


@router.get("/release/{name}", response_class=Response)
def release(name: str, state: CurrentStudy, session: Transaction, bench: Workbench) -> Response:
    """A file of the release."""
    if name not in _TYPES:
        raise fault(f"A release has no {name!r}.", "", f"It has: {', '.join(_TYPES)}.")
    content = tables.release(session, bench, state).get(name)
    if content is None:
        raise fault("There are no weights to report on.", "weightings", "Weight the sample first.")
    return Response(content, media_type=_TYPES[name], headers={"content-disposition": f'attachment; filename="{name}"'})
