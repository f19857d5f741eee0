"""Who made which entry of a ledger, and when; compressed files; jobs that outlast a request."""

from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME, LONGTEXT

revision = "0002"
down_revision = "0001"

_OPTIONS: dict[str, Any] = {
    "mysql_engine": "InnoDB",
    "mysql_charset": "utf8mb4",
    "mysql_collate": "utf8mb4_bin",
}
_TIME = DATETIME(fsp=6)


def upgrade() -> None:
    op.add_column("revisions", sa.Column("stamps", LONGTEXT, nullable=True))
    op.add_column("source_files", sa.Column("packing", sa.String(8), nullable=True))
    op.create_table(
        "jobs",
        sa.Column("id", sa.String(16), primary_key=True),
        sa.Column("kind", sa.String(40), nullable=False),
        sa.Column("about", sa.String(255), nullable=False),
        sa.Column("state", sa.String(10), nullable=False),
        sa.Column("says", sa.String(255), nullable=False),
        sa.Column("share", sa.Double, nullable=True),
        sa.Column("result", sa.String(16), nullable=True),
        sa.Column("faults", LONGTEXT, nullable=False),
        sa.Column("made", _TIME, nullable=False),
        sa.Column("ended", _TIME, nullable=True),
        **_OPTIONS,
    )
    op.create_index("jobs_by_state", "jobs", ["state", "made"])
