"""Format 3: corrections."""

import sqlalchemy as sa
from alembic import op

revision, down_revision = "0003", "0002"


def upgrade() -> None:
    op.create_table(
        "correction",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("series_id", sa.Integer, sa.ForeignKey("series.id"), nullable=False),
        sa.Column("from_us", sa.BigInteger, nullable=False),
        sa.Column("gain", sa.Float, nullable=False),
        sa.Column("offset", sa.Float, nullable=False),
        sa.Column("who", sa.String, nullable=False),
        sa.Column("why", sa.String, nullable=False),
        sa.Column("made_us", sa.BigInteger, nullable=False),
        sa.UniqueConstraint("series_id", "from_us"),
    )
