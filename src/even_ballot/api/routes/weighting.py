"""Weighting and the design."""

from typing import Annotated

from fastapi import Query, Request
from pydantic import BaseModel

from even_ballot.api.admission import body_of
from even_ballot.api.context import CurrentStudy, Transaction, Workbench, station
from even_ballot.core.weighting.comparison import Comparison
from even_ballot.core.weighting.limit_price import LimitPrice
from even_ballot.core.weighting.pasted_targets import PastedTargets
from even_ballot.services.stations import weighting
from even_ballot.services.stations.views import DesignView, HeavyCase, TargetLines, WeightingsView

router = station("/studies/{study_id}", "weighting")


class Pasted(BaseModel):
    """Lines of targets over the categories of some variables."""

    by: tuple[str, ...]
    text: str


@router.get("/weightings")
def weightings(state: CurrentStudy, session: Transaction, pipelines: Workbench) -> WeightingsView:
    """The reports, or what is wrong."""
    return weighting.weightings(session, pipelines, state)


@router.get("/weightings/{at}/limits")
def limits(at: int, state: CurrentStudy, session: Transaction, pipelines: Workbench) -> list[LimitPrice]:
    """What upper limits cost and buy."""
    return list(weighting.prices(session, pipelines, state, at))


@router.get("/weightings/{at}/heaviest")
def heaviest(
    at: int,
    state: CurrentStudy,
    session: Transaction,
    pipelines: Workbench,
    most: Annotated[int, Query(ge=1, le=500)] = 25,
) -> list[HeavyCase]:
    """The cases of largest weight."""
    return weighting.heaviest(session, pipelines, state, at, most)


@router.get("/comparison")
def comparison(
    state: CurrentStudy,
    session: Transaction,
    pipelines: Workbench,
    variables: Annotated[list[str] | None, Query()] = None,
) -> Comparison:
    """The weightings side by side."""
    return weighting.comparison(session, pipelines, state, variables or [])


@router.get("/design")
def design(state: CurrentStudy, session: Transaction, pipelines: Workbench) -> DesignView:
    """The design laid on the cases, or what is wrong."""
    return weighting.design(session, pipelines, state)


@router.post("/targets")
def targets(body: Pasted, state: CurrentStudy, session: Transaction, pipelines: Workbench) -> PastedTargets:
    """Matches pasted targets by label or code."""
    return weighting.pasted(session, pipelines, state, body.by, body.text)


@router.put("/targets")
def targets_file(state: CurrentStudy, name: str, request: Request) -> TargetLines:
    """A file of targets as lines, to be matched like pasted ones."""
    content = body_of(request)
    return weighting.targets_file(name, content)
