"""Format 6: other names of fields, own kinds, the message tape."""

import sqlalchemy as sa
from alembic import op

revision, down_revision = "0006", "0005"


def upgrade() -> None:
    op.create_table(
        "field_name",
        sa.Column("station_id", sa.Integer, sa.ForeignKey("station.id"), primary_key=True),
        sa.Column("name", sa.String, primary_key=True),
        sa.Column("series_id", sa.Integer, sa.ForeignKey("series.id"), nullable=False),
    )
    op.create_table(
        "kind",
        sa.Column("slug", sa.String, primary_key=True),
        sa.Column("document", sa.String, nullable=False),
    )
    op.create_table(
        "tape",
        sa.Column(
            "id",
            sa.BigInteger().with_variant(sa.Integer, "sqlite"),
            primary_key=True,
            autoincrement=True,
        ),
        sa.Column("arrived_us", sa.BigInteger, nullable=False),
        sa.Column("station", sa.String),
        sa.Column("door", sa.String, nullable=False),
        sa.Column("address", sa.String, nullable=False),
        sa.Column("body", sa.LargeBinary, nullable=False),
        sa.Column("size", sa.Integer, nullable=False),
        sa.Column("kept", sa.Integer, nullable=False),
        sa.Column("duplicate", sa.Integer, nullable=False),
        sa.Column("suspect", sa.Integer, nullable=False),
        sa.Column("stray", sa.Integer, nullable=False),
        sa.Column("refused", sa.Integer, nullable=False),
        sa.Column("why", sa.String, nullable=False),
        sa.Index("tape_by_station", "station", "id"),
    )
