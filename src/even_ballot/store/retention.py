"""How long deleted studies are kept, and what is removed for good."""

import json
from dataclasses import dataclass
from datetime import datetime, timedelta

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from even_ballot.core.faults import fault
from even_ballot.store.models import JobRecord, Revision, Setting, SourceFile, StudyRecord, now
from even_ballot.store.studies import Files, find_study, forget_parsed

_NAME = "retention"
LONGEST = 3650
"""Days."""


@dataclass(frozen=True)
class Retention:
    """How many days deleted studies are kept; None: until somebody deletes them permanently. since: when that
    was set (UTC): what had been deleted before is kept as long from then, so that nothing goes at once."""

    days: int | None = None
    since: datetime | None = None

    def until(self, deleted: datetime) -> datetime | None:
        """When a study that was deleted at a time is removed for good.

        >>> Retention(7, datetime(2026, 3, 5)).until(datetime(2026, 3, 1))
        datetime.datetime(2026, 3, 12, 0, 0)
        """
        if self.days is None or self.since is None:
            return None
        return max(deleted, self.since) + timedelta(days=self.days)


def retention(session: Session) -> Retention:
    """What is set."""
    setting = session.get(Setting, _NAME)
    if setting is None:
        return Retention()
    kept = json.loads(setting.value)
    return Retention(kept["days"], datetime.fromisoformat(kept["since"]))


def set_retention(session: Session, days: int | None) -> Retention:
    """Sets how many days deleted studies are kept, from now on. Raises StudyError where that is no number of
    days from 1 to 3,650."""
    if days is not None and not 1 <= days <= LONGEST:
        raise fault(f"{days:,} is not a number of days from 1 to {LONGEST:,}.", "days", "Choose another.")
    kept = Retention(days, now())
    value = json.dumps({"days": days, "since": kept.since.isoformat() if kept.since else None})
    session.merge(Setting(name=_NAME, value=value))
    return kept


def purge(session: Session, study_id: str) -> None:
    """Removes a deleted study for good: its entries, releases and template, and files that no other study
    reads. Raises StudyError where it was not deleted first."""
    record = find_study(session, study_id, lock=True)
    if record.deleted is None:
        raise fault(
            "This study has not been deleted.", "", "Delete it first; then it can be deleted for good."
        )
    mine, others = set[str](), set[str]()
    for owner, text in session.execute(select(Revision.study_id, Revision.files)).all():
        (mine if owner == study_id else others).update(_read_by(text))
    session.delete(record)
    session.flush()
    forget_parsed()
    if gone := mine - others:
        session.execute(delete(SourceFile).where(SourceFile.id.in_(gone)))
        session.execute(delete(JobRecord).where(JobRecord.result.in_(gone)))


def purge_due(session: Session, at: datetime | None = None) -> int:
    """Removes every study whose time is over; returns how many. at: the time (UTC), now by default."""
    kept, at = retention(session), at or now()
    deleted = session.execute(select(StudyRecord.id, StudyRecord.deleted)).all()
    due = [study_id for study_id, when in deleted if when and (until := kept.until(when)) and until <= at]
    for study_id in due:
        purge(session, study_id)
    return len(due)


def forget_strays(session: Session, older_than: timedelta) -> int:
    """Removes files that no study reads and that have been here a while; returns how many."""
    used: set[str] = set()
    for text in session.scalars(select(Revision.files)):
        used |= _read_by(text)
    old = session.scalars(select(SourceFile.id).where(SourceFile.brought < now() - older_than))
    stray = [file_id for file_id in old if file_id not in used]
    if stray:
        session.execute(delete(SourceFile).where(SourceFile.id.in_(stray)))
    return len(stray)


def _read_by(text: str) -> set[str]:
    files = Files.load(text)
    return {files.source, *files.lookups.values()}
