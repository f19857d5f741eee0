"""What the files of a study are known by."""

from sqlalchemy.orm import Session

from even_ballot.store.files import find_file
from even_ballot.store.studies import StudyState


def kept_hashes(session: Session, state: StudyState) -> dict[str, str]:
    """SHA-256 of the study's files, by the names it calls them; of parts that stay in their folder there is
    none."""
    found = {}
    if not state.files.sampled:
        found[state.study.source.path] = find_file(session, state.files.source).sha256
    for name, source in state.study.lookups.items():
        found[source.path] = find_file(session, state.files.lookups[name]).sha256
    return found
