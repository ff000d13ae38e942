"""How a room airs: decays that were put in are found, what is none is left out with a reason."""

from __future__ import annotations

import numpy as np
import pytest

from rook_tally.bench.air import AirRoom, air, cleaner_named
from rook_tally.core.arrays import FloatArray, TimeArray
from rook_tally.core.comparing.decays import LeftOut
from rook_tally.core.errors import UsageError
from rook_tally.core.timestamps import DAY_US, HOUR_US
from rook_tally.store.base import Store
from rook_tally.store.site import load_site
from tests.bench.air_of_rooms import END_US, START_US, keep, moments, noise

RATE = 0.8


def lessons(time_us: TimeArray, rate: float | FloatArray = RATE) -> FloatArray:
    """CO₂ of a room with a lesson from 16 to 18 h: towards 1400 while it lasts, else to 420."""
    hour = (time_us - START_US) % DAY_US / HOUR_US
    busy = (hour >= 16) & (hour < 18)
    rates = np.broadcast_to(rate, time_us.shape)
    value = np.empty(len(time_us))
    now = 420.0
    for at in range(len(time_us)):
        towards = 420 + (980 if busy[at] else 0)
        now += (towards - now) * (1 - np.exp(-rates[at] / 12))
        value[at] = now
    return value + 4 * noise(len(time_us), 1)


def test_every_evening_is_found_and_the_rate_is_what_was_put_in(store: Store) -> None:
    time_us = moments(40)
    room = keep(store, "room", time_us, lessons(time_us), place="Room")
    with store.read() as connection:
        told = air(connection, load_site(connection), room, START_US, END_US)
    assert told.rate.used >= 38
    assert told.rate.low - 0.02 <= RATE <= told.rate.high + 0.02
    assert told.rate.median == pytest.approx(RATE, abs=0.03)
    assert "times an hour" in told.sentence.text
    assert [month for month, _ in told.months] == [(2026 - 1970) * 12 + 2, (2026 - 1970) * 12 + 3]
    assert any("Nothing tells whether" in one for one in told.notes)


def test_somebody_there_or_a_window_opened_is_left_out(store: Store) -> None:
    time_us = moments(40)
    day = (time_us - START_US) // DAY_US
    hour = (time_us - START_US) % DAY_US / HOUR_US
    value = lessons(time_us)
    # On every third evening somebody stays, and breathes.
    stays = (day % 3 == 0) & (hour >= 16) & (hour < 21)
    seen = ((hour >= 16) & (hour < 18)) | stays
    room = keep(store, "room", time_us, value, place="Room")
    keep(store, "room", time_us, seen.astype(float), quantity="presence", place="Room")
    with store.read() as connection:
        told = air(connection, load_site(connection), room, START_US, END_US)
    out = [one for one in told.decays if one.left_out is LeftOut.OCCUPIED]
    assert 12 <= len(out) <= 15
    assert told.rate.used == len(told.decays) - len(out)


def test_what_a_cleaner_delivers(store: Store) -> None:
    time_us = moments(40)
    day = (time_us - START_US) // DAY_US
    hour = (time_us - START_US) % DAY_US / HOUR_US
    runs = (day % 2 == 0) & (hour >= 17.5)
    dust = 5 + (lessons(time_us, np.where(runs, 2.2, 0.7)) - 420) / 10
    series = keep(store, "dust", time_us, np.abs(dust), quantity="pm25", place="Room")
    switch = keep(store, "purifier", time_us, runs.astype(float), quantity="switch", place="Room")
    with store.read() as connection:
        site = load_site(connection)
        told = air(
            connection, site, series, START_US, END_US, AirRoom(60.0, 3.0, cleaner=switch), 5.0
        )
    assert told.cleaning is not None
    assert told.cleaning.without_it.median == pytest.approx(0.7, abs=0.12)
    assert told.cleaning.with_it.median == pytest.approx(2.2, abs=0.3)
    assert told.cleaning.m3_h == pytest.approx(60 * 1.5, abs=22)
    assert "with the cleaner" in told.sentence.text


def test_a_fall_begins_when_the_last_person_has_left_and_the_cleaner_runs(store: Store) -> None:
    """The highest of a noisy plateau comes before both; what lies between bends the line."""
    time_us = moments(40)
    minute = (time_us - START_US) % DAY_US / 60_000_000
    runs = ((time_us - START_US) // DAY_US % 2 == 0) & (minute >= 18 * 60 + 10)
    rates = np.where(runs, 1.8, 0.8)
    since = np.clip(minute - 18 * 60, 0, None)
    # Steady until six, slow until the cleaner comes, then as fast as it cleans.
    late = np.minimum(since, 10) * 0.8 / 60 + np.clip(since - 10, 0, None) * rates / 60
    dust = np.where((minute >= 15 * 60) & (minute < 24 * 60), 40 * np.exp(-late), 0)
    series = keep(
        store, "dust", time_us, 5 + dust + noise(len(time_us), 7), quantity="pm25", place="Room"
    )
    seen = (minute >= 15 * 60) & (minute < 18 * 60)
    keep(store, "seen", time_us, seen.astype(float), quantity="presence", place="Room")
    # Nothing calls it a cleaner: it is the only switch of the room.
    switch = keep(store, "plug", time_us, runs.astype(float), quantity="switch", place="Room")
    with store.read() as connection:
        site = load_site(connection)
        named = cleaner_named(site, series)
        told = air(connection, site, series, START_US, END_US, AirRoom(cleaner=named), 5.0)
    assert named is not None
    assert named.id == switch.id
    assert told.cleaning is not None
    assert told.cleaning.without_it.median == pytest.approx(0.8, abs=0.03)
    assert told.cleaning.with_it.median == pytest.approx(1.8, abs=0.05)
    assert not [one for one in told.decays if one.left_out is LeftOut.OCCUPIED]


def test_a_room_that_never_rises_says_so(store: Store) -> None:
    time_us = moments(10)
    calm = keep(store, "calm", time_us, 430 + 3 * noise(len(time_us), 1), place="Hall")
    with store.read() as connection:
        told = air(connection, load_site(connection), calm, START_US, END_US)
    assert told.rate.used == 0
    assert told.sentence.text == "No night of Hall shows its air change."


def test_a_state_cannot_air_out(store: Store) -> None:
    time_us = moments(2)
    seen = keep(store, "eye", time_us, np.zeros(len(time_us)), quantity="presence", place="Hall")
    with store.read() as connection, pytest.raises(UsageError, match="cannot air out"):
        air(connection, load_site(connection), seen, START_US, END_US)
