"""Format 23: keys of gateways, each of which brings readings of several stations."""

import sqlalchemy as sa
from alembic import op

revision, down_revision = "0023", "0022"


def upgrade() -> None:
    op.create_table(
        "gateway_key",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.String, nullable=False, unique=True),
        sa.Column("key_hash", sa.String, nullable=False, unique=True),
        sa.Column("made_us", sa.BigInteger, nullable=False),
        sa.Column("who", sa.String, nullable=False),
    )
