"""Stores of older formats are brought to today's, with a backup first and nothing lost."""

from __future__ import annotations

import contextlib
import signal
import sqlite3
import subprocess
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import sqlalchemy as sa
from alembic import command
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from alembic.script import ScriptDirectory
from msgspec.structs import replace
from sqlalchemy.engine import Connection

from rook_tally.clock import now_us
from rook_tally.core.errors import StoreError
from rook_tally.core.quantities.averaging import Averaging
from rook_tally.core.series.page_codec import checksum
from rook_tally.core.series.readings import readings_from
from rook_tally.core.timestamps import DAY_US
from rook_tally.store.base import Store, schema
from rook_tally.store.base.machine_zone import machine_zone
from rook_tally.store.maintenance import open_store
from rook_tally.store.maintenance.upgrade import migrations
from rook_tally.store.readings import damaged_pages, read_range
from rook_tally.store.readings.page_writing import write_pages
from rook_tally.store.readings.pages import checksum_of, page_rows
from rook_tally.store.readings.summaries import DAY_ROW
from rook_tally.store.site import load_site, tallies
from tests import started
from tests.builders import MINUTE_US, NOON_US, begin_series
from tests.processes import PATIENCE_S
from tests.store.pages_apart import all_pages

MIDNIGHT_US = NOON_US // DAY_US * DAY_US
LATER_US = MIDNIGHT_US + 1000 * DAY_US
OLD_COLUMNS = (
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


class OldStore:
    """What a program of an older format left: a station, rows, and pages if it knew them."""

    def __init__(self, store: Store, number: int, days: int = 3) -> None:
        series = begin_series(store)
        at = MIDNIGHT_US + np.arange(days * 1440) * MINUTE_US
        self.readings = readings_from(at, np.round(20 + np.sin(at / 1e10), 2))
        pages = page_rows(series, self.readings, MIDNIGHT_US, MIDNIGHT_US + days * DAY_US)
        if number < 2:
            self.readings, pages = self.readings[:2], []
        with store.write() as connection:
            schema.metadata.drop_all(connection)
            command.upgrade(migrations(connection), f"{number:04}")
            connection.exec_driver_sql("DROP TABLE alembic_version")  # they knew nothing of it
            for statement in (
                f"INSERT INTO meta VALUES ('format', '{number}'), ('id', 'old')",
                "INSERT INTO place VALUES (1, 'Kiln room', NULL, 0, true)",
                "INSERT INTO station (id, key, place_id, kind, cadence_s, access_hash, position) "
                "VALUES (1, 'old', 1, 'plain', 60, NULL, 0)",
                "INSERT INTO series (id, station_id, field, quantity, unit, limits) "
                "VALUES (1, 1, 'temperature', 'temperature', '°C', NULL)",
                "INSERT INTO tally (station_id, kept, duplicate, revised, suspect, stray, refused, "
                "arrival_timed) VALUES (1, 5, 4, 3, 2, 1, 0, 0)",
                *(
                    f"INSERT INTO reading VALUES (1, {one_us}, {value}, 0)"
                    for one_us, value in zip(at[:2], self.readings.value[:2], strict=True)
                ),
            ):
                connection.exec_driver_sql(statement)
            for row in pages:
                del row["packed_hours"]
                row["checksum"] = checksum_of(row)
                if number >= 5:
                    _insert_plain(connection, row)
                else:
                    _insert_old(connection, row)

    def is_whole_in(self, store: Store) -> bool:
        with store.read() as connection:
            found = read_range(connection, 1, 0, LATER_US)
            assert damaged_pages(connection) == []
        return np.array_equal(found.value, self.readings.value)


def _insert_plain(connection: Connection, row: dict[str, Any]) -> None:
    """A page as formats 5 to 26 kept it; of a day of minutes none had hours."""
    keys = ("series_id", "start_us")
    data = {name: row[name] for name in (*keys, "buckets", "payload")}
    page = {name: row[name] for name in row if name not in ("hours", "buckets", "payload")}
    for table, values in (("page", page), ("page_data", data)):
        columns: list[sa.ColumnClause[Any]] = [sa.column(name) for name in values]
        connection.execute(sa.insert(sa.table(table, *columns)).values(**values))


def _insert_old(connection: Connection, row: dict[str, Any]) -> None:
    """A page as formats 2 to 4 kept it."""
    (totals,) = np.frombuffer(row["totals"], dtype=DAY_ROW)
    page = {name: row.get(name) for name in OLD_COLUMNS}
    page |= {name: float(totals[name]) for name in OLD_COLUMNS[8:]} | {"suspect": 0}
    blobs = [row[name] or b"" for name in ("gaps", "hours", "buckets", "payload")]
    page |= {"checksum": checksum(repr(list(page.values())).encode(), *blobs)}
    data = {name: row[name] for name in ("series_id", "start_us", "buckets", "payload")}
    for table, values in (("page", page | {"gaps": row["gaps"]}), ("page_data", data)):
        columns: list[sa.ColumnClause[Any]] = [sa.column(name) for name in values]
        connection.execute(sa.insert(sa.table(table, *columns)).values(**values))


@pytest.mark.parametrize("quantity", ["sound_level", "wind_direction", "contact"])
def test_summaries_of_format_12_become_what_readings_of_the_quantity_say(
    store: Store, quantity: str
) -> None:
    """They were averaged as plain numbers; totals, hours and buckets are made anew."""
    series = begin_series(store, quantity)
    plain = replace(series, quantity=replace(series.quantity, averaging=Averaging.ARITHMETIC))
    time_us = MIDNIGHT_US + np.arange(3 * 8640, dtype=np.int64) * 10_000_000
    value = np.where(np.arange(len(time_us)) % 2, 30.0, 50.0)
    value = value > 40 if quantity == "contact" else value + (310 if quantity[0] == "w" else 0)
    readings = readings_from(time_us, np.asarray(value, np.float64) % 360)
    with store.write() as connection:
        days = (MIDNIGHT_US, MIDNIGHT_US + 3 * DAY_US)
        write_pages(connection, page_rows(plain, readings, *days))
        wanted = page_rows(series, readings, *days)
        for statement in (
            *(f"DROP TABLE firmware_{one}" for one in ("piece", "image", "rollout", "update")),
            "DROP TABLE page_fortnight",
            "ALTER TABLE page_data DROP COLUMN packed_hours",
            "DROP TABLE gateway_key",
            "DROP TABLE report",
            "DROP TABLE written_report",
            "DROP TABLE guideline",
            "DROP TABLE read_key",
            "DROP TABLE forward",
            "DROP TABLE reference_point",
            "DROP TABLE bench_item",
            "ALTER TABLE correction DROP COLUMN se_gain",
            "ALTER TABLE correction DROP COLUMN se_offset",
            "ALTER TABLE correction DROP COLUMN cov",
            "DROP TABLE limit_rule",
            "DROP TABLE configuration_change",
            "DROP TABLE station_alias",
            "DROP TABLE plan_mark",
            "DROP TABLE deleted",
            "DROP TABLE plan",
            "DROP TABLE picture",
            "ALTER TABLE station DROP COLUMN hangs",
            "ALTER TABLE station DROP COLUMN photograph_id",
            "ALTER TABLE site DROP COLUMN document",
            "ALTER TABLE station DROP COLUMN retired_us",
            "ALTER TABLE station DROP COLUMN past_of",
            "ALTER TABLE station DROP COLUMN maintenance_to_us",
            "ALTER TABLE station DROP COLUMN maintenance_from_us",
            "ALTER TABLE series DROP COLUMN document",
            "ALTER TABLE station DROP COLUMN removed_us",
            "ALTER TABLE station DROP COLUMN learns_cadence",
            "DROP TABLE duty",
            "DROP TABLE failed_duty",
            "DROP TABLE heard",
            "DELETE FROM site",
            "UPDATE meta SET value = '12' WHERE key = 'format'",
            "UPDATE alembic_version SET version_num = '0012'",
        ):
            connection.exec_driver_sql(statement)
    again = open_store(store.address)
    with again.read() as connection:
        assert damaged_pages(connection) == []
        assert load_site(connection).zone == machine_zone()
        found = all_pages(connection)
    for row, right in zip(found, wanted, strict=True):
        blobs = row["totals"], right["totals"]
        told, said = (np.frombuffer(one, DAY_ROW).tolist()[0] for one in blobs)
        assert told == pytest.approx(said)
        assert (row["hours"], row["buckets"]) == (right["hours"], right["buckets"])
    again.close()


@pytest.mark.parametrize("number", range(1, schema.FORMAT))
def test_every_older_format_becomes_todays(store: Store, engine: str, number: int) -> None:
    if engine == "postgresql" and number % 4 != 1:
        return  # the migrations are the same; a few of them tell of types
    old = OldStore(store, number)
    again = open_store(store.address)
    assert old.is_whole_in(again)
    with again.read() as connection:
        # Nothing is missing and nothing is left over beside a store made anew.
        context = MigrationContext.configure(connection, opts={"include_object": _is_ours})
        assert compare_metadata(context, schema.metadata) == []
        assert tallies(connection)[1].kept == 5
        assert again.id == "old"
    again.close()


def _is_ours(_object: object, name: str | None, *_rest: object) -> bool:
    return name not in ("reading_rest", "alembic_version")


def test_a_file_is_backed_up_first(store_path: Path) -> None:
    old = OldStore(open_store(store_path), 4)
    open_store(store_path).close()
    backup = store_path.with_name("site.db.format-4")
    kept = sqlite3.connect(backup)
    assert kept.execute("SELECT value FROM meta WHERE key = 'format'").fetchone() == ("4",)
    assert kept.execute("SELECT sum(count) FROM page").fetchone() == (len(old.readings),)
    kept.close()


def test_a_servers_store_keeps_its_backup_in_a_schema_beside(store: Store, engine: str) -> None:
    if engine == "sqlite":
        return  # has a file for it
    old = OldStore(store, 4)
    again = open_store(store.address)
    with again.read() as connection:
        kept = connection.exec_driver_sql("SELECT sum(count) FROM rook_format_4.page").scalar()
    assert kept == len(old.readings)
    again.close()


def test_a_page_that_was_damaged_stays_so(store: Store) -> None:
    OldStore(store, 4)
    with store.write() as connection:
        connection.exec_driver_sql(f"UPDATE page SET high = 99 WHERE start_us = {MIDNIGHT_US}")
    again = open_store(store.address)
    with again.read() as connection:
        (told,) = damaged_pages(connection)
    assert told.endswith("its checksum is wrong")
    again.close()


def test_not_under_a_collector_that_works_on_it(store: Store) -> None:
    old = OldStore(store, 4)
    with store.write() as connection:
        connection.execute(
            sa.insert(schema.collector).values(
                id="a", host="elsewhere", pid=1, started_us=0, heard_us=now_us()
            )
        )
    with pytest.raises(StoreError, match="stop that collector"):
        open_store(store.address)
    with store.write() as connection:
        connection.execute(sa.delete(schema.collector))
    again = open_store(store.address)
    assert old.is_whole_in(again)
    again.close()


def test_killed_at_any_moment_of_an_upgrade(store: Store) -> None:
    """SIGKILL ever later, until one gets through: the store is the old one or the new one."""
    old = OldStore(store, 4, days=60)
    wait_s, code = 0.1, -signal.SIGKILL
    while code == -signal.SIGKILL:
        process = started.start("--store", store.address, "place", "list")
        with contextlib.suppress(subprocess.TimeoutExpired):
            process.wait(wait_s)
        process.kill()
        code = process.wait(PATIENCE_S)
        assert process.stdout is not None
        process.stdout.close()
        with store.read() as connection:
            number = connection.execute(
                sa.select(schema.meta.c.value).where(schema.meta.c.key == "format")
            ).scalar_one()
        assert number in ("4", str(schema.FORMAT))
        wait_s *= 1.3
    assert code == 0
    again = open_store(store.address)
    assert old.is_whole_in(again)
    again.close()


def test_the_newest_migration_leads_to_todays_format(store: Store) -> None:
    with store.write() as connection:
        newest = ScriptDirectory.from_config(migrations(connection)).get_current_head()
    assert newest == schema.NEWEST_MIGRATION
