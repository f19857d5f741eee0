"""Studies and their revisions."""

import getpass
import json
from collections import defaultdict, deque
from dataclasses import dataclass
from functools import lru_cache

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from even_ballot.core.faults import fault
from even_ballot.core.lazy import remembered
from even_ballot.core.ledger import AnyStep
from even_ballot.core.study.study_file import Study, parse_study
from even_ballot.store.files import new_id
from even_ballot.store.models import Revision, SourceFile, StudyRecord, now

_LARGE = 1 << 20
"""Characters of a document that is parsed anew each time."""


class StaleState(Exception):
    """Somebody else changed the study since it was read. `did` says what they did."""

    def __init__(self, did: str, edition: int) -> None:
        self.did, self.edition = did, edition
        super().__init__(did)


class NoStudy(Exception):
    """There is no such study."""


@dataclass(frozen=True)
class Files:
    """Which kept files a study reads: its source, and lookups by name. sampled: the source is a sample of
    records that stay in their folder."""

    source: str
    lookups: dict[str, str]
    sampled: bool = False

    def dump(self) -> str:
        said = {"source": self.source, "lookups": self.lookups}
        return json.dumps(said | {"sampled": True} if self.sampled else said)

    @classmethod
    def load(cls, text: str) -> "Files":
        return cls(**json.loads(text))


@dataclass(frozen=True)
class Stamp:
    """Who made an entry of the ledger, and when (UTC, ISO 8601)."""

    who: str
    when: str


@dataclass(frozen=True)
class StudyState:
    """A study as it stands. stamps: one for each entry of its ledger."""

    record: StudyRecord
    study: Study
    files: Files
    did: str
    stamps: tuple[Stamp, ...] = ()


@remembered
def dump_study(study: Study) -> str:
    """A study as JSON; what was left out stays out."""
    return study.model_dump_json(exclude_none=False, exclude_unset=True, by_alias=True)


def who() -> str:
    try:
        return getpass.getuser()
    except (KeyError, OSError):
        return "unknown"


def _core(step: AnyStep) -> str:
    """What makes an entry the same one: all but its reason and its switch."""
    return step.model_dump_json(exclude={"why", "off"})


def _stamped(study: Study, before: StudyState | None) -> tuple[Stamp, ...]:
    """Stamps for a ledger: entries that were there keep theirs, wherever they stand now."""
    kept: defaultdict[str, deque[Stamp]] = defaultdict(deque)
    if before is not None:
        for step, stamp in zip(before.study.ledger, before.stamps, strict=True):
            kept[_core(step)].append(stamp)
    fresh = Stamp(who(), now().isoformat(timespec="seconds") + "Z")
    return tuple(kept[key].popleft() if kept[key := _core(step)] else fresh for step in study.ledger)


def _revision(
    study_id: str, number: int, study: Study, files: Files, did: str, before: StudyState | None
) -> Revision:
    stamps = json.dumps([[stamp.who, stamp.when] for stamp in _stamped(study, before)])
    return Revision(
        study_id=study_id,
        number=number,
        document=dump_study(study),
        files=files.dump(),
        did=did[:255],
        who=who(),
        stamps=stamps,
    )


def find_study(session: Session, study_id: str, lock: bool = False) -> StudyRecord:
    """A study's record; locked, nobody else writes to it until this transaction ends."""
    record = session.get(StudyRecord, study_id, with_for_update=lock, populate_existing=lock)
    if record is None:
        raise NoStudy(study_id)
    return record


@lru_cache(32)
def _kept(document: str) -> Study:
    return parse_study(json.loads(document))


def _parsed(document: str) -> Study:
    """A study from its document. Nobody changes what was parsed, so that who comes next has the same; large
    ones are not kept."""
    return _kept(document) if len(document) <= _LARGE else parse_study(json.loads(document))


def forget_parsed() -> None:
    """Lets go of every document that was kept in memory."""
    _kept.cache_clear()


def create_study(session: Session, study: Study, files: Files, did: str) -> StudyRecord:
    """A new study with its first revision."""
    record = StudyRecord(id=new_id(), title=study.title[:255], revision=1)
    session.add(record)
    session.flush()
    session.add(_revision(record.id, 1, study, files, did, None))
    session.flush()
    return record


