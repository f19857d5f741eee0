"""Intake: files brought in and shown before they are imported."""

from fastapi import Request
from pydantic import BaseModel, Field

from even_ballot.api.admission import taken_body
from even_ballot.api.context import Pool, Transaction, Workbench, station
from even_ballot.api.routes.studies import Made
from even_ballot.core.draft.line import DraftLine, LineKind
from even_ballot.core.study.study_file import Source
from even_ballot.services.states import newer_file as refresh
from even_ballot.services.states.newer_file import RefreshView
from even_ballot.services.stations import intake
from even_ballot.services.stations.views import FilePreview, LineView, StudyView
from even_ballot.services.studies import studies
from even_ballot.services.workers.jobs import JobView

router = station("", "intake")


@router.post("/files")
def bring_in(request: Request, name: str, jobs: Pool, like: str | None = None) -> JobView:
    """Brings a file in: the body is its bytes. They are read and stored by a job, whose result is the
    file. Where its bytes do not say their encoding, it is the encoding of the file `like`."""
    file = taken_body(request)
    return intake.begin(jobs, name, file, like)


@router.get("/files/{file_id}")
def preview(file_id: str, session: Transaction, pipelines: Workbench) -> FilePreview:
    """A file at a glance."""
    return intake.preview(session, pipelines, file_id)


class Otherwise(BaseModel):
    """Columns that are to be proposed as a kind."""

    kind: LineKind
    questions: tuple[str, ...] = Field(min_length=1)


@router.get("/files/{file_id}/draft")
def draft(file_id: str, session: Transaction, pipelines: Workbench) -> tuple[LineView, ...]:
    """A codebook proposed for the file, line by line."""
    return intake.draft_of(session, pipelines, file_id)


@router.post("/files/{file_id}/draft/as")
def draft_as(file_id: str, body: Otherwise, session: Transaction, pipelines: Workbench) -> LineView:
    """Columns proposed as another kind."""
    return intake.draft_as(session, pipelines, file_id, body.kind, body.questions)


@router.post("/files/{file_id}/draft/look")
def look(file_id: str, body: DraftLine, session: Transaction, pipelines: Workbench) -> LineView:
    """What a line of a draft makes of the answers."""
    return intake.look(session, pipelines, file_id, body)


@router.post("/files/{file_id}/read-again")
def read_again(file_id: str, said: Source, session: Transaction, jobs: Pool) -> JobView:
    """The same bytes read another way by a job; a file of its own."""
    return intake.begin_again(session, jobs, file_id, said)


@router.put("/studies/{study_id}/lookups/{name}", response_model_exclude_unset=True)
def set_lookup(
    study_id: str, name: str, edition: int, file: Made, session: Transaction, pipelines: Workbench
) -> StudyView:
    """Gives a study a lookup file."""
    studies.set_lookup(session, pipelines, study_id, edition, name, file.id)
    return studies.view(session, pipelines, study_id)


class Newer(Made):
    """A newer file of answers, and whether its records are added to those there are or stand in their
    place."""

    extend: bool = False


@router.post("/studies/{study_id}/newer")
def look_at_newer(study_id: str, file: Newer, session: Transaction, pipelines: Workbench) -> RefreshView:
    """What a newer file of answers would change."""
    return refresh.look(session, pipelines, study_id, file.id, file.extend)


@router.put("/studies/{study_id}/source", response_model_exclude_unset=True)
def take_over_newer(
    study_id: str, edition: int, file: Made, session: Transaction, pipelines: Workbench
) -> StudyView:
    """Takes a newer file over, whole."""
    refresh.take_over(session, pipelines, study_id, edition, file.id)
    return studies.view(session, pipelines, study_id)
