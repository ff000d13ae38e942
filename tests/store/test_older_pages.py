"""Pages of older formats become today's, and say what they said."""

from __future__ import annotations

import base64
from typing import Any

import numpy as np
import pytest
import sqlalchemy as sa

from rook_tally.core.series.page_codec import decode
from rook_tally.core.series.readings import Quality, Readings, readings_from
from rook_tally.core.timestamps import DAY_US, HOUR_US
from rook_tally.store.base import Store, schema
from rook_tally.store.readings import (
    NewReading,
    Stretch,
    append_readings,
    append_sealed,
    bring_over,
    damaged_pages,
    envelopes,
    history_of,
    older_pages,
    pages_to_bring_over,
    read_raw_range,
)
from rook_tally.store.readings.older_pages import are_brought_over, note_brought_over
from rook_tally.store.readings.pages import page_rows
from rook_tally.store.readings.quality_overrides import overrule
from rook_tally.store.site import Series, load_site
from tests.builders import MINUTE_US, NOON_US, begin_series
from tests.core.series.test_page_format_1 import OLD
from tests.store.pages_apart import all_pages, write_apart

MIDNIGHT_US = NOON_US // DAY_US * DAY_US
DAYS = 3


def seal(store: Store, series: Series, readings: Readings) -> None:
    after_us = int(readings.time_us[-1]) + 2 * DAY_US
    with store.write() as connection:
        append_sealed(connection, history_of(series, readings, before_us=after_us))


def pages_of(store: Store) -> list[dict[str, Any]]:
    with store.read() as connection:
        return all_pages(connection)


def make_older(store: Store, **values: Any) -> None:
    """Give every page what an older program would have given it."""
    with store.write() as connection:
        write_apart(connection, all_pages(connection), **values)


def listed(store: Store) -> list[Stretch]:
    with store.read() as connection:
        (series,) = load_site(connection).series
        return pages_to_bring_over(connection, Stretch(series.id, -1), 100)


@pytest.fixture
def series(store: Store) -> Series:
    """Three sealed days at a minute, twenty minutes of the second suspect, an hour missing."""
    series = begin_series(store)
    at = MIDNIGHT_US + np.arange(DAYS * 1440, dtype=np.int64) * MINUTE_US
    at = at[(at < MIDNIGHT_US + 30 * HOUR_US) | (at >= MIDNIGHT_US + 31 * HOUR_US)]
    value = np.round(20 + np.random.default_rng(4).normal(0, 1, len(at)), 2)
    marks = ((at >= MIDNIGHT_US + DAY_US) & (at < MIDNIGHT_US + DAY_US + 20 * MINUTE_US)).astype(
        np.uint8
    )
    seal(store, series, readings_from(at, value, marks))
    return series


def test_a_day_of_minutes_has_its_hours(store: Store, series: Series) -> None:
    """By them a window of many days is told as by the readings, hour by hour."""
    assert [(row["count"], row["hours"], row["buckets"]) for row in pages_of(store)] == [
        (1440, None, None),
        (1380, None, None),
        (1440, None, None),
    ]
    assert all(row["packed_hours"] is not None for row in pages_of(store))
    assert listed(store) == []
    end_us = MIDNIGHT_US + DAYS * DAY_US
    with store.read() as connection:
        told = envelopes(connection, [series], MIDNIGHT_US, end_us, DAYS * 24)[series.id]
        readings = read_raw_range(connection, series.id, MIDNIGHT_US, end_us)
    for hour in range(DAYS * 24):
        mine = readings[
            int(np.searchsorted(readings.time_us, MIDNIGHT_US + hour * HOUR_US)) : int(
                np.searchsorted(readings.time_us, MIDNIGHT_US + (hour + 1) * HOUR_US)
            )
        ]
        good = mine.value[mine.good]
        assert (told.count[hour], told.suspect[hour]) == (len(good), len(mine) - len(good))
        if len(good):
            assert told.low[hour] == pytest.approx(good.min(), abs=1e-5)
            assert told.high[hour] == pytest.approx(good.max(), abs=1e-5)
            assert told.mean[hour] == pytest.approx(good.mean(), abs=0.05)


