"""Releases: as they would be made, made, kept and compared."""

from fastapi import Request, Response

from even_ballot.api.admission import body_of
from even_ballot.api.context import CurrentStudy, Pool, Transaction, Workbench, attachment, station
from even_ballot.services.releases import made
from even_ballot.services.releases.views import Compared, Releases, ReleaseView
from even_ballot.services.workers.jobs import JobView

router = station("/studies/{study_id}/releases", "releases")
_TYPES = {
    "csv": "text/csv; charset=utf-8",
    "docx": "application/vnd.openxmlformats-officedocument.wordprocessingml.document",
    "html": "text/html; charset=utf-8",
    "json": "application/json",
    "ods": "application/vnd.oasis.opendocument.spreadsheet",
    "parquet": "application/vnd.apache.parquet",
    "pdf": "application/pdf",
    "pptx": "application/vnd.openxmlformats-officedocument.presentationml.presentation",
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
    "zip": "application/zip",
}


@router.get("")
def releases(state: CurrentStudy, session: Transaction, pipelines: Workbench) -> Releases:
    """Releases that were made, and what to look at before the next."""
    return made.listed(session, pipelines, state)


@router.get("/next")
def next_release(state: CurrentStudy, session: Transaction, pipelines: Workbench) -> ReleaseView:
    """The release as it would be made now."""
    return made.shown(session, pipelines, state)


@router.get("/next/page", response_class=Response)
def next_page(state: CurrentStudy, session: Transaction, pipelines: Workbench) -> Response:
    """The same as the page that is handed over."""
    return Response(made.preview(session, pipelines, state), media_type=_TYPES["html"])


@router.post("")
def make_release(edition: int, state: CurrentStudy, pipelines: Workbench, jobs: Pool) -> JobView:
    """A job that makes a release of an edition; its result is the release's number."""
    return made.make(jobs, pipelines, state.record.id, edition, state.study.title)


@router.put("/template")
def template(
    study_id: str, edition: int, name: str, request: Request, session: Transaction
) -> made.BroughtTemplate:
    """Keeps a .docx whose styles releases may take: its styles, numbering, headers and footers, page set-up,
    fonts and pictures, and nothing else."""
    return made.bring_template(session, study_id, edition, name, body_of(request))


@router.get("/{number}/changes")
def changes(
    number: int, state: CurrentStudy, session: Transaction, pipelines: Workbench, until: int | None = None
) -> Compared:
    """What changed from a release to another, or to the study as it stands."""
    return made.compared(session, pipelines, state, number, until)


@router.get("/{number}/files/{name}", response_class=Response)
def released_file(number: int, name: str, state: CurrentStudy, session: Transaction) -> Response:
    """A file of a release as it was; all.zip: all of them."""
    study_id = state.record.id
    whole = name == "all.zip"
    content = made.whole(session, study_id, number) if whole else made.file(session, study_id, number, name)
    kind = _TYPES.get(name.rpartition(".")[2], "application/octet-stream")
    headers = attachment(state.study.title, f"release-{number}.zip" if whole else f"{number}-{name}")
    return Response(content, media_type=kind, headers=headers)
