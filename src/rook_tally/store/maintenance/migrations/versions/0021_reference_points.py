"""Format 21: reference points of sensors, how sure a correction is, what is kept on the Bench."""

import sqlalchemy as sa
from alembic import op

revision, down_revision = "0021", "0020"


def upgrade() -> None:
    for name in ("se_gain", "se_offset", "cov"):
        op.add_column("correction", sa.Column(name, sa.Float))
    op.create_table(
        "bench_item",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("document", sa.String, nullable=False),
    )
    op.create_table(
        "reference_point",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("series_id", sa.Integer, sa.ForeignKey("series.id"), nullable=False),
        sa.Column("time_us", sa.BigInteger, nullable=False),
        sa.Column("reading", sa.Float, nullable=False),
        sa.Column("reading_sd", sa.Float, nullable=False),
        sa.Column("reference", sa.Float, nullable=False),
        sa.Column("u_reference", sa.Float),
        sa.Column("meter", sa.String, nullable=False),
        sa.Column("note", sa.String, nullable=False),
        sa.Column("who", sa.String, nullable=False),
        sa.Column("made_us", sa.BigInteger, nullable=False),
        sa.UniqueConstraint("series_id", "time_us"),
    )
