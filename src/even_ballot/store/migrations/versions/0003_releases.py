"""Releases that were made, with their files; templates of text documents."""

from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME, LONGBLOB, LONGTEXT

revision = "0003"
down_revision = "0002"

_OPTIONS: dict[str, Any] = {
    "mysql_engine": "InnoDB",
    "mysql_charset": "utf8mb4",
    "mysql_collate": "utf8mb4_bin",
}


def _of_study() -> sa.ForeignKey:
    return sa.ForeignKey("studies.id", ondelete="CASCADE")


def upgrade() -> None:
    op.create_table(
        "releases",
        sa.Column(
            "study_id", sa.String(16), sa.ForeignKey("studies.id", ondelete="CASCADE"), primary_key=True
        ),
        sa.Column("number", sa.Integer, primary_key=True, autoincrement=False),
        sa.Column("title", sa.String(500), nullable=False),
        sa.Column("made_from", sa.Integer, nullable=False),
        sa.Column("study_sha256", sa.String(64), nullable=False),
        sa.Column("document", LONGTEXT, nullable=False),
        sa.Column("version", sa.String(40), nullable=False),
        sa.Column("who", sa.String(80), nullable=False),
        sa.Column("made", DATETIME(fsp=6), nullable=False),
        **_OPTIONS,
    )
    _files()
    op.create_table(
        "study_templates",
        sa.Column("study_id", sa.String(16), _of_study(), primary_key=True),
        sa.Column("name", sa.String(500), primary_key=True),
        sa.Column("number", sa.Integer, primary_key=True, autoincrement=False),
        sa.Column("content", LONGBLOB, nullable=False),
        **_OPTIONS,
    )


def _files() -> None:
    op.create_table(
        "released_files",
        sa.Column("study_id", sa.String(16), primary_key=True),
        sa.Column("release", sa.Integer, primary_key=True, autoincrement=False),
        sa.Column("name", sa.String(120), primary_key=True),
        sa.Column("position", sa.Integer, nullable=False),
        sa.Column("sha256", sa.String(64), nullable=False),
        sa.Column("size", sa.BigInteger, nullable=False),
        sa.ForeignKeyConstraint(
            ["study_id", "release"], ["releases.study_id", "releases.number"], ondelete="CASCADE"
        ),
        **_OPTIONS,
    )
    op.create_table(
        "released_pieces",
        sa.Column("study_id", sa.String(16), primary_key=True),
        sa.Column("release", sa.Integer, primary_key=True, autoincrement=False),
        sa.Column("name", sa.String(120), primary_key=True),
        sa.Column("number", sa.Integer, primary_key=True, autoincrement=False),
        sa.Column("content", LONGBLOB, nullable=False),
        sa.ForeignKeyConstraint(
            ["study_id", "release", "name"],
            ["released_files.study_id", "released_files.release", "released_files.name"],
            ondelete="CASCADE",
        ),
        **_OPTIONS,
    )
