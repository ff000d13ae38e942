"""What a window hears of its store, also after a fault of ours."""

from __future__ import annotations

import time
from collections.abc import Collection

import pytest
from sqlalchemy.engine import Connection

from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.series.readings import Quality
from rook_tally.desk.data import store_feed as feed
from rook_tally.desk.data.store_feed import Picture, StoreUnavailable
from rook_tally.store.base import Store
from rook_tally.store.readings import NewReading, append_readings
from rook_tally.store.site import Series, add_series, load_site
from tests.builders import append, begin_series
from tests.desks import Desk
from tests.processes import wait_until


def test_a_fault_of_ours_is_said_and_the_window_hears_on(
    store: Store, monkeypatch: pytest.MonkeyPatch
) -> None:
    begin_series(store)
    read, failures = feed.read_picture, [ZeroDivisionError("by nothing"), KeyError("site")]

    def fail_first(*told: object, **more: object) -> Picture:
        if failures:
            raise failures.pop()
        return read(*told, **more)  # type: ignore[arg-type]

    monkeypatch.setattr(feed, "read_picture", fail_first)
    with Desk(store) as desk:
        wait_until(lambda: any(isinstance(one, Picture) for one in desk.news))
        troubles = [one.text for one in desk.news if isinstance(one, StoreUnavailable)]
    assert [one.partition("(")[0] for one in troubles[:2]] == [
        "a fault of ours: KeyError",
        "a fault of ours: ZeroDivisionError",
    ]


def test_a_series_that_begins_has_its_ribbon_read_and_no_other(
    store: Store, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Of thousands of series that is what a new one costs; what is shown is what is so."""
    first, second = begin_series(store, key="kiln"), begin_series(store, key="loft")
    now_us = time.time_ns() // 1000
    append(store, first, (now_us - 60_000_000, 20.0))
    read, asked = feed.ribbons_before, []

    def noted(connection: Connection, series: Collection[Series], at_us: int) -> object:
        asked.append({one.id for one in series})
        return read(connection, series, at_us)

    monkeypatch.setattr(feed, "ribbons_before", noted)
    with Desk(store) as desk:
        wait_until(lambda: first.id in desk.state.ribbons and second.id in desk.state.ribbons)
        asked.clear()
        with store.write() as connection:
            site = load_site(connection)
            station = next(one for one in site.stations if one.key == "kiln")
            quantity = QUANTITIES["humidity"]
            third = add_series(connection, station, field="h", quantity=quantity, unit="%")
            several = [(third, 50.0), (second, 7.0)]
            append_readings(
                connection,
                [NewReading(one.id, now_us, value, Quality.GOOD) for one, value in several],
            )
        wait_until(lambda: third.id in desk.state.ribbons)
        assert asked == [{second.id, third.id}]
        with store.read() as connection:
            wanted = read(connection, desk.state.site.series, now_us)
        for one in (first, second, third):
            shown = desk.state.ribbons[one.id]
            assert shown.count.tolist() == wanted[one.id].count.tolist()
