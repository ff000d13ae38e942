"""Format 15: which collector has what one at a time does."""

import sqlalchemy as sa
from alembic import op

revision, down_revision = "0015", "0014"


def upgrade() -> None:
    op.create_table(
        "duty",
        sa.Column("number", sa.Integer, primary_key=True),
        sa.Column("slot", sa.Integer, primary_key=True),
        sa.Column("token", sa.String, nullable=False),
        sa.Column("holder", sa.String, nullable=False),
        sa.Column("host", sa.String, nullable=False),
        sa.Column("pid", sa.Integer, nullable=False),
    )
