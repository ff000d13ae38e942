"""Backup, restore, check, compact and a station's account, as a person runs them."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
import sqlalchemy as sa

from rook_tally.core.timestamps import DAY_US
from rook_tally.store.base import Store, schema
from rook_tally.store.maintenance import open_store
from rook_tally.store.maintenance.thinning import thinned_after_days
from rook_tally.store.readings import read_range, seal, seal_all
from rook_tally.store.site import Series
from tests.builders import MINUTE_US, NOON_US, append, begin_series
from tests.processes import CollectorProcess, rook_tally


@pytest.fixture
def kept(store: Store) -> Series:
    """A series with one sealed day and one reading of the next."""
    series = begin_series(store)
    append(store, series, *((NOON_US + at * MINUTE_US, at / 10) for at in range(100)))
    append(store, series, (NOON_US + DAY_US, 7.0))
    assert seal(store, series, NOON_US // DAY_US * DAY_US)
    return series


def _values(path: Path) -> list[float]:
    store = open_store(path, create=False)
    with store.read() as connection:
        values: list[float] = read_range(connection, 1, 0, 2**62).value.tolist()
    store.close()
    return values


def test_there_and_back(store: Store, kept: Series, tmp_path: Path) -> None:
    """What came after the backup is gone from the store, but not from the disk."""
    target = tmp_path / "copy.db"
    assert rook_tally("--store", store.url, "backup", str(target)).returncode == 0
    before = _values(Path(store.url))
    assert _values(target) == before
    append(store, kept, (NOON_US + 2 * DAY_US, 8.0))
    store.close()
    done = rook_tally("--store", store.url, "restore", str(target))
    assert done.returncode == 0, done.stderr
    assert _values(Path(store.url)) == before
    (moved,) = Path(store.url).parent.glob("site.db.before-*")
    assert str(moved) in done.stdout
    assert _values(moved) == [*before, 8.0]


def test_a_backup_is_taken_while_a_collector_writes_and_restoring_is_refused(
    collector: CollectorProcess, tmp_path: Path
) -> None:
    collector.add_station("a")
    collector.post('{"temperature": 21}', query="?station=a")
    target = tmp_path / "copy.db"
    assert rook_tally("--store", str(collector.store), "backup", str(target)).returncode == 0
    assert _values(target) == [21.0]
    done = rook_tally("--store", str(collector.store), "restore", str(target))
    assert done.returncode == 1
    assert "a collector (process" in done.stderr
    assert "stop or close it first" in done.stderr
    collector.post('{"temperature": 22}', query="?station=a")
    assert _values(collector.store) == [21.0, 22.0]


def test_check_counts_and_names_what_is_damaged(store: Store, kept: Series) -> None:
    done = rook_tally("--store", store.url, "check")
    assert (done.returncode, done.stdout) == (
        0,
        "101 readings, 1 sealed pages: nothing is damaged\n",
    )
    with store.write() as connection:
        connection.execute(sa.update(schema.page).values(first_us=1))
    done = rook_tally("--store", store.url, "check")
    assert done.returncode == 1
    assert "page of series 1 at 2026-11-23T00:00:00.000000Z: its checksum is wrong" in done.stdout


def test_a_damaged_backup_is_not_put_back(store: Store, kept: Series, tmp_path: Path) -> None:
    target = tmp_path / "copy.db"
    rook_tally("--store", store.url, "backup", str(target))
    broken = open_store(target)
    with broken.write() as connection:
        connection.execute(sa.update(schema.page).values(count=5))
    broken.close()
    before = _values(Path(store.url))
    done = rook_tally("--store", store.url, "restore", str(target))
    assert done.returncode == 1
    assert "is damaged: page of series 1" in done.stderr
    assert _values(Path(store.url)) == before


def test_compact_gives_space_back(store: Store, kept: Series) -> None:
    append(store, kept, *((NOON_US + DAY_US + at, 1.0) for at in range(1, 40_000)))
    with store.write() as connection:
        connection.execute(sa.delete(schema.reading).where(schema.reading.c.value == 1.0))
    store.close()
    size = Path(store.url).stat().st_size
    done = rook_tally("--store", store.url, "compact")
    assert done.returncode == 0, done.stderr
    assert Path(store.url).stat().st_size < size / 2
    assert len(_values(Path(store.url))) == 101


@pytest.mark.parametrize("words", [("backup", "/dev/null/x.db"), ("restore", "/dev/null/x.db")])
def test_places_that_cannot_be(store: Store, kept: Series, words: tuple[str, ...]) -> None:
    done = rook_tally("--store", store.url, *words)
    assert done.returncode == 1
    assert "/dev/null/x.db" in done.stderr
    assert "Traceback" not in done.stderr


def test_a_stations_account(collector: CollectorProcess) -> None:
    collector.add_station("a", kind="climate")
    body = '{"time": "2026-11-01T00:00:00Z", "temp": 20}'
    for sent in (body, body, body.replace("20}", "21}"), '{"rh": 140, "pm2_5": 3, "temp": "x"}'):
        collector.post(sent, query="?station=a")
    collector.post('{"time": 0, "temp": 22}', query="?station=a")
    done = rook_tally("--store", str(collector.store), "station", "show", "a", "--json")
    (account,) = json.loads(done.stdout)
    assert (account["station"], account["kind"], account["state"]) == ("a", "climate", "fresh")
    assert account["counts"] == {
        "kept": 4,
        "duplicate": 1,
        "revised": 1,
        "suspect": 1,
        "stray": 1,
        "refused": 1,
        "arrival_timed": 1,
        "late": 2,
    }
    assert [(one["field"], one["value"]) for one in account["fields"]] == [
        ("temp", 22.0),
        ("rh", 140.0),
    ]
    plain = rook_tally("--store", str(collector.store), "station", "show", "a").stdout
    assert "duplicate      1" in plain
    missing = rook_tally("--store", str(collector.store), "station", "show", "b")
    assert (missing.returncode, missing.stdout) == (2, "")
    assert "no station 'b'; known: a" in missing.stderr


def test_thinning_is_asked_for_twice_and_can_be_undone(store: Store, kept: Series) -> None:
    append(store, kept, *((NOON_US - 30 * DAY_US + at * 1_000_000, at % 7) for at in range(3000)))
    seal_all(store, {kept.id: kept}, now_us=NOON_US)
    before = _values(Path(store.url))

    def thin(*words: str) -> list[str]:
        done = rook_tally("--store", store.url, "thin", *words)
        assert done.returncode == 0, done.stderr
        return done.stdout.splitlines()

    told = thin("--older-than", "10")
    assert told[0].startswith("wall temperature: 2979 of 3000 readings on 1 days from 2026-10-24")
    assert told[1].endswith("would go; nothing was removed (add --remove)")
    assert _values(Path(store.url)) == before
    done = thin("--older-than", "10", "--remove")
    assert (done[1], done[2].partition(";")[0]) == (told[0], "2979 readings removed")
    assert len(_values(Path(store.url))) == len(before) - 2979
    store.close()
    backup = done[0].partition(" holds")[0]
    assert rook_tally("--store", store.url, "restore", backup).returncode == 0
    assert _values(Path(store.url)) == before


@pytest.mark.parametrize(
    ("words", "why"),
    [
        ([], "what counts as old?"),
        (["--older-than", "9", "--remove", "--always"], "exclude each other"),
        (["--older-than", "9", "--always", "--station", "wall"], "for the whole store"),
        (["--older-than", "9", "--station", "x"], "there is no station 'x'"),
    ],
)
def test_thinning_that_cannot_be_meant(
    store: Store, kept: Series, words: list[str], why: str
) -> None:
    done = rook_tally("--store", store.url, "thin", *words)
    assert (done.returncode, done.stdout) == (2, "")
    assert why in done.stderr


def test_a_habit_of_thinning(store: Store, kept: Series) -> None:
    done = rook_tally("--store", store.url, "thin", "--older-than", "700", "--always")
    assert "thins days older than 700 days" in done.stdout
    with store.read() as connection:
        assert thinned_after_days(connection) == 700
    assert "thins nothing" in rook_tally("--store", store.url, "thin", "--never").stdout
    with store.read() as connection:
        assert thinned_after_days(connection) is None