def read_study(session: Session, study_id: str) -> StudyState:
    """A study as it stands."""
    in_force = (Revision.study_id == StudyRecord.id) & (Revision.number == StudyRecord.revision)
    asked = select(StudyRecord, Revision).join(Revision, in_force).where(StudyRecord.id == study_id)
    found = session.execute(asked).one_or_none()
    if found is None:
        raise NoStudy(study_id)
    record, revision = found.t
    study = _parsed(revision.document)
    if revision.stamps is None:
        stamps = (Stamp(revision.who, revision.made.isoformat(timespec="seconds") + "Z"),) * len(study.ledger)
    else:
        stamps = tuple(Stamp(who, when) for who, when in json.loads(revision.stamps))
    return StudyState(record, study, Files.load(revision.files), revision.did, stamps)


def write_study(
    session: Session, study_id: str, edition: int, study: Study, files: Files, did: str
) -> StudyRecord:
    """A next revision; what had been undone is forgotten. Raises StaleState where `edition` is not the
    newest."""
    record = find_study(session, study_id, lock=True)
    if record.edition == edition + 1 and _as_it_stands(session, record, study, files):
        # Sent again, because the answer to the first time was lost.
        return record
    record = _at_edition(session, study_id, edition)
    before = read_study(session, study_id)
    session.execute(delete(Revision).where(Revision.study_id == study_id, Revision.number > record.revision))
    record.revision += 1
    record.title = study.title[:255]
    session.add(_revision(study_id, record.revision, study, files, did, before))
    return _changed(session, record)


def _as_it_stands(session: Session, record: StudyRecord, study: Study, files: Files) -> bool:
    revision = session.get_one(Revision, (record.id, record.revision))
    return (revision.document, revision.files) == (dump_study(study), files.dump())


def move_study(session: Session, study_id: str, edition: int | None, by: int) -> StudyRecord:
    """Undo (by −1) or redo (by 1); at either end nothing moves. edition: None: whichever it has."""
    at = find_study(session, study_id).edition if edition is None else edition
    record = _at_edition(session, study_id, at)
    if session.get(Revision, (study_id, record.revision + by)) is not None:
        record.revision += by
        record.title = read_study(session, study_id).study.title[:255]
    return _changed(session, record)


def _at_edition(session: Session, study_id: str, edition: int) -> StudyRecord:
    record = find_study(session, study_id, lock=True)
    if record.deleted is not None:
        raise fault(
            "This study was deleted, so it is not changed.",
            "",
            "Restore it from the list of deleted studies first.",
        )
    if record.edition != edition:
        raise StaleState(session.get_one(Revision, (study_id, record.revision)).did, record.edition)
    return record


def _changed(session: Session, record: StudyRecord) -> StudyRecord:
    record.edition += 1
    record.changed = now()
    session.flush()
    return record


def neighbours(session: Session, record: StudyRecord) -> tuple[str | None, str | None]:
    """What undo would take back, and what redo would do again."""
    around = select(Revision.number, Revision.did).where(
        Revision.study_id == record.id, Revision.number.in_((record.revision, record.revision + 1))
    )
    did = {number: text for number, text in session.execute(around)}  # noqa: C416
    return (did[record.revision] if record.revision > 1 else None), did.get(record.revision + 1)


def all_studies(session: Session, deleted: bool) -> list[StudyRecord]:
    """Studies, latest change first."""
    there = StudyRecord.deleted.is_not(None) if deleted else StudyRecord.deleted.is_(None)
    return list(session.scalars(select(StudyRecord).where(there).order_by(StudyRecord.changed.desc())))


def source_sizes(session: Session) -> dict[str, tuple[str, int]]:
    """Source file's name and records, by study."""
    current = select(Revision.study_id, func.json_value(Revision.files, "$.source").label("file")).join(
        StudyRecord, (StudyRecord.id == Revision.study_id) & (StudyRecord.revision == Revision.number)
    )
    inner = current.subquery()
    rows = session.execute(
        select(inner.c.study_id, SourceFile.name, SourceFile.records).join(
            SourceFile, SourceFile.id == inner.c.file
        )
    )
    return {study_id: (name, records) for study_id, name, records in rows}
