"""Format 16: stations whose cadence nobody told, and which is learned from what they send."""

import sqlalchemy as sa
from alembic import op

revision, down_revision = "0016", "0015"


def upgrade() -> None:
    op.add_column(
        "station",
        sa.Column("learns_cadence", sa.Boolean, nullable=False, server_default=sa.false()),
    )
