"""Format 8: requests and controls, doors a person set up, what stations say of themselves."""

import sqlalchemy as sa
from alembic import op

revision, down_revision = "0008", "0007"


def upgrade() -> None:
    op.add_column("station", sa.Column("broker_hash", sa.String))
    op.add_column("station", sa.Column("notes", sa.String, nullable=False, server_default=""))
    op.add_column("station", sa.Column("latitude", sa.Float))
    op.add_column("station", sa.Column("longitude", sa.Float))
    op.add_column("tape", sa.Column("problem", sa.String, nullable=False, server_default=""))
    op.add_column("tape", sa.Column("decoded", sa.String, nullable=False, server_default=""))
    op.create_table(
        "station_word",
        sa.Column("station_id", sa.Integer, sa.ForeignKey("station.id"), primary_key=True),
        sa.Column("name", sa.String, primary_key=True),
        sa.Column("value", sa.String, nullable=False),
        sa.Column("since_us", sa.BigInteger, nullable=False),
    )
    op.create_table(
        "request",
        sa.Column(
            "id",
            sa.BigInteger().with_variant(sa.Integer, "sqlite"),
            primary_key=True,
            autoincrement=True,
        ),
        sa.Column("asked_us", sa.BigInteger, nullable=False),
        sa.Column("who", sa.String, nullable=False),
        sa.Column("sort", sa.String, nullable=False),
        sa.Column("station", sa.String, nullable=False),
        sa.Column("name", sa.String, nullable=False),
        sa.Column("value", sa.String, nullable=False),
        sa.Column("state", sa.String, nullable=False),
        sa.Column("tries", sa.Integer, nullable=False),
        sa.Column("tried_us", sa.BigInteger),
        sa.Column("answered_us", sa.BigInteger),
        sa.Column("answer", sa.String, nullable=False),
        sa.Index("request_by_station", "station", "id"),
        sa.Index("request_by_state", "state"),
    )
    op.create_table(
        "door_setting",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("document", sa.String, nullable=False),
    )
    op.create_table(
        "announced",
        sa.Column("name", sa.String, primary_key=True),
        sa.Column("url", sa.String, nullable=False),
        sa.Column("heard_us", sa.BigInteger, nullable=False),
    )
