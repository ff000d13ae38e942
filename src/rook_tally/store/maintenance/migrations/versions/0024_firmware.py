"""Format 24: firmware of stations, given out in steps."""

import sqlalchemy as sa
from alembic import op

revision, down_revision = "0024", "0023"


def upgrade() -> None:
    op.create_table(
        "firmware_image",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("kind", sa.String, nullable=False),
        sa.Column("version", sa.String, nullable=False),
        sa.Column("notes", sa.String, nullable=False, server_default=""),
        sa.Column("size", sa.Integer, nullable=False),
        sa.Column("sha256", sa.String, nullable=False),
        sa.Column("signature", sa.String, nullable=False),
        sa.Column("added_us", sa.BigInteger, nullable=False),
        sa.Column("who", sa.String, nullable=False),
        sa.UniqueConstraint("kind", "version"),
    )
    op.create_table(
        "firmware_piece",
        sa.Column("image_id", sa.Integer, sa.ForeignKey("firmware_image.id"), primary_key=True),
        sa.Column("number", sa.Integer, primary_key=True),
        sa.Column("body", sa.LargeBinary, nullable=False),
    )
    op.create_table(
        "firmware_rollout",
        sa.Column("kind", sa.String, primary_key=True),
        sa.Column("document", sa.String, nullable=False),
    )
    op.create_table(
        "firmware_update",
        sa.Column("station_id", sa.Integer, sa.ForeignKey("station.id"), primary_key=True),
        sa.Column("asked_us", sa.BigInteger, nullable=False),
        sa.Column("image_id", sa.Integer),
        sa.Column("fetched_us", sa.BigInteger),
    )
