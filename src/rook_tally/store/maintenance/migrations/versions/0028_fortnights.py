"""Format 28: the readings of slow sensors' days stand together, by the fortnight.

Those that were written before are brought together beside the collector's work
(`store/readings/older_pages.py`).
"""

import sqlalchemy as sa
from alembic import op

revision, down_revision = "0028", "0027"


def upgrade() -> None:
    """Add the table."""
    op.create_table(
        "page_fortnight",
        sa.Column("series_id", sa.Integer, primary_key=True),
        sa.Column("start_us", sa.BigInteger, primary_key=True),
        sa.Column("payload", sa.LargeBinary, nullable=False),
        sa.Column("checksum", sa.BigInteger, nullable=False),
    )
