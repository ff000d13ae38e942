"""Format 19: settings of the whole site; stations out of use, removed, renamed."""

import sqlalchemy as sa
from alembic import op

revision, down_revision = "0019", "0018"


def upgrade() -> None:
    settings = sa.Column("document", sa.String, nullable=False, server_default="{}")
    op.add_column("site", settings)
    op.add_column("station", sa.Column("retired_us", sa.BigInteger))
    op.add_column("station", sa.Column("removed_us", sa.BigInteger))
    op.create_table(
        "station_alias",
        sa.Column("name", sa.String, primary_key=True),
        sa.Column("station_id", sa.Integer, sa.ForeignKey("station.id"), nullable=False),
    )
