"""Format 12: sheets of the Wall, where they are served as pages, and to which devices."""

import sqlalchemy as sa
from alembic import op

revision, down_revision = "0012", "0011"


def upgrade() -> None:
    op.create_table(
        "sheet",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("slug", sa.String, nullable=False, unique=True),
        sa.Column("document", sa.String, nullable=False),
        sa.Column("position", sa.Integer, nullable=False),
    )
    op.create_table(
        "page_setting",
        sa.Column("id", sa.Integer, primary_key=True, autoincrement=False),
        sa.Column("document", sa.String, nullable=False),
    )
    op.create_table(
        "page_device",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.String, nullable=False, unique=True),
        sa.Column("key_hash", sa.String, nullable=False, unique=True),
        sa.Column("made_us", sa.BigInteger, nullable=False),
        sa.Column("seen_us", sa.BigInteger),
    )
