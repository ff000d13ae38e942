"""Earlier readings are marked when later ones make it certain, and a person can overrule."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import Any

import numpy as np
import pytest

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.kinds import PLAIN
from rook_tally.core.series.readings import Quality, Readings, readings_from
from rook_tally.core.series.screening import screened
from rook_tally.core.timestamps import DAY_US
from rook_tally.intake.message import Message
from rook_tally.intake.pipeline.batch_writer import receive
from rook_tally.intake.pipeline.clock_drift import Clocks
from rook_tally.intake.pipeline.resolve import IntakeSession
from rook_tally.store.base import Store
from rook_tally.store.readings import (
    append_history,
    append_sealed,
    damaged_pages,
    envelopes,
    history_of,
    overrule,
    overrulings,
    read_range,
    seal,
    withdraw_overruling,
)
from rook_tally.store.readings import rescreening as judging
from rook_tally.store.site import Series, add_station, load_site, tallies
from tests.builders import MINUTE_US, NOON_US, begin_series

MIDNIGHT_US = NOON_US // DAY_US * DAY_US


def _send(store: Store, quantity: str, values: list[float], order: list[int] | None = None) -> None:
    """One message a minute, each received in a transaction of its own."""
    directory = IntakeSession()
    for at in order if order is not None else range(len(values)):
        moment = NOON_US + at * MINUTE_US
        body = json.dumps({"time": moment / 1e6, quantity: values[at]}).encode()
        receive(store, directory, Clocks(), [Message("mqtt", "", body, moment, station="a")])


@pytest.fixture
def station(store: Store) -> None:
    with store.write() as connection:
        add_station(connection, "a", place="Hall", kind=PLAIN)


def _qualities(store: Store) -> list[Quality]:
    with store.read() as connection:
        (series,) = load_site(connection).series
        readings = read_range(connection, series.id, 0, 2**62)
    return [Quality(one) for one in readings.quality.tolist()]


def test_a_lone_zero_is_marked_when_the_next_reading_comes(store: Store, station: None) -> None:
    _send(store, "humidity", [48.0, 47.5, 0.0])
    assert _qualities(store) == [Quality.GOOD] * 3
    _send(store, "humidity", [48.0, 47.5, 0.0, 48.2])
    assert _qualities(store) == [Quality.GOOD, Quality.GOOD, Quality.LONE_ZERO, Quality.GOOD]
    with store.read() as connection:
        (tally,) = tallies(connection).values()
    assert (tally.kept, tally.suspect) == (4, 1)


def test_a_lone_spike_is_marked_in_the_end(store: Store, station: None) -> None:
    values = [20.1, 20.2, 20.1, 20.0, 20.1, 44.0, 20.1, 20.2, 20.1, 20.2]
    _send(store, "temperature", values)
    assert _qualities(store)[5] is Quality.LONE_SPIKE
    assert _qualities(store).count(Quality.GOOD) == 9


def test_late_readings_change_the_verdict_too(store: Store, station: None) -> None:
    """The readings after the zero come first; the zero itself is forwarded late."""
    values = [48.0, 47.0, 0.0, 48.0, 49.0]
    _send(store, "humidity", values, order=[0, 1, 3, 4, 2])
    assert _qualities(store)[2] is Quality.LONE_ZERO


def test_what_lies_between_late_readings_and_new_ones_is_not_read(
    store: Store, station: None, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A lone zero of weeks ago and one of now, made certain by one message."""
    weeks = 20_000
    _send(store, "co2", [620.0, 0.0, 0.0, 625.0], order=[0])
    with store.write() as connection:
        (series,) = load_site(connection).series
        minutes = np.arange(1, weeks)
        values = 620.0 + minutes % 5
        values[[10, -1]] = 0.0
        # What stood right after the first zero comes late.
        there = minutes != 12
        times_us = NOON_US + minutes[there] * MINUTE_US
        append_history(connection, series.id, readings_from(times_us, values[there]))
    most_read = 0
    readings_of = judging._readings

    def counted(rows: Sequence[Sequence[Any]]) -> Readings:
        nonlocal most_read
        most_read = max(most_read, len(rows))
        return readings_of(rows)

    monkeypatch.setattr(judging, "_readings", counted)
    body = [
        {"time": (NOON_US + at * MINUTE_US) / 1e6, "co2": 622.0}
        for at in (12, weeks, weeks + 1, weeks + 2)
    ]
    moment = NOON_US + (weeks + 2) * MINUTE_US
    whole = Message("mqtt", "", json.dumps(body).encode(), moment, station="a")
    receive(store, IntakeSession(), Clocks(), [whole])
    with store.read() as connection:
        kept = read_range(connection, series.id, 0, 2**62)
    assert kept.value[kept.quality == Quality.LONE_ZERO].tolist() == [0.0, 0.0]
    assert 0 < most_read < 100


@pytest.mark.parametrize("after", range(26, 40))
def test_a_late_reading_takes_no_mark_from_what_lies_far_behind_it(
    store: Store, station: None, after: int
) -> None:
    """What is read around it ends somewhere, maybe right at a spike that was marked long ago."""
    values = [620.0 + at % 5 for at in range(100)]
    values[20 + after] = 4_000.0
    _send(store, "co2", values, order=[at for at in range(100) if at != 20])
    assert _qualities(store).count(Quality.LONE_SPIKE) == 1
    _send(store, "co2", values, order=[20])
    assert _qualities(store).count(Quality.LONE_SPIKE) == 1


