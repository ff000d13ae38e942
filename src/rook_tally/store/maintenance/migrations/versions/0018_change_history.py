"""Format 18: what people changed in the configuration, by whom and when."""

import sqlalchemy as sa
from alembic import op

revision, down_revision = "0018", "0017"


def upgrade() -> None:
    op.create_table(
        "configuration_change",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("time_us", sa.BigInteger, nullable=False),
        sa.Column("who", sa.String, nullable=False),
        sa.Column("document", sa.String, nullable=False),
        sa.Column("undone_by", sa.Integer),
    )
