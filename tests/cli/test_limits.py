"""Limits by command, on a store that nothing was set in."""

from __future__ import annotations

import json

from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.quantities.unit import FAHRENHEIT
from rook_tally.core.timestamps import HOUR_US
from rook_tally.store.base import Store
from rook_tally.store.site import show_in_unit
from tests.builders import NOON_US, append, begin_series
from tests.processes import rook_tally


def _limit(store: Store, *words: str) -> tuple[int, str]:
    done = rook_tally("--store", store.url, "limit", *words)
    return done.returncode, done.stdout if done.returncode == 0 else done.stderr


def _level(store: Store) -> dict[str, int]:
    rows = json.loads(rook_tally("--store", store.url, "latest", "--json").stdout)
    return {row["station"]: row["level"] for row in rows}


def test_limits_are_set_for_site_place_and_station_and_taken_back(store: Store) -> None:
    for key, place in (("shelf", "Shop"), ("till", "Shop"), ("sill", "Office")):
        append(store, begin_series(store, "co2", key=key, place=place), (NOON_US, 900.0))
    assert _level(store) == {"shelf": 1, "till": 1, "sill": 1}

    assert _limit(store, "set", "co2", "--above", "raised=850")[0] == 0
    assert _limit(store, "set", "co2", "--place", "Shop", "--above", "high=880 severe=2000")[0] == 0
    assert _limit(store, "set", "co2", "--station", "till", "--preset", "co2-workplace")[0] == 0
    assert _level(store) == {"shelf": 3, "till": 0, "sill": 2}
    told = json.loads(_limit(store, "list", "--json")[1])
    assert {one["station"]: one["from"] for one in told} == {
        "shelf": "place",
        "till": "series",
        "sill": "site",
    }
    assert next(one for one in told if one["station"] == "shelf")["above"] == [
        None,
        None,
        880,
        2000,
    ]
    assert "set for Shop" in _limit(store, "list")[1]

    assert _limit(store, "clear", "co2", "--station", "till")[0] == 0
    assert _limit(store, "clear", "co2", "--place", "Shop")[0] == 0
    assert _level(store) == {"shelf": 2, "till": 2, "sill": 2}
    assert _limit(store, "clear", "co2")[0] == 0
    code, told_again = _limit(store, "clear", "co2")
    assert (code, "no limits of co2 are set on the whole site" in told_again) == (2, True)


def test_limits_are_read_in_the_unit_shown(store: Store) -> None:
    append(store, begin_series(store), (NOON_US, 26.0))
    with store.write() as connection:
        show_in_unit(connection, QUANTITIES["temperature"], FAHRENHEIT)
    code, told = _limit(store, "set", "temperature", "--above", "severe=78")
    assert (code, "severe=78 °F" in told) == (0, True)
    assert _level(store) == {"wall": 4}


def test_what_cannot_be_set_is_said_and_changes_nothing(store: Store) -> None:
    append(store, begin_series(store, "co2", key="shelf", place="Shop"), (NOON_US, 900.0))
    for words, why in (
        (("set", "co2", "--above", "raised=900 noticed=950"), "upper limits rise"),
        (("set", "co2", "--above", "raised"), "does not say limits"),
        (("set", "co2"), "no limits were told"),
        (("set", "co3", "--above", "raised=1"), "co3"),
        (("set", "co2", "--place", "Cellar", "--above", "raised=1"), "there is no place 'Cellar'"),
        (("set", "co2", "--station", "shelf", "--place", "Shop", "--preset", "none"), "a station"),
        (("set", "co2", "--preset", "pm25-who"), "has no preset"),
        (("set", "humidity", "--station", "shelf", "--preset", "none"), "does not tell humidity"),
    ):
        code, told = _limit(store, *words)
        assert (code, why in told) == (2, True), told
    assert _level(store) == {"shelf": 1}


def test_what_is_set_is_listed_before_anything_is_measured(store: Store) -> None:
    assert rook_tally("--store", store.url, "place", "add", "House").returncode == 0
    assert _limit(store, "set", "co2", "--place", "House", "--above", "raised=900")[0] == 0
    told = _limit(store, "list")[1]
    assert "set at House: co2 above raised=900 ppm" in told
    assert "no series yet" in told


def test_limits_of_the_night_hold_by_the_clock_and_leave_the_day_as_it_is(store: Store) -> None:
    """Of co2: readings at noon and at three in the night, by the clocks of the site."""
    assert rook_tally("--store", store.url, "site", "set", "--zone", "Asia/Tokyo").returncode == 0
    night_us = NOON_US + 6 * HOUR_US  # three in the night in Tokyo, as noon is nine in the evening
    append(store, begin_series(store, "co2", key="shelf"), (NOON_US, 700.0))
    append(store, begin_series(store, "co2", key="till"), (night_us, 700.0))
    code, told = _limit(
        store, "set", "co2", "--hours", "22:00-06:00", "--above", "noticed=500 raised=600"
    )
    assert (code, "noticed=500 raised=600" in told) == (0, True)
    assert _level(store) == {"shelf": 0, "till": 2}
    # The day goes on by what comes with the quantity, and is set by itself.
    listed = next(iter(json.loads(_limit(store, "list", "--json")[1])))
    assert listed["above"] == [800.0, 1000.0, 1400.0, 2000.0]
    assert listed["at_hours"] == [
        {
            "hours": "22:00–06:00",
            "above": [500.0, 600.0, None, None],
            "below": [None, None, None, None],
        }
    ]
    assert _limit(store, "set", "co2", "--above", "high=650")[0] == 0
    assert _level(store) == {"shelf": 3, "till": 2}
    assert "22:00–06:00 above noticed=500 raised=600" in _limit(store, "list")[1]
    assert _limit(store, "clear", "co2", "--hours", "22:00-06:00")[0] == 0
    assert _level(store) == {"shelf": 3, "till": 3}
    code, why = _limit(store, "clear", "co2", "--hours", "22:00-06:00")
    assert (code != 0, "those hours" in why) == (True, True)
    assert _limit(store, "set", "co2", "--hours", "at night", "--above", "high=1")[0] != 0


def test_hours_at_a_place_leave_its_day_to_what_is_in_force_there(store: Store) -> None:
    """Outdoors nothing comes with temperatures; a shelf has what is set for its room."""
    for words in (("Yard", "--outdoors"), ("Room",), ("Shelf", "--under", "Room")):
        done = rook_tally("--store", store.url, "place", "add", *words)
        assert done.returncode == 0, done.stderr
    night = ("--hours", "22:00-06:00", "--above", "raised=30")
    assert _limit(store, "set", "temperature", "--place", "Room", "--above", "high=26")[0] == 0
    for place, wanted in (("Yard", "none"), ("Shelf", "above high=26")):
        code, told = _limit(store, "set", "temperature", "--place", place, *night)
        assert (code, f"at {place}: {wanted}" in told) == (0, True), told
