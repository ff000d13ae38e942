"""Format 1: the site, rows of readings, strays, tallies, collectors and their doors."""

import sqlalchemy as sa
from alembic import op

revision, down_revision = "0001", None

_SEQUENCE = sa.BigInteger().with_variant(sa.Integer, "sqlite")


def upgrade() -> None:
    op.create_table(
        "meta",
        sa.Column("key", sa.String, primary_key=True),
        sa.Column("value", sa.String, nullable=False),
    )
    op.create_table(
        "site",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.String, nullable=False),
        sa.Column("zone", sa.String, nullable=False),
    )
    op.create_table(
        "place",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.String, nullable=False, unique=True),
        sa.Column("parent_id", sa.Integer, sa.ForeignKey("place.id")),
        sa.Column("position", sa.Integer, nullable=False),
        sa.Column("indoors", sa.Boolean, nullable=False),
    )
    op.create_table(
        "station",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("key", sa.String, nullable=False, unique=True),
        sa.Column("place_id", sa.Integer, sa.ForeignKey("place.id"), nullable=False),
        sa.Column("kind", sa.String, nullable=False),
        sa.Column("cadence_s", sa.Float, nullable=False),
        sa.Column("access_hash", sa.String, unique=True),
        sa.Column("position", sa.Integer, nullable=False),
    )
    op.create_table(
        "series",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("station_id", sa.Integer, sa.ForeignKey("station.id"), nullable=False),
        sa.Column("field", sa.String, nullable=False),
        sa.Column("quantity", sa.String, nullable=False),
        sa.Column("unit", sa.String, nullable=False),
        sa.Column("limits", sa.String),
        sa.UniqueConstraint("station_id", "field"),
    )
    op.create_table(
        "reading",
        sa.Column("series_id", sa.Integer, sa.ForeignKey("series.id"), primary_key=True),
        sa.Column("time_us", sa.BigInteger, primary_key=True),
        sa.Column("value", sa.Float, nullable=False),
        sa.Column("quality", sa.SmallInteger, nullable=False),
        sqlite_with_rowid=False,
    )
    op.create_table(
        "change",
        sa.Column("seq", _SEQUENCE, primary_key=True, autoincrement=True),
        sa.Column("subject", sa.SmallInteger, nullable=False),
        sa.Column("series_id", sa.Integer),
        sa.Column("from_us", sa.BigInteger),
        sa.Column("to_us", sa.BigInteger),
        sqlite_autoincrement=True,
    )
    op.create_table(
        "stray",
        sa.Column("id", _SEQUENCE, primary_key=True, autoincrement=True),
        sa.Column("arrived_us", sa.BigInteger, nullable=False),
        sa.Column("door", sa.String, nullable=False),
        sa.Column("address", sa.String, nullable=False),
        sa.Column("station", sa.String),
        sa.Column("form", sa.String),
        sa.Column("body", sa.LargeBinary, nullable=False),
        sa.Column("why", sa.String, nullable=False),
        sa.Index("stray_by_arrival", "arrived_us"),
    )
    op.create_table(
        "tally",
        sa.Column("station_id", sa.Integer, primary_key=True),
        *(
            sa.Column(name, sa.BigInteger, nullable=False)
            for name in (
                "kept",
                "duplicate",
                "revised",
                "suspect",
                "stray",
                "refused",
                "arrival_timed",
            )
        ),
    )
    op.create_table(
        "collector",
        sa.Column("id", sa.String, primary_key=True),
        sa.Column("host", sa.String, nullable=False),
        sa.Column("pid", sa.Integer, nullable=False),
        sa.Column("started_us", sa.BigInteger, nullable=False),
        sa.Column("heard_us", sa.BigInteger, nullable=False),
    )
    op.create_table(
        "door",
        sa.Column("collector_id", sa.String, sa.ForeignKey("collector.id"), primary_key=True),
        sa.Column("name", sa.String, primary_key=True),
        sa.Column("address", sa.String, nullable=False),
        sa.Column("state", sa.String, nullable=False),
        sa.Column("detail", sa.String, nullable=False),
        sa.Column("since_us", sa.BigInteger, nullable=False),
    )
