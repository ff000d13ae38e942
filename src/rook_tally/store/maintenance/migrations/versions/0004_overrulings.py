"""Format 4: overrulings."""

import sqlalchemy as sa
from alembic import op

revision, down_revision = "0004", "0003"


def upgrade() -> None:
    op.create_table(
        "overruling",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("series_id", sa.Integer, sa.ForeignKey("series.id"), nullable=False),
        sa.Column("from_us", sa.BigInteger, nullable=False),
        sa.Column("to_us", sa.BigInteger, nullable=False),
        sa.Column("quality", sa.SmallInteger, nullable=False),
        sa.Column("who", sa.String, nullable=False),
        sa.Column("why", sa.String, nullable=False),
    )
