"""Studies, revisions, source files and their columns."""

from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME, LONGBLOB, LONGTEXT

revision = "0001"
down_revision = None

_OPTIONS: dict[str, Any] = {
    "mysql_engine": "InnoDB",
    "mysql_charset": "utf8mb4",
    "mysql_collate": "utf8mb4_bin",
}
_TIME = DATETIME(fsp=6)


# Long: the tables of a database, one after the other.
def upgrade() -> None:
    op.create_table(
        "source_files",
        sa.Column("id", sa.String(16), primary_key=True),
        sa.Column("name", sa.String(255), nullable=False),
        sa.Column("sha256", sa.String(64), nullable=False),
        sa.Column("size", sa.Integer, nullable=False),
        sa.Column("reading", LONGTEXT, nullable=False),
        sa.Column("records", sa.Integer, nullable=False),
        sa.Column("blank_records", sa.Integer, nullable=False),
        sa.Column("brought", _TIME, nullable=False),
        **_OPTIONS,
    )
    op.create_table(
        "source_bytes",
        sa.Column(
            "file_id", sa.String(16), sa.ForeignKey("source_files.id", ondelete="CASCADE"), primary_key=True
        ),
        sa.Column("number", sa.Integer, primary_key=True, autoincrement=False),
        sa.Column("content", LONGBLOB, nullable=False),
        **_OPTIONS,
    )
    op.create_table(
        "source_columns",
        sa.Column(
            "file_id", sa.String(16), sa.ForeignKey("source_files.id", ondelete="CASCADE"), primary_key=True
        ),
        sa.Column("position", sa.Integer, primary_key=True, autoincrement=False),
        sa.Column("name", sa.String(255), nullable=False),
        sa.Column("label", LONGTEXT, nullable=False),
        **_OPTIONS,
    )
    op.create_table(
        "column_chunks",
        sa.Column("file_id", sa.String(16), primary_key=True),
        sa.Column("position", sa.Integer, primary_key=True, autoincrement=False),
        sa.Column("number", sa.Integer, primary_key=True, autoincrement=False),
        sa.Column("rows", sa.Integer, nullable=False),
        sa.Column("content", LONGBLOB, nullable=False),
        sa.ForeignKeyConstraint(
            ["file_id", "position"], ["source_columns.file_id", "source_columns.position"], ondelete="CASCADE"
        ),
        **_OPTIONS,
    )
    op.create_table(
        "studies",
        sa.Column("id", sa.String(16), primary_key=True),
        sa.Column("title", sa.String(255), nullable=False),
        sa.Column("revision", sa.Integer, nullable=False),
        sa.Column("edition", sa.Integer, nullable=False),
        sa.Column("created", _TIME, nullable=False),
        sa.Column("changed", _TIME, nullable=False),
        sa.Column("deleted", _TIME, nullable=True),
        **_OPTIONS,
    )
    op.create_index("studies_by_change", "studies", ["deleted", "changed"])
    op.create_table(
        "revisions",
        sa.Column(
            "study_id", sa.String(16), sa.ForeignKey("studies.id", ondelete="CASCADE"), primary_key=True
        ),
        sa.Column("number", sa.Integer, primary_key=True, autoincrement=False),
        sa.Column("document", LONGTEXT, nullable=False),
        sa.Column("files", LONGTEXT, nullable=False),
        sa.Column("did", sa.String(255), nullable=False),
        sa.Column("who", sa.String(80), nullable=False),
        sa.Column("made", _TIME, nullable=False),
        **_OPTIONS,
    )
