"""An import is written in pieces, and is one import all the same."""

from __future__ import annotations

import numpy as np
import pytest

from rook_tally.core.errors import CancelledError
from rook_tally.core.series.readings import Quality, readings_from
from rook_tally.core.site_settings import SiteSettings, TimeGrain
from rook_tally.core.timestamps import DAY_US
from rook_tally.store.base import Store
from rook_tally.store.exchange import imports as imports_module
from rook_tally.store.exchange.imports import bring_in, imports, take_back
from rook_tally.store.readings import NewReading, append_readings
from rook_tally.store.readings.append import append_history, remove_readings
from rook_tally.store.readings.query import read_raw_range
from rook_tally.store.readings.rescreening import rescreen_around
from rook_tally.store.site.configuration import settle_site
from tests.builders import NOON_US, begin_series


def test_stations_are_heard_between_two_pieces_and_their_word_stands(
    store: Store, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(imports_module, "_PIECE", 10)
    series = begin_series(store)
    time_us = NOON_US + np.arange(25, dtype=np.int64) * 1_000_000
    written = append_history

    def heard_meanwhile(connection: object, series_id: int, piece: object) -> None:
        written(connection, series_id, piece)  # type: ignore[arg-type]
        if len(piece) == 10 and not meanwhile:  # type: ignore[arg-type]
            meanwhile.append(NewReading(series.id, int(time_us[15]), 99.0, Quality.GOOD))
            append_readings(connection, meanwhile)  # type: ignore[arg-type]

    meanwhile: list[NewReading] = []
    monkeypatch.setattr(imports_module, "append_history", heard_meanwhile)
    done = bring_in(
        store, "a.csv", [(series, readings_from(time_us, np.full(25, 20.0)))], now_us=NOON_US
    )
    assert done.readings == 24
    with store.read() as connection:
        assert imports(connection)[0].readings == 24
        held = read_raw_range(connection, series.id, NOON_US, NOON_US + 60_000_000)
    assert (len(held), held.value[15]) == (25, 99.0)
    with store.write() as connection:
        assert take_back(connection, done.id, {series.id: series}) == 24
        left = read_raw_range(connection, series.id, NOON_US, NOON_US + 60_000_000)
    assert left.value.tolist() == [99.0]


def test_a_file_is_brought_in_as_finely_as_times_are_kept(store: Store) -> None:
    """The same file again, cut to milliseconds or not, brings nothing twice."""
    series = begin_series(store)
    time_us = NOON_US + np.array([0, 400, 1_500, 9_999], dtype=np.int64)
    told = [(series, readings_from(time_us, np.array([1.0, 2.0, 3.0, 4.0])))]
    with store.write() as connection:
        settle_site(connection, SiteSettings(times=TimeGrain.MILLISECOND))
    assert bring_in(store, "a.csv", told, now_us=NOON_US).readings == 3
    assert bring_in(store, "a.csv", told, now_us=NOON_US).readings == 0
    with store.read() as connection:
        held = read_raw_range(connection, series.id, NOON_US, NOON_US + 1_000_000)
    assert (held.time_us - NOON_US).tolist() == [0, 1_000, 9_000]
    assert held.value.tolist() == [2.0, 3.0, 4.0]


def test_a_file_that_is_there_already_is_not_brought_in_again_in_milliseconds(store: Store) -> None:
    """What was kept to the microsecond before stays so, and is the same reading."""
    series = begin_series(store)
    time_us = NOON_US + np.array([7, 2_345, 61_999], dtype=np.int64)
    told = [(series, readings_from(time_us, np.array([1.0, 2.0, 3.0])))]
    assert bring_in(store, "a.csv", told, now_us=NOON_US).readings == 3
    with store.write() as connection:
        settle_site(connection, SiteSettings(times=TimeGrain.MILLISECOND))
    assert bring_in(store, "a.csv", told, now_us=NOON_US).readings == 0
    with store.read() as connection:
        held = read_raw_range(connection, series.id, NOON_US, NOON_US + 1_000_000)
    assert held.time_us.tolist() == time_us.tolist()


def test_an_import_that_was_broken_off_can_be_taken_back(
    store: Store, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(imports_module, "_PIECE", 10)
    series = begin_series(store)
    time_us = NOON_US + np.arange(25, dtype=np.int64) * 1_000_000
    written, calls = append_history, []

    def broken_off(connection: object, series_id: int, piece: object) -> None:
        calls.append(piece)
        if len(calls) == 2:
            raise KeyboardInterrupt
        written(connection, series_id, piece)  # type: ignore[arg-type]

    monkeypatch.setattr(imports_module, "append_history", broken_off)
    with pytest.raises(KeyboardInterrupt):
        bring_in(
            store, "a.csv", [(series, readings_from(time_us, np.full(25, 20.0)))], now_us=NOON_US
        )
    with store.write() as connection:
        (one,) = imports(connection)
        assert take_back(connection, one.id, {series.id: series}) == 10
        assert len(read_raw_range(connection, series.id, NOON_US, NOON_US + 60_000_000)) == 0


def test_a_cancelled_import_leaves_nothing_and_takes_nothing_of_the_stations(
    store: Store, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(imports_module, "_PIECE", 10)
    series = begin_series(store)
    time_us = NOON_US + np.arange(25, dtype=np.int64) * 1_000_000

    def progress(share: float) -> None:
        if share > 0:
            # A station says meanwhile the very thing that the file was still to bring.
            with store.write() as connection:
                said = NewReading(series.id, int(time_us[15]), 20.0, Quality.GOOD)
                append_readings(connection, [said])
            raise CancelledError("cancelled")

    brought = readings_from(time_us, np.full(25, 20.0))
    with pytest.raises(CancelledError):
        bring_in(store, "a.csv", [(series, brought)], now_us=NOON_US, progress=progress)
    with store.read() as connection:
        assert imports(connection) == []
        held = read_raw_range(connection, series.id, NOON_US, NOON_US + 60_000_000)
    assert held.time_us.tolist() == [time_us[15]]


def test_what_a_file_brings_is_judged_among_what_stations_said_and_no_longer_once_taken_back(
    store: Store,
) -> None:
    series = begin_series(store)
    minute = 60_000_000
    heard = NOON_US + np.arange(20, dtype=np.int64) * minute
    with store.write() as connection:
        append_history(connection, series.id, readings_from(heard, np.full(20, 20.0)))
    # By itself one reading says nothing; among the others it is a lone spike.
    spike_us = int(heard[10]) + minute // 2
    brought = readings_from(np.array([spike_us]), np.array([60.0]))
    done = bring_in(store, "a.csv", [(series, brought)], now_us=NOON_US)

    def quality() -> dict[int, int]:
        with store.read() as connection:
            held = read_raw_range(connection, series.id, NOON_US, NOON_US + 30 * minute)
        return dict(zip(held.time_us.tolist(), held.quality.tolist(), strict=True))

    assert quality() == dict.fromkeys(heard.tolist(), 0) | {spike_us: int(Quality.LONE_SPIKE)}
    with store.write() as connection:
        take_back(connection, done.id, {series.id: series})
    assert quality() == dict.fromkeys(heard.tolist(), 0)
    # The other way round: a file shows that what a station said was a spike.
    with store.write() as connection:
        append_readings(connection, [NewReading(series.id, spike_us, 60.0, Quality.GOOD)])
        remove_readings(connection, series.id, heard)
    brought = readings_from(heard, np.full(20, 20.0))
    done = bring_in(store, "b.csv", [(series, brought)], now_us=NOON_US)
    assert quality()[spike_us] == Quality.LONE_SPIKE
    with store.write() as connection:
        take_back(connection, done.id, {series.id: series})
    assert quality() == {spike_us: int(Quality.GOOD)}


def test_a_sparse_file_is_written_a_month_at_a_time(
    store: Store, monkeypatch: pytest.MonkeyPatch
) -> None:
    # All that stations said in between is read with it, under the lock that they write by.
    lengths: list[int] = []

    def written(connection: object, series_id: int, piece: object) -> None:
        lengths.append(len(piece))  # type: ignore[arg-type]
        append_history(connection, series_id, piece)  # type: ignore[arg-type]

    monkeypatch.setattr(imports_module, "append_history", written)
    time_us = NOON_US + np.arange(75, dtype=np.int64) * DAY_US
    brought = readings_from(time_us, np.full(75, 20.0))
    assert bring_in(store, "a.csv", [(begin_series(store), brought)], now_us=NOON_US).readings == 75
    assert lengths == [30, 30, 15]


def test_an_import_that_was_screened_keeps_its_qualities_and_what_is_set_aside_stays_so(
    store: Store,
) -> None:
    series = begin_series(store)
    minute = 60_000_000
    moments = NOON_US + np.arange(20, dtype=np.int64) * minute
    quality = np.full(20, int(Quality.GOOD))
    quality[5], quality[10] = Quality.SET_ASIDE, Quality.LONE_SPIKE
    brought = readings_from(moments, np.full(20, 20.0), quality)
    bring_in(store, "own.csv", [(series, brought)], now_us=NOON_US, is_screened=True)

    def held() -> list[int]:
        with store.read() as connection:
            found = read_raw_range(connection, series.id, NOON_US, NOON_US + 20 * minute)
        return [int(one) for one in found.quality]

    assert held() == quality.tolist()
    # A spike told late makes the stretch around it be judged anew.
    late = NewReading(series.id, int(moments[6]) + 1, 60.0, Quality.GOOD)
    with store.write() as connection:
        append_readings(connection, [late])
        rescreen_around(connection, [series], {series.id: [late.time_us]})
    assert (held()[5], held()[7]) == (Quality.SET_ASIDE, Quality.LONE_SPIKE)
    assert held()[11] == Quality.GOOD
