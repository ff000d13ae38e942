"""Configuration, change notices, strays, tallies and the presence of collectors."""

from __future__ import annotations

from pathlib import Path

import pytest

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.kinds import KINDS, PLAIN
from rook_tally.core.quantities.levels import Limits
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.timestamps import DAY_US
from rook_tally.store.base import ChangeTail, Store, Subject, access_hash
from rook_tally.store.base.machine_zone import machine_zone
from rook_tally.store.maintenance import open_store
from rook_tally.store.site import (
    Door,
    DoorState,
    MessageCounts,
    Stray,
    StrayBounds,
    add_place,
    add_series,
    add_station,
    add_tallies,
    collectors,
    load_site,
    newest_strays,
    prune_strays,
    report_alive,
    report_collector,
    report_door,
    save_strays,
    set_site,
    set_stray_bounds,
    stray_bounds,
    tallies,
    total,
    withdraw_collector,
)
from rook_tally.store.site.unassigned_messages import ROW_BYTES
from tests.builders import NOON_US, append, begin_series
from tests.processes import wait_until


@pytest.mark.parametrize("zone", ["Pacific/Auckland", "Europe/Berlin", "UTC"])
def test_a_new_site_is_in_the_zone_of_its_machine(
    zone: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    # It is looked up once a process.
    monkeypatch.setattr("tzlocal.unix._cache_tz_name", None)
    monkeypatch.setenv("TZ", zone)
    store = open_store(tmp_path / "new.db")
    with store.read() as connection:
        assert load_site(connection).zone == zone
    monkeypatch.setenv("TZ", "America/Lima")
    with open_store(tmp_path / "new.db").read() as connection:
        assert load_site(connection).zone == zone  # made once


def test_a_zone_that_is_none_is_refused_with_those_alike(store: Store) -> None:
    with store.write() as connection, pytest.raises(UsageError, match="Europe/London"):
        set_site(connection, name="Quay", zone="Europe/Londn")
    with store.write() as connection:
        set_site(connection, name=" Quay ", zone="Europe/London")
    with store.read() as connection:
        assert (load_site(connection).name, load_site(connection).zone) == ("Quay", "Europe/London")


def test_a_new_store_is_an_unnamed_site(store: Store) -> None:
    with store.read() as connection:
        site = load_site(connection)
    assert (site.name, site.zone, site.places, site.series) == ("", machine_zone(), (), ())


def test_a_station_brings_its_place_and_gets_a_key_that_is_not_kept(store: Store) -> None:
    with store.write() as connection:
        key = add_station(connection, "kiln-1", place="Kiln room", kind=KINDS["kiln-probe"])
        add_station(connection, "kiln-2", place="Kiln room", kind=PLAIN, cadence_s=7)
        set_site(connection, name="Fennel Wharf", zone="Europe/London")
    with store.read() as connection:
        site = load_site(connection)
    assert [place.name for place in site.places] == ["Kiln room"]
    first, second = site.stations
    assert (first.kind, first.cadence_s, second.cadence_s) == (KINDS["kiln-probe"], 30, 7)
    assert first.access_hash == access_hash(key)
    assert len(key) >= 32
    written = [] if store.path is None else [store.path, Path(f"{store.path}-wal")]
    for path in written:
        assert key.encode() not in path.read_bytes()


@pytest.mark.parametrize("key", ["", "a/b", "a+b", "#", "two words", "x" * 101, "ключ"])
def test_keys_that_fit_no_topic_are_refused(store: Store, key: str) -> None:
    with pytest.raises(UsageError, match="cannot be a station's key"), store.write() as connection:
        add_station(connection, key, place="Yard", kind=PLAIN)


def test_a_key_that_is_taken_and_a_place_without_a_name(store: Store) -> None:
    begin_series(store)
    with pytest.raises(UsageError, match="'wall' already; it was left"), store.write() as opened:
        add_station(opened, "wall", place="Yard", kind=PLAIN)
    with pytest.raises(UsageError, match="a place needs a name"), store.write() as opened:
        add_place(opened, "  ")


def test_limits_of_a_series_are_its_own_or_its_quantitys(store: Store) -> None:
    begin_series(store)
    own = Limits(above=(None, 30.5, None, None), below=(5, None, None, None))
    with store.write() as connection:
        (station,) = load_site(connection).stations
        humidity = QUANTITIES["humidity"]
        add_series(connection, station, field="rh", quantity=humidity, unit="%", limits=own)
    with store.read() as connection:
        temperature, damp = load_site(connection).series
    assert temperature.limits == QUANTITIES["temperature"].limits
    assert damp.limits == own


def test_another_connection_hears_of_every_change(store: Store) -> None:
    series = begin_series(store)
    desk_side = open_store(store.url)
    tail = ChangeTail(desk_side)
    tail.has_news()
    assert not tail.has_news()
    append(store, series, (NOON_US, 1.0), (NOON_US + 5, 2.0))
    wait_until(tail.has_news)  # a server's notice takes its time
    (change,) = tail.changes()
    assert (change.subject, change.series_id) == (Subject.READINGS, series.id)
    assert (change.from_us, change.to_us) == (NOON_US, NOON_US + 5)
    assert tail.changes() == []
    tail.close()
    desk_side.close()


def _stray(body: bytes) -> Stray:
    return Stray(NOON_US, "mqtt", "rook/x/readings", "x", None, body, "nobody took in it")


def test_strays_are_kept_whole_newest_first_and_bounded(store: Store) -> None:
    with store.write() as connection:
        for number in range(5):
            save_strays(connection, [_stray(b"\xff\x00%d" % number)])
        assert prune_strays(connection, now_us=NOON_US) == 0
        # Whole rows count: the texts, and what a row costs beside them.
        row = 3 + len(_stray(b"").why) + len(_stray(b"").address) + ROW_BYTES
        set_stray_bounds(connection, StrayBounds(most_bytes=3 * row, most_days=2))
        assert prune_strays(connection, now_us=NOON_US + DAY_US) == 2
        assert [one.body for one in newest_strays(connection)] == [
            b"\xff\x00%d" % one for one in (4, 3, 2)
        ]
        assert stray_bounds(connection) == StrayBounds(3 * row, 2)
        assert prune_strays(connection, now_us=NOON_US + 3 * DAY_US) == 3


def test_tallies_add_up(store: Store) -> None:
    with store.write() as connection:
        add_tallies(connection, {1: MessageCounts(kept=2, stray=1), 0: MessageCounts(stray=4)})
        add_tallies(connection, {1: MessageCounts(kept=3, duplicate=1)})
    with store.read() as connection:
        counted = tallies(connection)
    assert counted == {1: MessageCounts(kept=5, duplicate=1, stray=1), 0: MessageCounts(stray=4)}
    assert total(counted) == MessageCounts(kept=5, duplicate=1, stray=5)


def test_a_collector_is_seen_until_it_leaves_or_its_heart_stops(store: Store) -> None:
    door = Door("mqtt", "127.0.0.1:1", DoorState.TRYING, "no broker answers", NOON_US)
    with store.write() as connection:
        report_collector(connection, "a", host="shed", pid=7, now_us=NOON_US)
        report_door(connection, "a", door)
        report_collector(connection, "b", host="shed", pid=8, now_us=NOON_US)
        withdraw_collector(connection, "b")
    with store.write() as connection:
        (seen,) = collectors(connection, now_us=NOON_US + 10_000_000)
        assert (seen.pid, seen.doors) == (7, (door,))
        assert collectors(connection, now_us=NOON_US + 16_000_000) == []
        report_alive(connection, "a", now_us=NOON_US + 12_000_000)
        assert len(collectors(connection, now_us=NOON_US + 16_000_000)) == 1
