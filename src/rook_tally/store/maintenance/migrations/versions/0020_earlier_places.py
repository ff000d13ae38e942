"""Format 20: which station moved on from a place; maintenance; what is settled for a series."""

import sqlalchemy as sa
from alembic import op

revision, down_revision = "0020", "0019"


def upgrade() -> None:
    op.add_column("station", sa.Column("past_of", sa.Integer))
    op.add_column("station", sa.Column("maintenance_to_us", sa.BigInteger))
    op.add_column("station", sa.Column("maintenance_from_us", sa.BigInteger))
    document = sa.Column("document", sa.String, nullable=False, server_default="{}")
    op.add_column("series", document)
