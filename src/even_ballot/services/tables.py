"""Tables of a study, each with its layout and note, and what is released."""

from sqlalchemy.orm import Session

from even_ballot.core.faults import Fault, StudyError, fault, some
from even_ballot.core.progress import Stopped
from even_ballot.formats.grid import lay_out
from even_ballot.formats.methods import methods_note
from even_ballot.formats.words import in_words
from even_ballot.services.bench import Bench
from even_ballot.services.running import outputs
from even_ballot.services.views import TableView
from even_ballot.store.studies import State

_STOPPED = Fault("Counting this table was stopped.", "", "Count it again when there is time.")


def table(session: Session, bench: Bench, state: State, table_id: str) -> TableView:
    """A table, or what is wrong with it; the others are not touched by its faults."""
    ids = [request.id for request in state.study.tables]
    if table_id not in ids:
        raise fault(f"There is no table {table_id!r}.", "tables", f"Tables there are: {some(ids) or 'none'}.")
    at = ids.index(table_id)
    request = state.study.tables[at]
    try:
        result = bench.table(session, state, at)
        words = in_words(bench.told(session, state, at), request)
        note = methods_note(state.study, bench.notable(session, state), (request,))
    except StudyError as error:
        return TableView(table_id, None, None, (), error.faults)
    except Stopped:
        return TableView(table_id, None, None, (), (_STOPPED,))
    grid = lay_out(result, request, state.study.marks, state.study.suppression)
    return TableView(table_id, result, grid, tuple(note), (), words)


def release(session: Session, bench: Bench, state: State) -> dict[str, bytes]:
    """Every file of a release, by name."""
    return outputs(state.study, bench.results(session, state))