def test_live_marks_are_those_of_a_look_back(store: Store, station: None) -> None:
    rng = np.random.default_rng(11)
    values = np.round(50 + rng.normal(0, 0.5, 120), 1)
    values[[17, 40, 41, 77]] = 0.0
    values[[60, 99]] = 95.0
    _send(store, "humidity", values.tolist())
    with store.read() as connection:
        (series,) = load_site(connection).series
        kept = read_range(connection, series.id, 0, 2**62)
    again = screened(kept, series.quantity, max_gap_s=180)
    assert kept.quality.tolist() == again.tolist()
    assert set(np.unique(again).tolist()) == {0, Quality.LONE_ZERO, Quality.LONE_SPIKE}


def test_a_stuck_value_is_marked_whole_once_it_is_certain(store: Store, station: None) -> None:
    """Six hours without a move make it certain; the moves before and after are good."""
    moving = np.round(50 + np.random.default_rng(3).normal(0, 1, 40), 1).tolist()
    values = [*moving, *[51.7] * 365, *moving]
    _send(store, "sound_level", values)
    with store.read() as connection:
        (series,) = load_site(connection).series
        kept = read_range(connection, series.id, 0, 2**62)
        (tally,) = tallies(connection).values()
    again = screened(kept, series.quantity, max_gap_s=180)
    assert kept.quality.tolist() == again.tolist()
    assert np.flatnonzero(again == Quality.STUCK).tolist() == list(range(40, 405))
    assert tally.suspect == 365


def test_a_late_reading_that_moves_ends_what_seemed_stuck(store: Store, station: None) -> None:
    values = [51.7] * 400
    values[200] = 52.9
    order = [at for at in range(400) if at != 200]
    _send(store, "sound_level", values, order=order)
    assert _qualities(store).count(Quality.STUCK) == 399
    _send(store, "sound_level", values, order=[200])
    assert _qualities(store) == [Quality.GOOD] * 400


@pytest.fixture
def series(store: Store) -> Series:
    """Two days of noise, a lone zero on each; the first day sealed."""
    one = begin_series(store, "sound_level")
    times = MIDNIGHT_US + np.arange(2 * 1440) * MINUTE_US
    values = np.round(50 + np.random.default_rng(5).normal(0, 1, len(times)), 1)
    values[[700, 2100]] = 0.0
    raw = readings_from(times, values)
    judged = Readings(times, values, screened(raw, one.quantity, max_gap_s=180))
    with store.write() as connection:
        append_sealed(connection, history_of(one, judged, before_us=MIDNIGHT_US + DAY_US))
    return one


def _suspect(store: Store, series: Series) -> tuple[int, int, float]:
    """Suspect readings by range and by envelope, and the lowest that counts."""
    with store.read() as connection:
        readings = read_range(connection, series.id, 0, 2**62)
        envelope = envelopes(connection, [series], MIDNIGHT_US, MIDNIGHT_US + 2 * DAY_US, 2)[
            series.id
        ]
        assert damaged_pages(connection) == []
    return (
        int(np.count_nonzero(readings.quality)),
        int(envelope.suspect.sum()),
        float(np.nanmin(envelope.low)),
    )


def test_a_person_can_overrule_in_pages_and_rows(store: Store, series: Series) -> None:
    assert _suspect(store, series)[:2] == (2, 2)
    with store.write() as connection:
        number = overrule(
            connection,
            series,
            MIDNIGHT_US,
            MIDNIGHT_US + 2 * DAY_US,
            Quality.GOOD,
            who="Ada",
            why="the microphone was unplugged, silence is right",
        )
    assert _suspect(store, series) == (0, 0, 0.0)
    with store.read() as connection:
        (entry,) = overrulings(connection, series.id)
    assert (entry.who, entry.quality) == ("Ada", Quality.GOOD)
    with store.write() as connection:
        withdraw_overruling(connection, series, number)
    assert _suspect(store, series)[:2] == (2, 2)
    assert _suspect(store, series)[2] > 40


def test_a_person_can_set_a_stretch_aside(store: Store, series: Series) -> None:
    with store.write() as connection:
        overrule(
            connection,
            series,
            MIDNIGHT_US + DAY_US - 10 * MINUTE_US,
            MIDNIGHT_US + DAY_US + 10 * MINUTE_US,
            Quality.UNBELIEVABLE,
            who="Ada",
            why="drill",
        )
        with pytest.raises(UsageError, match="was overruled before; that stands; withdraw"):
            overrule(connection, series, 0, 2**60, Quality.GOOD, who="Bo", why="")
        with pytest.raises(UsageError, match="the stretch is empty"):
            overrule(connection, series, 5, 5, Quality.GOOD, who="Bo", why="")
        with pytest.raises(UsageError, match="there is no overruling 99"):
            withdraw_overruling(connection, series, 99)
    assert _suspect(store, series)[:2] == (22, 22)
    assert seal(store, series, MIDNIGHT_US + DAY_US)
    assert _suspect(store, series)[:2] == (22, 22)


def test_screening_does_not_speak_against_a_person(store: Store, station: None) -> None:
    _send(store, "humidity", [48.0, 47.5, 0.0])
    with store.write() as connection:
        (one,) = load_site(connection).series
        overrule(connection, one, 0, 2**62, Quality.GOOD, who="Ada", why="a desert")
    _send(store, "humidity", [48.0, 47.5, 0.0, 48.2, 48.0])
    assert set(_qualities(store)) == {Quality.GOOD}
