"""The tables of the database."""

from datetime import UTC, datetime
from typing import Any

from sqlalchemy import BigInteger, Double, ForeignKey, ForeignKeyConstraint, Index, Integer, String
from sqlalchemy.dialects.mysql import DATETIME, LONGBLOB, LONGTEXT
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

_TIME = DATETIME(fsp=6)


def now() -> datetime:
    """The time in UTC, as the database keeps it."""
    return datetime.now(UTC).replace(tzinfo=None)


class Base(DeclarativeBase):
    """All tables: InnoDB, full Unicode, compared to the letter."""

    __table_args__: Any = {
        "mysql_engine": "InnoDB",
        "mysql_charset": "utf8mb4",
        "mysql_collate": "utf8mb4_bin",
    }


class SourceFile(Base):
    """A file that was brought in, and how it was read. Never changed. packing: how its bytes are
    compressed (null: not); in_place: where all records are, as JSON, of which these are a sample."""

    __tablename__ = "source_files"

    id: Mapped[str] = mapped_column(String(16), primary_key=True)
    name: Mapped[str] = mapped_column(String(255))
    sha256: Mapped[str] = mapped_column(String(64))
    size: Mapped[int]
    reading: Mapped[str] = mapped_column(LONGTEXT)
    records: Mapped[int]
    blank_records: Mapped[int]
    packing: Mapped[str | None] = mapped_column(String(8), default=None)
    in_place: Mapped[str | None] = mapped_column(LONGTEXT, default=None)
    brought: Mapped[datetime] = mapped_column(_TIME, default=now)


class SourceBytes(Base):
    """A source file's bytes in order, each piece under 4 MiB."""

    __tablename__ = "source_bytes"

    file_id: Mapped[str] = mapped_column(ForeignKey("source_files.id", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=False)
    content: Mapped[bytes] = mapped_column(LONGBLOB)


class SourceColumn(Base):
    """A column of a source file: its short name and full heading. Position 0 holds the record numbers."""

    __tablename__ = "source_columns"

    file_id: Mapped[str] = mapped_column(ForeignKey("source_files.id", ondelete="CASCADE"), primary_key=True)
    position: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=False)
    name: Mapped[str] = mapped_column(String(255))
    label: Mapped[str] = mapped_column(LONGTEXT)


class ColumnChunk(Base):
    """Cells of a column as a compressed Arrow stream under 4 MiB."""

    __tablename__ = "column_chunks"
    __table_args__ = (
        ForeignKeyConstraint(
            ["file_id", "position"], ["source_columns.file_id", "source_columns.position"], ondelete="CASCADE"
        ),
        Base.__table_args__,
    )

    file_id: Mapped[str] = mapped_column(String(16), primary_key=True)
    position: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=False)
    number: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=False)
    rows: Mapped[int]
    content: Mapped[bytes] = mapped_column(LONGBLOB)


class StudyRecord(Base):
    """A study. `revision` is the one in force; undo and redo move it."""

    __tablename__ = "studies"
    __table_args__ = (Index("studies_by_change", "deleted", "changed"), Base.__table_args__)

    id: Mapped[str] = mapped_column(String(16), primary_key=True)
    title: Mapped[str] = mapped_column(String(255))
    revision: Mapped[int]
    edition: Mapped[int] = mapped_column(Integer, default=1)
    created: Mapped[datetime] = mapped_column(_TIME, default=now)
    changed: Mapped[datetime] = mapped_column(_TIME, default=now)
    deleted: Mapped[datetime | None] = mapped_column(_TIME, default=None)


