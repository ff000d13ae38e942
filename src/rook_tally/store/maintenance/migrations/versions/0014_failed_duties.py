"""Format 14: which background duties of a collector stand still."""

import sqlalchemy as sa
from alembic import op

revision, down_revision = "0014", "0013"


def upgrade() -> None:
    op.create_table(
        "failed_duty",
        sa.Column("collector_id", sa.String, sa.ForeignKey("collector.id"), primary_key=True),
        sa.Column("name", sa.String, primary_key=True),
        sa.Column("failures", sa.Integer, nullable=False),
        sa.Column("since_us", sa.BigInteger, nullable=False),
        sa.Column("why", sa.String, nullable=False),
    )
