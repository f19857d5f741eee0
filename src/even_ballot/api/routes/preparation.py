"""Codebook, ledger and screening."""

from typing import Literal

from fastapi import APIRouter, Response
from pydantic import BaseModel

from even_ballot.api.context import REFUSALS, CurrentStudy, Transaction, Workbench
from even_ballot.core.screening import Finding
from even_ballot.services import codebook as codebooks
from even_ballot.services import ledger as ledgers
from even_ballot.services.views import CodebookView, ConditionView, CutOffView, FindingCases, LedgerEntry

router = APIRouter(prefix="/studies/{study_id}", tags=["preparation"], responses=REFUSALS)


class Condition(BaseModel):
    """A condition to try."""

    where: str


@router.get("/codebook", response_model_exclude_unset=True)
def codebook(state: CurrentStudy, session: Transaction, bench: Workbench) -> CodebookView:
    """Every variable with its answers, after the ledger."""
    return codebooks.codebook(session, bench, state)


@router.get("/ledger")
def ledger(state: CurrentStudy, session: Transaction, bench: Workbench) -> list[LedgerEntry]:
    """The entries with their effects."""
    return ledgers.ledger(session, bench, state)


@router.get("/ledger.{kind}", response_class=Response)
def journal(kind: Literal["md", "html"], state: CurrentStudy, session: Transaction, bench: Workbench) -> Response:
    """The ledger as a document for a colleague."""
    text = ledgers.journal(session, bench, state, kind)
    headers = {"content-disposition": f'attachment; filename="ledger.{kind}"'}
    return Response(text, media_type="text/markdown" if kind == "md" else "text/html", headers=headers)


@router.get("/findings")
def findings(state: CurrentStudy, session: Transaction, bench: Workbench) -> list[Finding]:
    """What the sweep finds after the ledger."""
    return list(bench.findings(session, state))


@router.get("/findings/cases", response_model_exclude_none=True)
def finding_cases(
    variable: str, kind: str, value: str, state: CurrentStudy, session: Transaction, bench: Workbench
) -> FindingCases:
    """The cases behind a finding."""
    return codebooks.finding_cases(session, bench, state, Finding(variable, kind, value, 0))


@router.post("/condition")
def try_condition(body: Condition, state: CurrentStudy, session: Transaction, bench: Workbench) -> ConditionView:
    """How many cases a condition is true of."""
    return ledgers.try_condition(session, bench, state, body.where)


@router.get("/cut-off/{kind}")
def cut_off(
    kind: Literal["too_fast", "too_little"], state: CurrentStudy, session: Transaction, bench: Workbench
) -> CutOffView | None:
    """The distribution that a movable cut-off is chosen by."""
    return codebooks.distribution(session, bench, state, kind)