class Revision(Base):
    """A state of a study: its document, the files it reads, and what was done to get here. stamps: who
    made each entry of the ledger, and when."""

    __tablename__ = "revisions"

    study_id: Mapped[str] = mapped_column(ForeignKey("studies.id", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=False)
    document: Mapped[str] = mapped_column(LONGTEXT)
    files: Mapped[str] = mapped_column(LONGTEXT)
    did: Mapped[str] = mapped_column(String(255))
    who: Mapped[str] = mapped_column(String(80))
    made: Mapped[datetime] = mapped_column(_TIME, default=now)
    stamps: Mapped[str | None] = mapped_column(LONGTEXT, default=None)


class JobRecord(Base):
    """Work that outlasts a request. state: running, done, failed or stopped; share: how far it has got,
    where that is known; faults: why it failed, as JSON."""

    __tablename__ = "jobs"
    __table_args__ = (Index("jobs_by_state", "state", "made"), Base.__table_args__)

    id: Mapped[str] = mapped_column(String(16), primary_key=True)
    kind: Mapped[str] = mapped_column(String(40))
    about: Mapped[str] = mapped_column(String(255))
    state: Mapped[str] = mapped_column(String(10), default="running")
    says: Mapped[str] = mapped_column(String(255), default="")
    share: Mapped[float | None] = mapped_column(Double, default=None)
    result: Mapped[str | None] = mapped_column(String(16), default=None)
    faults: Mapped[str] = mapped_column(LONGTEXT, default="[]")
    made: Mapped[datetime] = mapped_column(_TIME, default=now)
    ended: Mapped[datetime | None] = mapped_column(_TIME, default=None)


class Setting(Base):
    """What whoever uses this installation has set, as JSON."""

    __tablename__ = "settings"

    name: Mapped[str] = mapped_column(String(40), primary_key=True)
    value: Mapped[str] = mapped_column(LONGTEXT)


class ReleaseRecord(Base):
    """A release that was made: never changed. number: of its study, from 1; study_sha256: of the study file
    it was made from; document: that file; made_from: edition of the study."""

    __tablename__ = "releases"

    study_id: Mapped[str] = mapped_column(ForeignKey("studies.id", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=False)
    title: Mapped[str] = mapped_column(String(500))
    made_from: Mapped[int]
    study_sha256: Mapped[str] = mapped_column(String(64))
    document: Mapped[str] = mapped_column(LONGTEXT)
    version: Mapped[str] = mapped_column(String(40))
    who: Mapped[str] = mapped_column(String(80))
    made: Mapped[datetime] = mapped_column(_TIME, default=now)


class ReleasedFile(Base):
    """A file of a release, by name."""

    __tablename__ = "released_files"
    __table_args__ = (
        ForeignKeyConstraint(
            ["study_id", "release"], ["releases.study_id", "releases.number"], ondelete="CASCADE"
        ),
        Base.__table_args__,
    )

    study_id: Mapped[str] = mapped_column(String(16), primary_key=True)
    release: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=False)
    name: Mapped[str] = mapped_column(String(120), primary_key=True)
    position: Mapped[int]
    sha256: Mapped[str] = mapped_column(String(64))
    size: Mapped[int] = mapped_column(BigInteger)


class ReleasedPiece(Base):
    """A released file's bytes in order, each compressed piece under 4 MiB."""

    __tablename__ = "released_pieces"
    __table_args__ = (
        ForeignKeyConstraint(
            ["study_id", "release", "name"],
            ["released_files.study_id", "released_files.release", "released_files.name"],
            ondelete="CASCADE",
        ),
        Base.__table_args__,
    )

    study_id: Mapped[str] = mapped_column(String(16), primary_key=True)
    release: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=False)
    name: Mapped[str] = mapped_column(String(120), primary_key=True)
    number: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=False)
    content: Mapped[bytes] = mapped_column(LONGBLOB)


class StudyTemplate(Base):
    """The text document whose styles a study's releases take."""

    __tablename__ = "study_templates"

    study_id: Mapped[str] = mapped_column(ForeignKey("studies.id", ondelete="CASCADE"), primary_key=True)
    name: Mapped[str] = mapped_column(String(500), primary_key=True)
    number: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=False)
    content: Mapped[bytes] = mapped_column(LONGBLOB)
