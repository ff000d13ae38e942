"""Format 11: watches, their alarms, the journal, ways of telling, the outbox, running controls."""

import sqlalchemy as sa
from alembic import op

revision, down_revision = "0011", "0010"


def _sequence() -> sa.types.TypeEngine[int]:
    return sa.BigInteger().with_variant(sa.Integer, "sqlite")


def upgrade() -> None:
    op.add_column("request", sa.Column("for_s", sa.Float))
    op.create_table(
        "watch",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("slug", sa.String, nullable=False, unique=True),
        sa.Column("document", sa.String, nullable=False),
        sa.Column("position", sa.Integer, nullable=False),
        sa.Column("armed_us", sa.BigInteger, nullable=False),
    )
    op.create_table(
        "alarm",
        sa.Column("watch", sa.String, primary_key=True),
        sa.Column("series_id", sa.Integer, primary_key=True, autoincrement=False),
        sa.Column("state", sa.String, nullable=False),
        sa.Column("document", sa.String, nullable=False),
        sa.Index("alarm_by_state", "state"),
    )
    op.create_table(
        "journal",
        sa.Column("id", _sequence(), primary_key=True, autoincrement=True),
        sa.Column("time_us", sa.BigInteger, nullable=False),
        sa.Column("sort", sa.String, nullable=False),
        sa.Column("watch", sa.String, nullable=False),
        sa.Column("name", sa.String, nullable=False),
        sa.Column("place", sa.String, nullable=False),
        sa.Column("series_id", sa.Integer),
        sa.Column("level", sa.SmallInteger, nullable=False),
        sa.Column("words", sa.String, nullable=False),
        sa.Column("who", sa.String, nullable=False),
        sa.Index("journal_by_time", "time_us"),
        sa.Index("journal_by_watch", "watch", "id"),
    )
    op.create_table(
        "way",
        sa.Column("name", sa.String, primary_key=True),
        sa.Column("document", sa.String, nullable=False),
    )
    op.create_table(
        "outbox",
        sa.Column("id", _sequence(), primary_key=True, autoincrement=True),
        sa.Column("key", sa.String, nullable=False, unique=True),
        sa.Column("way", sa.String, nullable=False),
        sa.Column("watch", sa.String, nullable=False),
        sa.Column("series_id", sa.Integer),
        sa.Column("document", sa.String, nullable=False),
        sa.Column("state", sa.String, nullable=False),
        sa.Column("made_us", sa.BigInteger, nullable=False),
        sa.Column("due_us", sa.BigInteger, nullable=False),
        sa.Column("tries", sa.Integer, nullable=False),
        sa.Column("done_us", sa.BigInteger),
        sa.Column("answer", sa.String, nullable=False),
        sa.Index("outbox_by_state", "state", "due_us"),
    )
    op.create_table(
        "run",
        sa.Column("station", sa.String, primary_key=True),
        sa.Column("control", sa.String, primary_key=True),
        sa.Column("document", sa.String, nullable=False),
    )
