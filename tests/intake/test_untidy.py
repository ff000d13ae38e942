"""Messages as the world sends them: no times, equal times, times to come, commas for points; late
into what somebody has spoken of, or into what is sealed."""

from __future__ import annotations

import numpy as np
import pytest

from rook_tally.core.series.readings import Quality, readings_from
from rook_tally.core.timestamps import DAY_US, SECOND_US, time_us_from_text
from rook_tally.intake.message import BodyFormat
from rook_tally.store.base import Store, Subject
from rook_tally.store.base.changes import KEPT_CHANGES, note_change, prune_changes
from rook_tally.store.readings import append_history, overrule
from rook_tally.store.site import load_site, renew_access_key
from tests.builders import MINUTE_US, NOON_US
from tests.ways_in import WayIn

DAY = time_us_from_text("2026-11-10T00:00:00Z")


def test_of_several_values_without_a_time_the_last_stands_and_the_others_are_told(
    store: Store,
) -> None:
    way = WayIn(store)
    answer = way.send(
        "temperature,humidity\n20.1,50\n20.2,51\n20.3,52\n", NOON_US, form=BodyFormat.CSV
    )
    assert (answer.kept, len(answer.refused)) == (2, 4)
    assert "time of its own" in answer.refused[0].why
    assert [value for _, value, _ in way.kept("temperature")] == [20.3]
    again = [{"temperature": 1.0}, {"temperature": 2.0}, {"temperature": 1.0}]
    answer = way.send(again, NOON_US + MINUTE_US)
    assert answer.kept == 1
    assert [value for _, value, _ in way.kept("temperature")] == [20.3, 1.0]


def test_a_batch_of_a_clock_that_is_not_set_says_what_stands(store: Store) -> None:
    way = WayIn(store)
    rows = [
        {"temperature": 1.0, "time": 1e12},
        {"temperature": 2.0, "time": 3e9},
        {"temperature": 3.0, "time": 4e9},
        {"temperature": 4.0, "time": NOON_US / 1e6},
    ]
    answer = way.send(rows, NOON_US + MINUTE_US)
    assert answer.kept == len(way.kept("temperature"))
    assert answer.kept + len(answer.refused) == 4


@pytest.mark.parametrize(
    ("body", "kept"),
    [
        (b'{"temperature":"1_0"}', None),
        (b'{"temperature":"21,4"}', None),
        (b"temperature=21,4", None),
        (b"temperature=1_0", None),
        (b"temperature=21.4,humidity=50", 21.4),
        (b"temperature=21.4, humidity=50", 21.4),
        (b'{"temperature":"21.4"}', 21.4),
        ('{"temperature":"−5"}'.encode(), -5.0),
    ],
)
def test_a_number_is_read_whole_or_not_at_all(
    store: Store, body: bytes, kept: float | None
) -> None:
    way = WayIn(store)
    way.begin("temperature")
    answer = way.send(body, NOON_US)
    found = [value for _, value, _ in way.kept("temperature")]
    assert found == ([] if kept is None else [kept])
    assert bool(answer.refused) == (kept is None)


@pytest.mark.parametrize(("said", "value"), [(Quality.SET_ASIDE, 21.0), (Quality.GOOD, 500.0)])
def test_what_comes_late_into_an_overruled_stretch_is_as_the_person_said(
    store: Store, said: Quality, value: float
) -> None:
    way = WayIn(store)
    for minute in range(10):
        way.told(NOON_US + minute * MINUTE_US, temperature=20 + 0.1 * minute)
    series = way.series("temperature")
    with store.write() as connection:
        overrule(connection, series, NOON_US, NOON_US + 10 * MINUTE_US, said, who="Wren", why="sun")
    late, again = NOON_US + 30 * SECOND_US, NOON_US + 3 * MINUTE_US
    way.told(late, NOON_US + 11 * MINUTE_US, temperature=value)
    way.told(again, NOON_US + 11 * MINUTE_US, temperature=value)
    kept = {time_us: (told, quality) for time_us, told, quality in way.kept("temperature")}
    assert kept[late] == kept[again] == (value, said)


@pytest.mark.parametrize(
    ("quantity", "value", "wanted"),
    [("co2", 0.0, Quality.LONE_ZERO), ("temperature", 80.0, Quality.LONE_SPIKE)],
)
def test_what_comes_late_into_a_sealed_day_is_screened_among_it(
    store: Store, quantity: str, value: float, wanted: Quality
) -> None:
    way = WayIn(store)
    series = way.begin(quantity)
    time_us = DAY + np.arange(1440, dtype=np.int64) * MINUTE_US
    others = np.arange(1440) != 700
    usual = {"co2": 600.0, "temperature": 20.0}[quantity] + np.arange(1440) % 7 / 10
    with store.write() as connection:
        append_history(connection, series.id, readings_from(time_us[others], usual[others]))
    way.seal(DAY + 5 * DAY_US)
    for number in (699, 700):  # once more what is sealed, and what was missing
        told = value if number == 700 else float(usual[number])
        way.told(int(time_us[number]), DAY + 5 * DAY_US, **{quantity: told})
    way.told(DAY + 5 * DAY_US, **{quantity: float(usual[0])})
    kept = {moment: (told, quality) for moment, told, quality in way.kept(quantity)}
    assert kept[int(time_us[700])] == (value, wanted)
    way.seal(DAY + 8 * DAY_US)
    kept = {moment: (told, quality) for moment, told, quality in way.kept(quantity)}
    assert kept[int(time_us[700])] == (value, wanted)
    assert kept[int(time_us[699])][1] is Quality.GOOD


def test_a_spike_in_two_steps_is_one(store: Store) -> None:
    way = WayIn(store)
    values = [20.0] * 40 + [20.75, 21.6, 20.75] + [20.0] * 40
    for number, value in enumerate(values):
        way.told(NOON_US + number * MINUTE_US, temperature=value)
    suspect = [value for _, value, quality in way.kept("temperature") if quality]
    assert suspect == [21.6]


def test_whoever_was_away_for_longer_than_notices_are_kept_reads_all_anew(store: Store) -> None:
    way = WayIn(store)
    with store.write() as connection:
        station = load_site(connection).station("kiln")
        assert station is not None
        old_key = renew_access_key(connection, station)
        way.directory.refresh(connection)
    assert way.directory.station_with_access_key(old_key) is not None
    with store.write() as connection:
        new_key = renew_access_key(connection, station)
        for _ in range(KEPT_CHANGES + 10):
            note_change(connection, Subject.TAPE)
        prune_changes(connection)
    with store.write() as connection:
        way.directory.refresh(connection)
    assert way.directory.station_with_access_key(old_key) is None
    assert way.directory.station_with_access_key(new_key) is not None