def test_pages_without_hours_are_given_them(store: Store, series: Series) -> None:
    before = pages_of(store)
    make_older(store, packed_hours=None)
    # Of each fortnight its last day.
    fortnights = [Stretch(series.id, MIDNIGHT_US + (DAYS - 1) * DAY_US)]
    assert listed(store) == fortnights
    with store.read() as connection:
        first = Stretch(series.id, MIDNIGHT_US)
        assert pages_to_bring_over(connection, first, 1) == fortnights
        assert pages_to_bring_over(connection, fortnights[0], 1) == []
    assert all(bring_over(store, series, one.start_us) for one in fortnights)
    assert pages_of(store) == before
    assert listed(store) == []


@pytest.mark.parametrize("name", ["even", "jitter"])
def test_payloads_of_format_1_become_todays(store: Store, name: str) -> None:
    written, readings = OLD[name]
    old = base64.b64decode(written)
    series = begin_series(store)
    seal(store, series, readings)
    make_older(store, payload=old)
    (day,) = listed(store)
    assert bring_over(store, series, day.start_us)
    (page,) = pages_of(store)
    assert page["payload"] != old
    assert decode(page["payload"]).value.tolist() == readings.value.tolist()
    assert (page["packed_hours"], listed(store)) == (None, [])
    with store.read() as connection:
        assert damaged_pages(connection) == []


def test_once_through_it_is_written_down(store: Store) -> None:
    with store.write() as connection:
        assert not are_brought_over(connection)
        note_brought_over(connection)
        note_brought_over(connection)
        assert are_brought_over(connection)
        # Of an older format they were, and are to be gone through again.
        connection.execute(
            sa.update(schema.meta).where(schema.meta.c.key == "pages_format").values(value="26")
        )
        assert not are_brought_over(connection)


def test_a_day_that_waits_to_be_sealed_anew_is_left(store: Store, series: Series) -> None:
    make_older(store, packed_hours=None)
    late = NewReading(series.id, MIDNIGHT_US + 30 * HOUR_US + 1, 21.0, Quality.GOOD)
    with store.write() as connection:
        append_readings(connection, [late])
    before = pages_of(store)
    assert not bring_over(store, series, MIDNIGHT_US + DAY_US)
    assert pages_of(store) == before


def test_what_is_judged_meanwhile_puts_it_off(
    store: Store, series: Series, monkeypatch: pytest.MonkeyPatch
) -> None:
    make_older(store, packed_hours=None)
    moment = MIDNIGHT_US + HOUR_US

    def made_while_judged(*made: Any) -> Any:
        with store.write() as connection:
            overrule(connection, series, moment, moment + 1, Quality.SET_ASIDE, who="w", why="")
        return page_rows(*made)

    monkeypatch.setattr(older_pages, "page_rows", made_while_judged)
    assert not bring_over(store, series, MIDNIGHT_US)


def test_hours_go_with_the_readings_they_told_of(store: Store) -> None:
    """A day of 2,160 readings has plain hours; sealed anew with half of them it has none left."""
    series = begin_series(store)
    at = MIDNIGHT_US + np.arange(2160, dtype=np.int64) * 40_000_000
    dense = readings_from(at, np.full(len(at), 30.0))
    seal(store, series, dense)
    assert pages_of(store)[0]["hours"] is not None
    sparse = dense[::3]
    seal(store, series, Readings(sparse.time_us, sparse.value - 10, sparse.quality))
    (page,) = pages_of(store)
    assert (page["count"], page["hours"], page["packed_hours"]) == (720, None, None)
    with store.read() as connection:
        assert damaged_pages(connection) == []
        told = envelopes(connection, [series], MIDNIGHT_US, MIDNIGHT_US + DAY_US, 24)[series.id]
        rows = connection.scalar(sa.select(sa.func.count()).select_from(schema.page_hours))
    assert (rows, told.high.tolist()) == (0, [20.0] * 24)
