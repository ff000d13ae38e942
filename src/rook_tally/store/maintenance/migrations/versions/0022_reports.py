"""Format 22: reports, what was written of them, own guidelines, read keys, forwards."""

import sqlalchemy as sa
from alembic import op

revision, down_revision = "0022", "0021"


def upgrade() -> None:
    for name in ("report", "guideline"):
        op.create_table(
            name,
            sa.Column("id", sa.Integer, primary_key=True),
            sa.Column("slug", sa.String, nullable=False, unique=True),
            sa.Column("document", sa.String, nullable=False),
        )
    op.create_table(
        "written_report",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("slug", sa.String, nullable=False),
        sa.Column("period", sa.String, nullable=False),
        sa.Column("made_us", sa.BigInteger, nullable=False),
        sa.Column("digest", sa.String, nullable=False),
        sa.Column("pages", sa.Integer, nullable=False),
        sa.Column("files", sa.String, nullable=False),
        sa.Column("sent", sa.String, nullable=False),
        sa.Column("trouble", sa.String, nullable=False),
        sa.Column("tried_us", sa.BigInteger, nullable=False),
    )
    op.create_index("written_report_by_slug", "written_report", ["slug", "period"])
    op.create_table(
        "read_key",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.String, nullable=False, unique=True),
        sa.Column("key_hash", sa.String, nullable=False),
        sa.Column("document", sa.String, nullable=False),
        sa.Column("made_us", sa.BigInteger, nullable=False),
        sa.Column("who", sa.String, nullable=False),
        sa.Column("used_us", sa.BigInteger),
        sa.Column("requests", sa.BigInteger, nullable=False),
        sa.Column("sent_bytes", sa.BigInteger, nullable=False),
    )
    op.create_table(
        "forward",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("slug", sa.String, nullable=False, unique=True),
        sa.Column("document", sa.String, nullable=False),
        sa.Column("state", sa.String, nullable=False),
    )
