"""Format 27: a page of a thousand to two thousand readings has its hours, packed, beside them.

Those that were written before have none until they are made anew (`store/readings/older_pages.py`).
"""

import sqlalchemy as sa
from alembic import op

revision, down_revision = "0027", "0026"


def upgrade() -> None:
    """Add the column."""
    op.add_column("page_data", sa.Column("packed_hours", sa.LargeBinary))
