"""Codebook, ledger and screening."""

from typing import Annotated, Literal

from fastapi import Query, Request, Response
from pydantic import BaseModel, Field

from even_ballot.api.admission import body_of
from even_ballot.api.context import CurrentStudy, Transaction, Workbench, attachment, station
from even_ballot.core.draft.line import DraftLine
from even_ballot.core.draft.ordering.orders import Ordered, in_order
from even_ballot.core.ledger.scale_fit import Fit
from even_ballot.core.screening import Finding
from even_ballot.core.screening.item_nonresponse import NonResponse
from even_ballot.services.stations import cells as grids
from even_ballot.services.stations import codebook as codebooks
from even_ballot.services.stations import codebook_files, trial
from even_ballot.services.stations import ledger as ledgers
from even_ballot.services.stations.cells import CellsView, CellsWanted, FlowView
from even_ballot.services.stations.codebook import FitWanted
from even_ballot.services.stations.codebook_files import CodebookChanges
from even_ballot.services.stations.intake import Added, added_to
from even_ballot.services.stations.trial import Proposed, Trial
from even_ballot.services.stations.views import (
    CodebookView,
    ConditionView,
    CutOffView,
    FindingCases,
    LedgerEntry,
    VariableView,
)
from even_ballot.services.workers.ongoing_work import Doing

router = station("/studies/{study_id}", "preparation")


class Condition(BaseModel):
    """A condition to try; broken: how many cases it is false of, instead of true."""

    where: str
    broken: bool = False


@router.get("/codebook", response_model_exclude_unset=True)
def codebook(state: CurrentStudy, session: Transaction, pipelines: Workbench) -> CodebookView:
    """Every variable with its answers, after the ledger."""
    return codebooks.codebook(session, pipelines, state)


@router.get("/codebook/{name}", response_model_exclude_unset=True)
def variable(name: str, state: CurrentStudy, session: Transaction, pipelines: Workbench) -> VariableView:
    """A variable with all of its answers."""
    return codebooks.whole_variable(session, pipelines, state, name)


@router.get("/codebook.{kind}", response_class=Response)
def codebook_file(
    kind: Literal["csv", "json"], state: CurrentStudy, session: Transaction, pipelines: Workbench
) -> Response:
    """The codebook as a CSV, or as a table schema."""
    text = codebook_files.out(session, pipelines, state, kind)
    headers = attachment(state.study.title, f"codebook.{kind}")
    return Response(
        text, media_type="text/csv; charset=utf-8" if kind == "csv" else "application/json", headers=headers
    )


@router.put("/codebook")
def lay_codebook(
    study_id: str, edition: int, name: str, request: Request, session: Transaction, pipelines: Workbench
) -> CodebookChanges:
    """Lays a codebook file on the study."""
    content = body_of(request)
    return codebook_files.lay(session, pipelines, study_id, edition, name, content)


class Labels(BaseModel):
    """Answers that are to be put in order."""

    labels: tuple[str, ...] = Field(max_length=5000)


@router.post("/order")
def order(study_id: str, body: Labels) -> Ordered:
    """Answers in the order in which a scale would show them."""
    return in_order(body.labels)


@router.post("/draft")
def add_draft(
    lines: list[DraftLine], state: CurrentStudy, session: Transaction, pipelines: Workbench
) -> Added:
    """The codebook and the ledger with what some lines of the file's draft propose; nothing is kept."""
    return added_to(session, pipelines, state, lines)


@router.post("/fit")
def fit_scale(body: FitWanted, state: CurrentStudy, session: Transaction, pipelines: Workbench) -> list[Fit]:
    """How a scale fits some variables."""
    return list(codebooks.fit_scale(session, pipelines, state, body))


@router.post("/try", response_model_exclude_unset=True)
def try_step(body: Proposed, state: CurrentStudy, session: Transaction, pipelines: Workbench) -> Trial:
    """What a step would do."""
    return trial.try_step(session, pipelines, state, body)


@router.get("/ledger/{entry}", response_model_exclude_unset=True)
def entry_difference(entry: int, state: CurrentStudy, session: Transaction, pipelines: Workbench) -> Trial:
    """Before and after of an entry of the ledger."""
    return trial.entry_difference(session, pipelines, state, entry)


@router.post("/cells", response_model_exclude_unset=True)
def cells(body: CellsWanted, state: CurrentStudy, session: Transaction, pipelines: Workbench) -> CellsView:
    """A stretch of the cells of all cases."""
    return grids.cells(session, pipelines, state, body)


@router.get("/flow")
def flow(state: CurrentStudy, session: Transaction, pipelines: Workbench) -> FlowView:
    """Cases received, set aside and in use."""
    return grids.flow(session, pipelines, state)


@router.get("/left-out")
def left_out(
    state: CurrentStudy,
    session: Transaction,
    pipelines: Workbench,
    questions: Annotated[list[str] | None, Query()] = None,
) -> NonResponse:
    """Item non-response over some questions, or over all."""
    return codebooks.left_out(session, pipelines, state, questions or [])


@router.get("/ledger")
def ledger(state: CurrentStudy, session: Transaction, pipelines: Workbench) -> list[LedgerEntry]:
    """The entries with their effects."""
    return ledgers.ledger(session, pipelines, state)


@router.get("/ledger.{kind}", response_class=Response)
def journal(
    kind: Literal["md", "html"], state: CurrentStudy, session: Transaction, pipelines: Workbench
) -> Response:
    """The ledger as a document for a colleague."""
    text = ledgers.journal(session, pipelines, state, kind)
    headers = attachment(state.study.title, f"ledger.{kind}")
    return Response(text, media_type="text/markdown" if kind == "md" else "text/html", headers=headers)


@router.get("/findings")
def findings(state: CurrentStudy, session: Transaction, pipelines: Workbench) -> list[Finding]:
    """What the sweep finds after the ledger."""
    return list(pipelines.findings(session, state))


@router.get("/doing")
def doing(study_id: str, pipelines: Workbench) -> Doing | None:
    """What is being worked out for the study, where it takes a while."""
    return pipelines.works.doing(study_id)


@router.delete("/doing", status_code=204)
def stop_doing(study_id: str, pipelines: Workbench) -> None:
    """Stops what is being worked out for the study."""
    pipelines.works.stop(study_id)


@router.get("/findings/cases", response_model_exclude_none=True)
def finding_cases(
    variable: str, kind: str, value: str, state: CurrentStudy, session: Transaction, pipelines: Workbench
) -> FindingCases:
    """The cases behind a finding."""
    return codebooks.finding_cases(session, pipelines, state, Finding(variable, kind, value, 0))


@router.post("/condition")
def try_condition(
    body: Condition, state: CurrentStudy, session: Transaction, pipelines: Workbench
) -> ConditionView:
    """How many cases a condition is true of."""
    return ledgers.try_condition(session, pipelines, state, body.where, body.broken)


@router.get("/cut-off/{kind}")
def cut_off(
    kind: Literal["too_fast", "too_little"], state: CurrentStudy, session: Transaction, pipelines: Workbench
) -> CutOffView | None:
    """The distribution that a movable cut-off is chosen by."""
    return codebooks.distribution(session, pipelines, state, kind)
