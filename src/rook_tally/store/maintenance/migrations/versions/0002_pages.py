"""Format 2: sealed pages."""

import sqlalchemy as sa
from alembic import op

revision, down_revision = "0002", "0001"


def upgrade() -> None:
    op.create_table(
        "page",
        sa.Column("series_id", sa.Integer, sa.ForeignKey("series.id"), primary_key=True),
        sa.Column("start_us", sa.BigInteger, primary_key=True),
        sa.Column("count", sa.Integer, nullable=False),
        sa.Column("suspect", sa.Integer, nullable=False),
        sa.Column("first_us", sa.BigInteger, nullable=False),
        sa.Column("last_us", sa.BigInteger, nullable=False),
        sa.Column("good_first_us", sa.BigInteger),
        sa.Column("good_last_us", sa.BigInteger),
        sa.Column("low", sa.Float),
        sa.Column("high", sa.Float),
        sa.Column("mean", sa.Float),
        sa.Column("mean_square", sa.Float),
        sa.Column("covered_s", sa.Float, nullable=False),
        sa.Column("gaps", sa.LargeBinary),
        sa.Column("checksum", sa.BigInteger, nullable=False),
        sqlite_with_rowid=False,
    )
    for name, blobs in (
        ("page_hours", [sa.Column("hours", sa.LargeBinary, nullable=False)]),
        (
            "page_data",
            [
                sa.Column("buckets", sa.LargeBinary),
                sa.Column("payload", sa.LargeBinary, nullable=False),
            ],
        ),
    ):
        op.create_table(
            name,
            sa.Column("series_id", sa.Integer, primary_key=True),
            sa.Column("start_us", sa.BigInteger, primary_key=True),
            *blobs,
        )
