"""Files whose records stay in their folder, and are kept as a sample."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import LONGTEXT

revision = "0005"
down_revision = "0004"


def upgrade() -> None:
    op.add_column("source_files", sa.Column("in_place", LONGTEXT, nullable=True))
