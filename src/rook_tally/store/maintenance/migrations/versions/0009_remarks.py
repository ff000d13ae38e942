"""Format 9: remarks, and the units a site is shown in."""

import sqlalchemy as sa
from alembic import op

revision, down_revision = "0009", "0008"


def upgrade() -> None:
    op.create_table(
        "remark",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("start_us", sa.BigInteger, nullable=False),
        sa.Column("end_us", sa.BigInteger),
        sa.Column("text", sa.String, nullable=False),
        sa.Column("shade", sa.Integer, nullable=False),
        sa.Column("place", sa.String),
        sa.Column("who", sa.String, nullable=False),
        sa.Index("remark_by_start", "start_us"),
    )
    op.create_table(
        "shown_unit",
        sa.Column("quantity", sa.String, primary_key=True),
        sa.Column("unit", sa.String, nullable=False),
    )
