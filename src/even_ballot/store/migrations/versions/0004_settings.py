"""What whoever uses this installation has set."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import LONGTEXT

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    op.create_table(
        "settings",
        sa.Column("name", sa.String(40), primary_key=True),
        sa.Column("value", LONGTEXT, nullable=False),
        mysql_engine="InnoDB",
        mysql_charset="utf8mb4",
        mysql_collate="utf8mb4_bin",
    )
