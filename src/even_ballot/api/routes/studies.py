"""The list of studies, and a study as a whole: changed, undone, copied, in and out."""

from typing import Annotated, Any

from fastapi import Query, Request, Response
from pydantic import BaseModel

from even_ballot.api.admission import body_of
from even_ballot.api.context import CurrentStudy, Transaction, Workbench, attachment, station
from even_ballot.core.draft.line import DraftLine
from even_ballot.services.demo import demo_zip
from even_ballot.services.stations.views import StudyCard, StudyView
from even_ballot.services.studies import changes, studies
from even_ballot.store.studies import read_study

router = station("/studies", "studies")


class Begin(BaseModel):
    """A new study on a file that was brought in, with the lines of a draft that are taken."""

    title: str
    file: str
    draft: tuple[DraftLine, ...] = ()


class Change(BaseModel):
    """New parts of a study, and the edition they were made on."""

    edition: int
    parts: dict[str, Any]


class At(BaseModel):
    """The edition somebody saw; none, where it could not be shown: whichever it has."""

    edition: int | None = None


class Kept(BaseModel):
    """Days that deleted studies are kept; none: until somebody deletes them permanently."""

    days: int | None


class Made(BaseModel):
    """The identifier of what was made."""

    id: str


@router.get("")
def list_studies(session: Transaction, deleted: Annotated[bool, Query()] = False) -> list[StudyCard]:
    """All studies, latest change first; or the deleted ones."""
    return studies.list_studies(session, deleted)


@router.post("")
def begin(body: Begin, session: Transaction, pipelines: Workbench) -> Made:
    """A new study."""
    return Made(id=studies.begin(session, pipelines, body.title, body.file, body.draft))


@router.post("/take-in")
def take_in(request: Request, name: str, session: Transaction, pipelines: Workbench) -> Made:
    """A study from the ZIP it was saved as."""
    content = body_of(request)
    return Made(id=studies.take_in(session, pipelines, name, content))


@router.post("/demo")
def demo(session: Transaction, pipelines: Workbench) -> Made:
    """The demo study, afresh."""
    return Made(id=studies.take_in(session, pipelines, "the demo", demo_zip()))


@router.get("/retention")
def retention(session: Transaction) -> Kept:
    """How long deleted studies are kept."""
    return Kept(days=studies.kept_for(session))


@router.put("/retention")
def set_retention(body: Kept, session: Transaction) -> Kept:
    """Sets how long deleted studies are kept; for those deleted already the days count from now."""
    return Kept(days=studies.keep_for(session, body.days))


@router.get("/{study_id}", response_model_exclude_unset=True)
def read(study_id: str, session: Transaction, pipelines: Workbench) -> StudyView:
    """A study as it stands."""
    return studies.view(session, pipelines, study_id)


@router.patch("/{study_id}", response_model_exclude_unset=True)
def change(study_id: str, body: Change, session: Transaction, pipelines: Workbench) -> StudyView:
    """Lays new parts over a study; the answer is the study as it then stands."""
    changes.change(session, pipelines, study_id, body.edition, body.parts)
    return studies.view(session, pipelines, study_id)


@router.post("/{study_id}/undo", response_model_exclude_unset=True)
def undo(study_id: str, body: At, session: Transaction, pipelines: Workbench) -> StudyView:
    """Takes the last change back."""
    changes.move(session, study_id, body.edition, -1)
    return studies.view(session, pipelines, study_id)


@router.post("/{study_id}/redo", response_model_exclude_unset=True)
def redo(study_id: str, body: At, session: Transaction, pipelines: Workbench) -> StudyView:
    """Does again what was taken back."""
    changes.move(session, study_id, body.edition, 1)
    return studies.view(session, pipelines, study_id)


@router.post("/{study_id}/copy")
def copy(study_id: str, session: Transaction) -> Made:
    """A copy that goes its own way."""
    return Made(id=studies.copy(session, study_id))


@router.delete("/{study_id}", status_code=204)
def delete(study_id: str, session: Transaction) -> None:
    """Takes a study out of the list; restore brings it back."""
    studies.delete(session, study_id)


@router.post("/{study_id}/restore", status_code=204)
def restore(study_id: str, session: Transaction) -> None:
    """Brings a deleted study back."""
    studies.restore(session, study_id)


@router.post("/{study_id}/purge", status_code=204)
def purge(study_id: str, session: Transaction, pipelines: Workbench) -> None:
    """Removes a deleted study for good: answers, entries, releases; nothing brings it back."""
    studies.purge(session, pipelines, study_id)


@router.put("/{study_id}/document", response_model_exclude_unset=True)
def lay_document(
    study_id: str, edition: int, request: Request, session: Transaction, pipelines: Workbench
) -> StudyView:
    """Lays a study file on a study's own data."""
    content = body_of(request)
    studies.lay_document(session, pipelines, study_id, edition, content)
    return studies.view(session, pipelines, study_id)


@router.get("/{study_id}/study.json", response_class=Response)
def document(state: CurrentStudy) -> Response:
    """The study file."""
    headers = attachment(state.study.title, "study.json")
    return Response(studies.document(state.study), media_type="application/json", headers=headers)


@router.get("/{study_id}/study.zip", response_class=Response)
def export(study_id: str, session: Transaction) -> Response:
    """The study file with the files it reads."""
    headers = attachment(read_study(session, study_id).study.title, "study.zip")
    return Response(studies.export(session, study_id), media_type="application/zip", headers=headers)
