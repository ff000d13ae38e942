"""Format 20: which station moved on from a place; maintenance; settings of series; plans."""

import sqlalchemy as sa
from alembic import op

revision, down_revision = "0020", "0019"


def upgrade() -> None:
    op.add_column("station", sa.Column("past_of", sa.Integer))
    op.add_column("station", sa.Column("maintenance_to_us", sa.BigInteger))
    op.add_column("station", sa.Column("maintenance_from_us", sa.BigInteger))
    document = sa.Column("document", sa.String, nullable=False, server_default="{}")
    op.add_column("series", document)
    hangs = sa.Column("hangs", sa.String, nullable=False, server_default="")
    op.add_column("station", hangs)
    op.add_column("station", sa.Column("photograph_id", sa.Integer))
    op.create_table(
        "deleted",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("series_id", sa.Integer, sa.ForeignKey("series.id"), nullable=False),
        sa.Column("from_us", sa.BigInteger, nullable=False),
        sa.Column("to_us", sa.BigInteger, nullable=False),
        sa.Column("count", sa.Integer, nullable=False),
        sa.Column("payload", sa.LargeBinary, nullable=False),
        sa.Column("who", sa.String, nullable=False),
        sa.Column("deleted_us", sa.BigInteger, nullable=False),
    )
    op.create_table(
        "picture",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("body", sa.LargeBinary, nullable=False),
        sa.Column("kept_us", sa.BigInteger, nullable=False),
    )
    op.create_table(
        "plan",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.String, nullable=False, unique=True),
        sa.Column("position", sa.Integer, nullable=False),
        sa.Column("picture_id", sa.Integer, nullable=False),
        sa.Column("width", sa.Integer, nullable=False),
        sa.Column("height", sa.Integer, nullable=False),
    )
    op.create_table(
        "plan_mark",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("plan_id", sa.Integer, sa.ForeignKey("plan.id"), nullable=False),
        sa.Column("station_id", sa.Integer, sa.ForeignKey("station.id"), nullable=False),
        sa.Column("x", sa.Float, nullable=False),
        sa.Column("y", sa.Float, nullable=False),
        sa.UniqueConstraint("plan_id", "station_id"),
    )
