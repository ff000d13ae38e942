"""Format 17: limits that people set for a quantity at a place or on the whole site."""

import sqlalchemy as sa
from alembic import op

revision, down_revision = "0017", "0016"


def upgrade() -> None:
    op.create_table(
        "limit_rule",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("quantity", sa.String, nullable=False),
        sa.Column("place_id", sa.Integer, sa.ForeignKey("place.id")),
        sa.Column("limits", sa.String, nullable=False),
        sa.UniqueConstraint("quantity", "place_id"),
    )
