"""Format 10: workings, the series they give, what is due of them, groups of places."""

import sqlalchemy as sa
from alembic import op

revision, down_revision = "0010", "0009"


def upgrade() -> None:
    op.create_table(
        "working",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("slug", sa.String, nullable=False, unique=True),
        sa.Column("document", sa.String, nullable=False),
        sa.Column("position", sa.Integer, nullable=False),
    )
    op.create_table(
        "worked",
        sa.Column("series_id", sa.Integer, sa.ForeignKey("series.id"), primary_key=True),
        sa.Column("working_id", sa.Integer, sa.ForeignKey("working.id"), nullable=False),
        sa.Column("place", sa.String, nullable=False),
        sa.Column("result", sa.String, nullable=False),
        sa.Column("made_from", sa.String, nullable=False),
    )
    op.create_table(
        "working_input",
        sa.Column("series_id", sa.Integer, sa.ForeignKey("series.id"), primary_key=True),
        sa.Column("input_id", sa.Integer, primary_key=True),
        sa.Column("reach_us", sa.BigInteger, nullable=False),
        sa.Index("working_input_by_input", "input_id"),
    )
    op.create_table(
        "due",
        sa.Column(
            "id",
            sa.BigInteger().with_variant(sa.Integer, "sqlite"),
            primary_key=True,
            autoincrement=True,
        ),
        sa.Column("series_id", sa.Integer, sa.ForeignKey("series.id"), nullable=False),
        sa.Column("from_us", sa.BigInteger, nullable=False),
        sa.Column("to_us", sa.BigInteger, nullable=False),
        sa.Column("reached_us", sa.BigInteger, nullable=False),
    )
    op.create_table(
        "place_group",
        sa.Column("name", sa.String, primary_key=True),
        sa.Column("document", sa.String, nullable=False),
    )
