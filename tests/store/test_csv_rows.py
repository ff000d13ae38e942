"""Readings as rows for files: day by day, as stored or as shown, and files put in place whole."""

from __future__ import annotations

from pathlib import Path

import pytest

from rook_tally.core.errors import RookTallyError
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.quantities.unit import FAHRENHEIT
from rook_tally.core.timestamps import DAY_US
from rook_tally.store.base import Store
from rook_tally.store.exchange.csv_rows import HEADER, days_of_rows, whole_file
from rook_tally.store.readings import latest_written
from rook_tally.store.site import load_site, show_in_unit
from tests.builders import MINUTE_US, NOON_US, append, begin_series


def test_rows_come_day_by_day_in_order_of_time(store: Store) -> None:
    for key in ("wall", "shelf"):
        series = begin_series(store, key=key, place=key.title())
        append(store, series, *((NOON_US + at * DAY_US // 2, 20.0 + at) for at in range(4)))
    with store.read() as connection:
        chosen = load_site(connection).series
        days = list(days_of_rows(store.read, chosen, None, None))
    assert [len(day) for day in days] == [4, 4]
    times = [str(row[0]) for day in days for row in day]
    assert times == sorted(times)
    assert dict(zip(HEADER, days[0][0], strict=True)) == {
        "time": "2026-11-23T12:00:00.000000Z",
        "place": "Wall",
        "station": "wall",
        "field": "temperature",
        "quantity": "temperature",
        "value": "20.0",
        "unit": "°C",
        "quality": "good",
    }


def test_rows_as_they_are_shown(store: Store) -> None:
    append(store, begin_series(store), (NOON_US, 100.0))
    with store.write() as connection:
        show_in_unit(connection, QUANTITIES["temperature"], FAHRENHEIT)
    with store.read() as connection:
        chosen = load_site(connection).series
        ((shown,),) = days_of_rows(store.read, chosen, None, None, as_shown=True)
        ((stored,),) = days_of_rows(store.read, chosen, None, None)
    assert float(str(shown[5])) == pytest.approx(212.0)
    assert shown[6] == "°F"
    assert (float(str(stored[5])), stored[6]) == (100.0, "°C")


def test_a_file_given_up_halfway_is_left_as_it_was(tmp_path: Path) -> None:
    path = tmp_path / "readings.csv"
    path.write_text("before")

    def half() -> None:
        with whole_file(path) as target:
            target.write("half of it")
            raise KeyError("given up")

    with pytest.raises(KeyError):
        half()
    assert path.read_text() == "before"
    assert [one.name for one in tmp_path.iterdir()] == ["readings.csv"]
    with whole_file(path) as target:
        target.write("all of it")
    assert path.read_text() == "all of it"


def test_a_folder_that_is_not_there_is_named(tmp_path: Path) -> None:
    with pytest.raises(RookTallyError, match="cannot be written"), whole_file(tmp_path / "no/x"):
        pass


def test_just_written_readings_are_found_by_moment(store: Store) -> None:
    series = begin_series(store)
    append(store, series, (NOON_US, 20.0), (NOON_US + MINUTE_US, 21.0))
    with store.read() as connection:
        told = latest_written(
            connection, [(series.id, NOON_US + MINUTE_US), (series.id, NOON_US), (99, NOON_US)]
        )
    assert {key: (one.time_us, one.value) for key, one in told.items()} == {
        series.id: (NOON_US + MINUTE_US, 21.0)
    }
