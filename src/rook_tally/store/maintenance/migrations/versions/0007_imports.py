"""Format 7: what was read from files, so that it can be taken back."""

import sqlalchemy as sa
from alembic import op

revision, down_revision = "0007", "0006"


def upgrade() -> None:
    op.create_table(
        "import",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.String, nullable=False),
        sa.Column("made_us", sa.BigInteger, nullable=False),
    )
    op.create_table(
        "imported",
        sa.Column("import_id", sa.Integer, sa.ForeignKey("import.id"), primary_key=True),
        sa.Column("series_id", sa.Integer, sa.ForeignKey("series.id"), primary_key=True),
        sa.Column("payload", sa.LargeBinary, nullable=False),
    )
