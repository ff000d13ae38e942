"""Stations that stand elsewhere from a moment on, and boxes that take the place of others."""

from __future__ import annotations

import threading

import numpy as np
import pytest
import sqlalchemy as sa
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy.engine import Connection

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.series.corrections import Correction
from rook_tally.core.series.readings import readings_from
from rook_tally.core.timestamps import DAY_US, SECOND_US
from rook_tally.intake.message import Message
from rook_tally.intake.pipeline.batch_writer import receive
from rook_tally.intake.pipeline.clock_drift import Clocks
from rook_tally.intake.pipeline.resolve import IntakeSession
from rook_tally.store.base import Store, schema
from rook_tally.store.exchange.station_moves import move_from, rejoin, replace_station
from rook_tally.store.readings import append_history, damaged_pages, read_range, seal_all
from rook_tally.store.site import (
    Site,
    add_correction,
    add_series,
    add_station,
    correction_entries,
    kind_of_site,
    load_site,
)
from tests.builders import MINUTE_US, NOON_US
from tests.examples import examples

LONG_AGO_US, EVER_US = 0, 2**62
START_US = NOON_US - 3 * DAY_US


def _begun(store: Store, key: str = "node", place: str = "Loft", *, count: int = 3 * 288) -> Site:
    with store.write() as connection:
        kind = kind_of_site(connection, "plain")
        add_station(connection, key, place=place, kind=kind, cadence_s=300)
        station = load_site(connection).station(key)
        assert station is not None
        series = add_series(
            connection, station, field="temperature", quantity=QUANTITIES["temperature"], unit="°C"
        )
        at = START_US + np.arange(count) * 5 * MINUTE_US
        append_history(connection, series.id, readings_from(at, np.round(np.sin(at / 3e9), 3)))
        return load_site(connection)


def _told(connection: Connection, key: str) -> list[tuple[int, float]]:
    site = load_site(connection)
    found = []
    for one in site.series:
        if one.station.key == key:
            read = read_range(connection, one.id, LONG_AGO_US, EVER_US)
            found += list(zip(read.time_us.tolist(), read.value.tolist(), strict=True))
    return sorted(found)


@settings(max_examples=examples(5), suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(minute=st.integers(0, 3 * 1440 + 5), is_sealed=st.booleans())
def test_every_reading_is_at_one_place_and_all_come_together_again(
    store: Store, minute: int, is_sealed: bool
) -> None:
    """Whenever it moved, sealed or not: earlier readings at the old place, later ones at the new,
    none twice, none lost; and taken back it is as it was."""
    with store.write() as connection:
        for table in reversed(schema.metadata.sorted_tables):
            if table.name not in ("meta", "alembic_version", "site"):
                connection.execute(sa.delete(table))
    site = _begun(store)
    if is_sealed:
        seal_all(store, {one.id: one for one in site.series}, now_us=NOON_US + 2 * DAY_US)
    moved_us = START_US + minute * MINUTE_US + 1
    with store.write() as connection:
        before = _told(connection, "node")
        station = load_site(connection).station("node")
        assert station is not None
        past = move_from(connection, station, "Yard", moved_us, now_us=NOON_US + 2 * DAY_US)
        site = load_site(connection)
        assert [one.place.name for one in site.stations] == ["Yard"]
        assert [(one.key, one.place.name) for one in site.retired] == [(past, "Loft")]
        assert _told(connection, past) == [one for one in before if one[0] < moved_us]
        assert _told(connection, "node") == [one for one in before if one[0] >= moved_us]
        station = site.station("node")
        assert station is not None
        rejoin(connection, station, site.retired[0])
        assert _told(connection, "node") == before
        site = load_site(connection)
        assert not site.retired and site.stations[0].place.name == "Loft"
        assert damaged_pages(connection) == []


def test_a_station_is_moved_while_its_messages_arrive(store: Store) -> None:
    _begun(store, count=10)
    sent = [(NOON_US + at * SECOND_US, float(at)) for at in range(400)]
    is_moving, trouble = threading.Event(), []

    def send() -> None:
        directory, clocks = IntakeSession(), Clocks()
        try:
            for at_us, value in sent:
                body = b'{"temperature": %g}' % value
                receive(
                    store, directory, clocks, [Message("http", "", body, at_us, station="node")]
                )
                if value == 50:
                    is_moving.set()
        except Exception as error:  # noqa: BLE001 - told to the test, whose thread is another
            trouble.append(error)

    sender = threading.Thread(target=send)
    sender.start()
    is_moving.wait()
    for place, moved in (("Yard", 60), ("Shed", 70), ("Kiln", 75)):
        with store.write() as connection:
            station = load_site(connection).station("node")
            assert station is not None
            move_from(
                connection, station, place, NOON_US + moved * SECOND_US, now_us=NOON_US + DAY_US
            )
    sender.join()
    assert trouble == []
    with store.read() as connection:
        site = load_site(connection)
        told = {
            one.place.name: _told(connection, one.key) for one in (*site.stations, *site.retired)
        }
    begins = {"Loft": 0, "Yard": 60, "Shed": 70, "Kiln": 75}
    ends = [60, 70, 75, len(sent)]
    for (place, begin), end in zip(begins.items(), ends, strict=True):
        assert [one for one in told[place] if one[0] >= NOON_US] == sent[begin:end]


def test_a_new_box_goes_on_with_the_series_and_its_corrections_end(store: Store) -> None:
    site = _begun(store)
    series = site.series[0]
    with store.write() as connection:
        add_correction(
            connection, series.id, Correction(START_US, 1.0, 0.5), who="me", why="", now_us=NOON_US
        )
        key = replace_station(connection, site.stations[0], "node-2", who="me", now_us=NOON_US)
        assert key
        now = load_site(connection)
        assert [one.key for one in now.stations] == ["node-2"]
        assert [one.id for one in now.series] == [series.id]
        corrections = [one.correction for one in correction_entries(connection, series.id)]
        assert corrections == [Correction(START_US, 1.0, 0.5), Correction(NOON_US, 1.0, 0.0)]
        words = connection.execute(sa.select(schema.remark.c.text)).scalars().all()
        assert words == ["node was replaced by node-2"]


def test_what_the_new_box_has_told_already_joins_the_series(store: Store) -> None:
    _begun(store, count=100)
    site = _begun(store, "fresh", "Bench", count=200)
    old = site.station("node")
    assert old is not None
    with store.write() as connection:
        told = _told(connection, "fresh")
        assert replace_station(connection, old, "fresh", who="me", now_us=NOON_US) == ""
        now = load_site(connection)
        assert [(one.key, one.place.name) for one in now.stations] == [("fresh", "Loft")]
        assert len(now.series) == 1
        assert _told(connection, "fresh") == told


def test_what_cannot_be_is_refused_and_changes_nothing(store: Store) -> None:
    site = _begun(store)
    station = site.stations[0]
    with store.read() as connection:
        with pytest.raises(UsageError, match="that moment is to come"):
            move_from(connection, station, "Yard", NOON_US + 1, now_us=NOON_US)
        with pytest.raises(UsageError, match="node stands there"):
            move_from(connection, station, "Loft", NOON_US, now_us=NOON_US)
        with pytest.raises(UsageError, match="node is that station itself"):
            replace_station(connection, station, "node", who="me", now_us=NOON_US)
        assert load_site(connection) == site
