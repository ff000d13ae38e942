"""Readings and fields that a person deletes, and has back."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from rook_tally.core.errors import UsageError
from rook_tally.core.series.readings import Readings, readings_from
from rook_tally.core.timestamps import DAY_US
from rook_tally.store.alarms.change_undo import take_changes_back
from rook_tally.store.base import Store
from rook_tally.store.readings import append_history, damaged_pages, read_range, seal_all
from rook_tally.store.readings.deletion import (
    delete_readings,
    deletions,
    forget_deleted,
    restore_readings,
)
from rook_tally.store.site import Series, load_site
from rook_tally.store.site.row_changes import recording
from rook_tally.store.site.series_removal import remove_series, restore_series
from rook_tally.store.site.station_lives import removed_stations
from tests.builders import MINUTE_US, NOON_US, append, begin_series
from tests.examples import examples

START_US = NOON_US - 4 * DAY_US
MINUTES = 3 * 1440


def _kept(store: Store, series: Series) -> Readings:
    with store.read() as connection:
        assert damaged_pages(connection) == []
        return read_range(connection, series.id, 0, 2**62)


def _begun(store: Store, key: str = "wall") -> Series:
    series = begin_series(store, key=key)
    at = START_US + np.arange(MINUTES // 5) * 5 * MINUTE_US
    with store.write() as connection:
        append_history(connection, series.id, readings_from(at, np.round(np.sin(at / 3e9), 3)))
    return series


@settings(max_examples=examples(4), suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(begin=st.integers(0, MINUTES - 10), length=st.integers(6, 2000), is_sealed=st.booleans())
def test_what_is_deleted_is_gone_and_comes_back_as_it_was(
    store: Store, begin: int, length: int, is_sealed: bool
) -> None:
    with store.read() as connection:
        number = len(load_site(connection).stations)
    series = _begun(store, f"n{number}")
    if is_sealed:
        seal_all(store, {series.id: series}, now_us=NOON_US)
    before = _kept(store, series)
    from_us = START_US + begin * MINUTE_US
    to_us = from_us + length * MINUTE_US
    with store.write() as connection:
        gone = delete_readings(connection, series, from_us, to_us, who="Wren", now_us=NOON_US)
    left = _kept(store, series)
    outside = (before.time_us < from_us) | (before.time_us >= to_us)
    assert left.time_us.tolist() == before.time_us[outside].tolist()
    assert gone.count == len(before) - len(left)
    with store.write() as connection:
        restore_readings(connection, series, gone.number)
        assert deletions(connection) == []
    after = _kept(store, series)
    for name in ("time_us", "value", "quality"):
        assert getattr(after, name).tolist() == getattr(before, name).tolist()


def test_what_came_meanwhile_stays_and_after_a_month_it_is_gone(store: Store) -> None:
    series = begin_series(store)
    append(store, series, (NOON_US, 20.0), (NOON_US + MINUTE_US, 21.0))
    with store.write() as connection:
        gone = delete_readings(
            connection, series, NOON_US, NOON_US + DAY_US, who="Wren", now_us=NOON_US
        )
    append(store, series, (NOON_US, 25.0))
    with store.write() as connection:
        assert restore_readings(connection, series, gone.number) == 1
    assert _kept(store, series).value.tolist() == [25.0, 21.0]
    with store.write() as connection:
        gone = delete_readings(connection, series, NOON_US, NOON_US + 1, who="Wren", now_us=NOON_US)
        assert forget_deleted(connection, NOON_US) == 0
        assert forget_deleted(connection, NOON_US + 1) == 1
        with pytest.raises(UsageError, match="nothing deleted"):
            restore_readings(connection, series, gone.number)
        with pytest.raises(UsageError, match="no reading"):
            delete_readings(connection, series, 0, 5, who="Wren", now_us=NOON_US)


def test_a_field_is_removed_and_had_back(store: Store) -> None:
    series = _begun(store)
    other = begin_series(store, "humidity")
    before = _kept(store, series)
    with store.write() as connection, recording(connection) as made:
        remove_series(connection, series, now_us=NOON_US)
    with store.write() as connection:
        assert [one.field for one in load_site(connection).series] == [other.field]
        take_changes_back(connection, made.changes)
        assert len(load_site(connection).series) == 2
        remove_series(connection, series, now_us=NOON_US)
        restore_series(connection, series.station, "temperature")
        assert len(load_site(connection).stations) == 1
        with pytest.raises(UsageError, match="was removed"):
            restore_series(connection, series.station, "temperature")
        remove_series(connection, series, now_us=NOON_US)
    again = begin_series(store)
    with store.write() as connection:
        with pytest.raises(UsageError, match="begun another"):
            restore_series(connection, series.station, "temperature")
        remove_series(connection, again, now_us=NOON_US + 1_000_000)
    assert _kept(store, series).value.tolist() == before.value.tolist()
    # A field is no station: nobody has it back as one.
    with store.read() as connection:
        assert removed_stations(connection) == {}
