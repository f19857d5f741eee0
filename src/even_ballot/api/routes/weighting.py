"""Weighting and the design."""

from fastapi import APIRouter
from pydantic import BaseModel

from even_ballot.api.context import REFUSALS, CurrentStudy, Transaction, Workbench
from even_ballot.core.weighting.pasting import PastedTargets
from even_ballot.services import weighting
from even_ballot.services.views import DesignView, WeightingsView

router = APIRouter(prefix="/studies/{study_id}", tags=["weighting"], responses=REFUSALS)


class Pasted(BaseModel):
    """Lines of targets over the categories of some variables."""

    by: tuple[str, ...]
    text: str


@router.get("/weightings")
def weightings(state: CurrentStudy, session: Transaction, bench: Workbench) -> WeightingsView:
    """The reports, or what is wrong."""
    return weighting.weightings(session, bench, state)


@router.get("/design")
def design(state: CurrentStudy, session: Transaction, bench: Workbench) -> DesignView:
    """The design laid on the cases, or what is wrong."""
    return weighting.design(session, bench, state)


@router.post("/targets")
def targets(body: Pasted, state: CurrentStudy, session: Transaction, bench: Workbench) -> PastedTargets:
    """Matches pasted targets by label or code."""
    return weighting.pasted(session, bench, state, body.by, body.text)
