"""Studies whose records stay in a folder of parts."""

from typing import Annotated

from fastapi import Path
from pydantic import BaseModel

from even_ballot.api.context import CurrentStudy, Pool, Transaction, Workbench, station
from even_ballot.services.in_place.folders import FolderOfParts
from even_ballot.services.stations.views import InPlaceView, RecordView
from even_ballot.services.studies import in_place
from even_ballot.services.workers.jobs import JobView

router = station("", "in place")
_MOST_RECORD = 2**62


class Folder(BaseModel):
    """A folder of parts, by its path below the folder of data."""

    folder: str


class Seen(BaseModel):
    """The edition that figures are wanted of."""

    edition: int


@router.get("/folders")
def folders(pipelines: Workbench) -> list[FolderOfParts]:
    """Folders of Parquet parts that a study may be begun on; their records stay there."""
    return in_place.folders(pipelines)


@router.post("/folders")
def draw(body: Folder, pipelines: Workbench, jobs: Pool) -> JobView:
    """Draws a sample of a folder's records by a job, whose result is a file."""
    return in_place.begin_drawing(jobs, pipelines, body.folder)


@router.get("/studies/{study_id}/in-place")
def in_place_of(state: CurrentStudy, session: Transaction, pipelines: Workbench) -> InPlaceView | None:
    """How a study stands to its records, where these stay in a folder."""
    return in_place.view(session, pipelines, state)


@router.post("/studies/{study_id}/in-place/figures")
def figures(body: Seen, state: CurrentStudy, pipelines: Workbench, jobs: Pool) -> JobView:
    """Works out all figures on all records by a job."""
    return in_place.begin_figures(jobs, pipelines, state.record.id, body.edition, state.study.title)


@router.get("/studies/{study_id}/in-place/records/{number}")
def record(
    number: Annotated[int, Path(ge=1, le=_MOST_RECORD)],
    state: CurrentStudy,
    session: Transaction,
    pipelines: Workbench,
) -> RecordView:
    """A record by its number among all, as it came and after the ledger."""
    return in_place.record(session, pipelines, state, number)
