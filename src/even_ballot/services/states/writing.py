"""A study's next revision: worked out first, written then."""

from dataclasses import replace

from sqlalchemy.orm import Session

from even_ballot.core.faults import StudyError
from even_ballot.core.study.study_file import Study
from even_ballot.services.states.study_states import Pipelines
from even_ballot.services.states.unforeseen import PROGRAM
from even_ballot.store.database import saved
from even_ballot.store.studies import Files, StudyState, write_study


def write(
    session: Session,
    pipelines: Pipelines,
    state: StudyState,
    edition: int,
    after: Study,
    files: Files,
    did: str,
) -> None:
    """Writes a study as it is after a change of `state`, once all that its pages begin with has been worked
    out: what was accepted shows. Raises StudyError where the program fails at that, and nothing is
    written; what is at fault in the study itself is shown on its pages."""
    if state.record.edition == edition:
        # While it is worked out no connection and no lock is held.
        saved(session)
        _work_out(session, pipelines, replace(state, study=after, files=files))
    write_study(session, state.record.id, edition, after, files, did)


def _work_out(session: Session, pipelines: Pipelines, state: StudyState) -> None:
    for node in (pipelines.ledgered, pipelines.findings, pipelines.weighted, pipelines.designed):
        try:
            node(session, state)
        except StudyError as error:
            if any(f.kind == PROGRAM for f in error.faults):
                raise
