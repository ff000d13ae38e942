"""The store while others change it: sealed anew, overruled, imported and taken back meanwhile."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest

from rook_tally.core.series.readings import Quality, readings_from
from rook_tally.core.timestamps import DAY_US, HOUR_US, time_us_from_text
from rook_tally.store.base import Store
from rook_tally.store.exchange.imports import bring_in, take_back
from rook_tally.store.readings import (
    NewReading,
    append_history,
    append_readings,
    overrule,
    read_raw_range,
    seal,
    sealing,
)
from rook_tally.store.readings.thinned import pages_anew
from rook_tally.store.site import Series
from tests.builders import MINUTE_US
from tests.ways_in import WayIn

DAY = time_us_from_text("2026-11-10T00:00:00Z")


def _set_aside(store: Store, series: Series, _number: int) -> None:
    with store.write() as connection:
        overrule(
            connection,
            series,
            DAY + HOUR_US,
            DAY + 2 * HOUR_US,
            Quality.SET_ASIDE,
            who="Wren",
            why="",
        )


def _taken_back(store: Store, series: Series, number: int) -> None:
    with store.write() as connection:
        take_back(connection, number, {series.id: series})


@pytest.mark.parametrize("change", [_set_aside, _taken_back])
def test_a_day_changed_while_it_is_sealed_anew_keeps_the_change(
    store: Store, monkeypatch: pytest.MonkeyPatch, change: Callable[[Store, Series, int], None]
) -> None:
    way = WayIn(store)
    series = way.begin("temperature")
    time_us = DAY + np.arange(1440, dtype=np.int64) * MINUTE_US
    with store.write() as connection:
        append_history(connection, series.id, readings_from(time_us, np.full(1440, 20.0)))
    brought = readings_from(time_us + MINUTE_US // 2, np.full(1440, 21.0))
    number = bring_in(store, "a.csv", [(series, brought)], now_us=DAY).id
    way.seal(DAY + 5 * DAY_US)
    with store.write() as connection:
        late = NewReading(series.id, DAY + 1, 20.0, Quality.GOOD)
        append_readings(connection, [late])

    def in_between(*words: object) -> object:
        rows = pages_anew(*words)  # type: ignore[arg-type]
        change(store, series, number)
        return rows

    monkeypatch.setattr(sealing, "pages_anew", in_between)
    assert not seal(store, series, DAY)
    monkeypatch.undo()
    way.seal(DAY + 5 * DAY_US)
    with store.read() as connection:
        found = read_raw_range(connection, series.id, DAY + HOUR_US, DAY + 2 * HOUR_US)
    if change is _set_aside:
        assert set(found.quality.tolist()) == {int(Quality.SET_ASIDE)}
    else:
        assert set(found.value.tolist()) == {20.0}
