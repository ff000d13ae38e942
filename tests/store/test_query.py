"""Queries: newest, envelopes and gaps agree with what was appended."""

from __future__ import annotations

import numpy as np
import pytest

from rook_tally.core.series.corrections import Correction
from rook_tally.core.series.readings import Quality, readings_from
from rook_tally.core.timestamps import DAY_US
from rook_tally.store.base import Store
from rook_tally.store.readings import (
    NewReading,
    append_history,
    append_readings,
    append_sealed,
    envelopes,
    gaps_between,
    history_of,
    latest,
    latest_rows,
    span_of,
)
from rook_tally.store.site.corrections import add_correction
from tests.builders import MINUTE_US, NOON_US, append, begin_series


def test_latest_as_of_a_moment(store: Store) -> None:
    first, second = begin_series(store), begin_series(store, "humidity")
    append(store, first, (NOON_US, 20.0), (NOON_US + 10, 21.0))
    append(store, second, (NOON_US + 10, 55.0))
    with store.read() as connection:
        assert {key: one.value for key, one in latest(connection).items()} == {
            first.id: 21.0,
            second.id: 55.0,
        }
        assert latest(connection, until_us=NOON_US)[first.id].value == 20.0
        assert second.id not in latest(connection, until_us=NOON_US)
        assert list(latest(connection, [second.id])) == [second.id]


def test_latest_of_all_is_that_of_each_wherever_it_lies(store: Store) -> None:
    """In pages alone, in a row newer than all pages, in a page behind a late row, and corrected."""
    sealed, fresh, late, never = (
        begin_series(store, name) for name in ("temperature", "humidity", "co2", "pressure")
    )
    days = NOON_US + np.arange(3, dtype=np.int64) * DAY_US
    with store.write() as connection:
        for one in (sealed, late):
            told = readings_from(days, np.arange(3) + 1.0)
            append_sealed(connection, history_of(one, told, before_us=NOON_US + 9 * DAY_US))
        correction = Correction(NOON_US, 2.0, 1.0)
        add_correction(connection, sealed.id, correction, who="wren", why="ice", now_us=NOON_US)
    append(store, late, (NOON_US + MINUTE_US, 9.0))
    append(store, fresh, (NOON_US + 8 * DAY_US, 55.0))
    with store.read() as connection:
        for until_us in (None, NOON_US + DAY_US, NOON_US + 2 * MINUTE_US, NOON_US - 1):
            together = latest(connection, until_us=until_us)
            alone = latest(
                connection, [one.id for one in (sealed, fresh, late, never)], until_us=until_us
            )
            assert together == alone
        values = {key: one.value for key, one in latest(connection).items()}
    assert values == {sealed.id: 7.0, fresh.id: 55.0, late.id: 3.0}


def test_span(store: Store) -> None:
    with store.read() as connection:
        assert span_of(connection) is None
    series = begin_series(store)
    append(store, series, (NOON_US, 1.0), (NOON_US + 7, 2.0))
    with store.read() as connection:
        assert span_of(connection) == (NOON_US, NOON_US + 7)


def test_envelope_agrees_with_numpy(store: Store) -> None:
    series = begin_series(store)
    rng = np.random.default_rng(3)
    times = NOON_US + np.sort(rng.choice(3_600_000_000, 500, replace=False))
    values = rng.normal(20, 3, 500)
    with store.write() as connection:
        append_history(connection, series.id, readings_from(times, values))
    with store.read() as connection:
        envelope = envelopes(connection, [series], NOON_US, NOON_US + 3_600_000_000, 12)[series.id]
    for column in range(12):
        mine = values[(times - NOON_US) // 300_000_000 == column]
        assert envelope.count[column] == len(mine)
        assert envelope.low[column] == pytest.approx(mine.min(), rel=1e-14)
        assert envelope.high[column] == pytest.approx(mine.max(), rel=1e-14)
        assert envelope.mean[column] == pytest.approx(mine.mean())


def test_suspect_readings_are_counted_and_left_out(store: Store) -> None:
    series = begin_series(store)
    with store.write() as connection:
        append_readings(
            connection,
            [
                NewReading(series.id, NOON_US, 20.0, Quality.GOOD),
                NewReading(series.id, NOON_US + 1, 999.0, Quality.UNBELIEVABLE),
            ],
        )
    with store.read() as connection:
        envelope = envelopes(connection, [series], NOON_US, NOON_US + 10, 1)[series.id]
    assert (envelope.high[0], envelope.count[0], envelope.suspect[0]) == (20.0, 1, 1)


def test_every_series_gets_an_envelope(store: Store) -> None:
    series = begin_series(store)
    with store.read() as connection:
        assert envelopes(connection, [series], 0, 100, 5)[series.id].is_empty
        assert envelopes(connection, [], 0, 100, 5) == {}
        with pytest.raises(ValueError, match="no window"):
            envelopes(connection, [series], 100, 100, 5)


def _gaps(store: Store, minutes: list[float], start: float, end: float) -> list[list[float]]:
    """Gaps of a series with these readings (a cadence of one minute), in minutes."""
    series = begin_series(store)
    append(store, series, *((NOON_US + round(at * MINUTE_US), 1.0) for at in minutes))
    with store.read() as connection:
        gaps = gaps_between(
            connection, series, NOON_US + round(start * MINUTE_US), NOON_US + round(end * MINUTE_US)
        )
    result: list[list[float]] = ((gaps - NOON_US) / MINUTE_US).tolist()
    return result


def test_gaps_between_readings_and_at_both_ends(store: Store) -> None:
    assert _gaps(store, [10, 11, 20, 21], 0, 30) == [[0, 10], [11, 20], [21, 30]]


def test_exactly_three_cadences_is_no_gap(store: Store) -> None:
    assert _gaps(store, [0, 3, 6.01, 9], 0, 9) == [[3, 6.01]]


def test_a_reading_just_outside_joins_on(store: Store) -> None:
    assert _gaps(store, [-1, 1, 2, 4], 0, 3) == []


def test_a_gap_that_reaches_over_the_edge_is_clipped(store: Store) -> None:
    assert _gaps(store, [-30, 5, 6, 40], 0, 10) == [[0, 5], [6, 10]]


def test_nothing_heard_is_one_gap(store: Store) -> None:
    assert _gaps(store, [], 0, 10) == [[0, 10]]


def test_latest_rows_say_it_all(store: Store) -> None:
    series = begin_series(store, "co2")
    append(store, series, (NOON_US, 1033.0))
    with store.read() as connection:
        (row,) = latest_rows(connection, now_us=NOON_US + 9_500_000)
    assert (row.place, row.station, row.quantity, row.value, row.unit, row.quality) == (
        "Throwing room",
        "wall",
        "co2",
        1033.0,
        "ppm",
        "good",
    )
    assert (row.time, row.level, row.age_s) == ("2026-11-23T12:00:00.000000Z", 2, 9.5)
