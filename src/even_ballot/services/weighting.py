"""Weightings, targets pasted by label, and the design."""

from sqlalchemy.orm import Session

from even_ballot.core.faults import StudyError
from even_ballot.core.weighting.pasting import PastedTargets, match_targets
from even_ballot.services.bench import Bench
from even_ballot.services.views import DesignView, WeightingsView
from even_ballot.store.studies import State


def weightings(session: Session, bench: Bench, state: State) -> WeightingsView:
    """The reports, or what is wrong."""
    try:
        return WeightingsView(bench.weighted(session, state)[1].reports, ())
    except StudyError as error:
        return WeightingsView((), error.faults)


def design(session: Session, bench: Bench, state: State) -> DesignView:
    """The design laid on the cases, or what is wrong."""
    try:
        units = bench.designed(session, state)[1].units
    except StudyError as error:
        return DesignView(None, None, None, error.faults)
    return DesignView(len(units.psus), int(units.psus.sum()), units.degrees_of_freedom, ())


def pasted(session: Session, bench: Bench, state: State, by: tuple[str, ...], text: str) -> PastedTargets:
    """Targets from pasted or typed lines, matched by label or code, never by position."""
    return match_targets(bench.cases(session, state)[1], by, text)
