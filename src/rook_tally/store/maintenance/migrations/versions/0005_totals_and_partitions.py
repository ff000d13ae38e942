"""Format 5: a day's totals as one value, readings by week on PostgreSQL, late readings counted.

Every page is read once, since its checksum covers its totals. A page that was damaged before stays
so: it gets a checksum nothing has.
"""

import math
import struct
import zlib
from typing import Any

import sqlalchemy as sa
from alembic import op

revision, down_revision = "0005", "0004"

_TOTALS = struct.Struct("<qIIddddd")
_OLD_TOTALS = (
    "series_id",
    "start_us",
    "count",
    "suspect",
    "first_us",
    "last_us",
    "good_first_us",
    "good_last_us",
    "low",
    "high",
    "mean",
    "mean_square",
    "covered_s",
)
_NUMBERS = (
    "series_id",
    "start_us",
    "count",
    "first_us",
    "last_us",
    "good_first_us",
    "good_last_us",
)
_NO_CHECKSUM = -1


def upgrade() -> None:
    _rebuild_pages()
    _rebuild_readings()
    op.drop_table("change")
    op.create_table(
        "change",
        sa.Column(
            "seq",
            sa.BigInteger().with_variant(sa.Integer, "sqlite"),
            primary_key=True,
            autoincrement=True,
        ),
        sa.Column("subject", sa.SmallInteger, nullable=False),
        sa.Column("series_id", sa.Integer),
        sa.Column("from_us", sa.BigInteger),
        sa.Column("to_us", sa.BigInteger),
    )
    op.add_column("tally", sa.Column("late", sa.BigInteger, nullable=False, server_default="0"))
    op.create_table(
        "clock_fault",
        sa.Column("station_id", sa.Integer, sa.ForeignKey("station.id"), primary_key=True),
        sa.Column("ahead_s", sa.Float, nullable=False),
        sa.Column("since_us", sa.BigInteger, nullable=False),
    )


def _rebuild_pages() -> None:
    connection = op.get_bind()
    op.rename_table("page", "page_4")
    if connection.dialect.name == "postgresql":
        op.execute("ALTER TABLE page_4 RENAME CONSTRAINT page_pkey TO page_4_pkey")
        op.execute("ALTER TABLE page_4 DROP CONSTRAINT page_series_id_fkey")
    page = op.create_table(
        "page",
        sa.Column("series_id", sa.Integer, sa.ForeignKey("series.id"), primary_key=True),
        sa.Column("start_us", sa.BigInteger, primary_key=True),
        sa.Column("count", sa.Integer, nullable=False),
        sa.Column("first_us", sa.BigInteger, nullable=False),
        sa.Column("last_us", sa.BigInteger, nullable=False),
        sa.Column("good_first_us", sa.BigInteger),
        sa.Column("good_last_us", sa.BigInteger),
        sa.Column("totals", sa.LargeBinary, nullable=False),
        sa.Column("gaps", sa.LargeBinary),
        sa.Column("checksum", sa.BigInteger, nullable=False),
        sqlite_with_rowid=False,
    )
    old = sa.text(
        "SELECT p.*, h.hours, d.buckets, d.payload FROM page_4 p "
        "JOIN page_data d ON d.series_id = p.series_id AND d.start_us = p.start_us "
        "LEFT JOIN page_hours h ON h.series_id = p.series_id AND h.start_us = p.start_us"
    ).execution_options(yield_per=500)
    with connection.execute(old) as rows:
        for part in rows.mappings().partitions():
            connection.execute(sa.insert(page), [_page(dict(row)) for row in part])
    op.drop_table("page_4")
    op.create_index("page_by_day", "page", ["start_us"])


def _page(row: dict[str, Any]) -> dict[str, Any]:
    blobs = [row[name] or b"" for name in ("gaps", "hours", "buckets", "payload")]
    whole = _checksum([row[name] for name in _OLD_TOTALS], blobs) == row["checksum"]
    means = (row[name] for name in ("low", "high", "mean", "mean_square"))
    totals = _TOTALS.pack(
        row["start_us"],
        row["count"] - row["suspect"],
        row["suspect"],
        *(math.nan if value is None else value for value in means),
        row["covered_s"],
    )
    numbers = {name: row[name] for name in _NUMBERS}
    checksum = _checksum(list(numbers.values()), [totals, *blobs]) if whole else _NO_CHECKSUM
    return numbers | {"totals": totals, "gaps": row["gaps"], "checksum": checksum}


def _checksum(numbers: list[Any], blobs: list[bytes]) -> int:
    total = zlib.crc32(repr(numbers).encode())
    for blob in blobs:
        total = zlib.crc32(blob, total)
    return total


def _rebuild_readings() -> None:
    is_server = op.get_bind().dialect.name == "postgresql"
    op.rename_table("reading", "reading_4")
    if is_server:
        op.execute("ALTER TABLE reading_4 RENAME CONSTRAINT reading_pkey TO reading_4_pkey")
    op.create_table(
        "reading",
        sa.Column("series_id", sa.Integer, primary_key=True),
        sa.Column("time_us", sa.BigInteger, primary_key=True),
        sa.Column("value", sa.Float, nullable=False),
        sa.Column("quality", sa.SmallInteger, nullable=False),
        sqlite_with_rowid=False,
        postgresql_partition_by="RANGE (time_us)",
    )
    if is_server:
        op.execute("CREATE TABLE reading_rest PARTITION OF reading DEFAULT")
    op.execute("INSERT INTO reading SELECT series_id, time_us, value, quality FROM reading_4")
    op.drop_table("reading_4")
