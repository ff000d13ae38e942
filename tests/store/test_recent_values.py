"""What a writer knows of the last readings spares looks into the store, and changes nothing."""

from __future__ import annotations

import enum
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import HealthCheck, example, given, settings
from hypothesis import strategies as st

from rook_tally.core.quantities.kinds import PLAIN
from rook_tally.core.series.readings import Quality
from rook_tally.core.series.screening import SCREENED_TAIL
from rook_tally.intake.message import Message
from rook_tally.intake.pipeline.batch_writer import receive
from rook_tally.intake.pipeline.clock_drift import Clocks
from rook_tally.intake.pipeline.resolve import IntakeSession
from rook_tally.store.base import Store
from rook_tally.store.maintenance import open_store
from rook_tally.store.readings import NewReading, RecentReadings, read_raw_range
from rook_tally.store.site import Series, add_station, load_site
from tests.builders import MINUTE_US, NOON_US, begin_series
from tests.examples import examples

QUANTITIES = ("temperature", "co2", "sound_level", "humidity", "pm25")


class Suspicious(RecentReadings):
    """Never spares a look."""

    def are_beyond_suspicion(self, *_: object, **__: object) -> bool:
        return False

    def know(self, *_: object) -> None:
        pass


def qualities(
    folder: Path,
    name: str,
    quantity: str,
    values: Sequence[tuple[float, int]],
    recent: RecentReadings,
) -> list[int]:
    """What becomes of values that come so many minutes after each other, one message each."""
    minutes = np.cumsum([minute for _, minute in values]).tolist()
    moments = [NOON_US + minute * MINUTE_US for minute in minutes]
    told = list(zip(moments, (value for value, _ in values), strict=True))
    return [quality for _, _, quality in kept_of(folder, name, quantity, told, recent)]


def kept_of(
    folder: Path,
    name: str,
    quantity: str,
    told: Sequence[tuple[int, float]],
    recent: RecentReadings,
) -> list[tuple[int, float, int]]:
    """What is kept of values with their moments, one message each, in the order they come."""
    with open_store(folder / f"{name}.db") as store:
        with store.write() as connection:
            add_station(connection, "a", place="Hall", kind=PLAIN, cadence_s=60)
        directory, clocks = IntakeSession(), Clocks()
        directory.recent = recent
        arrived_us = max(moment for moment, _ in told)
        for moment, value in told:
            body = f'{{"time": {moment / 1e6}, "{quantity}": {value}}}'.encode()
            receive(store, directory, clocks, [Message("http", "", body, arrived_us, station="a")])
        with store.read() as connection:
            (series,) = load_site(connection).series
            kept = read_raw_range(connection, series.id, 0, NOON_US + 10_000 * MINUTE_US)
        columns = (kept.time_us.tolist(), kept.value.tolist(), kept.quality.tolist())
        return list(zip(*columns, strict=True))


CALM = st.floats(400, 404).map(lambda value: round(value, 1))
ODD = st.sampled_from([0.0, 400.0, 900.0, 40.0, 5000.0, -3.0, 1e6])


JUMPING = st.sampled_from([400.0, 900.0, 1400.0, 2000.0])
# Three minutes without a word are a gap.
STEPS = st.sampled_from([1] * 12 + [2, 9])


class How(enum.Enum):
    """How the next message comes, beside those that were sent from hours ago on."""

    LATE = "a minute after the last late one"
    NOW = "a minute after the newest"
    AGAIN = "at the moment of the last late one"
    BACK = "between two late ones"
    JUST_LATE = "among the newest"


COMES = st.sampled_from([How.LATE] * 12 + [How.NOW] * 3 + list(How))


def _minutely(*values: float) -> list[tuple[float, int]]:
    return [(value, 1) for value in values]


@given(
    st.sampled_from(QUANTITIES),
    st.one_of(
        st.lists(st.tuples(st.one_of(CALM, CALM, CALM, ODD), STEPS), min_size=1, max_size=70),
        st.lists(st.tuples(st.one_of(JUMPING, CALM), STEPS), min_size=20, max_size=50),
    ),
)
@example("co2", _minutely(*[500.0] * (SCREENED_TAIL + 4), 0.0, 500.0, 500.0, 500.0))
@example("co2", _minutely(500.0, 500.0, 0.0, 500.0, 500.0))
@example("co2", _minutely(500.0, 501.0, 900.0, 500.0, 501.0, 500.0, 502.0))
@example("co2", _minutely(*[500.0, 501.0] * 10, 900.0, 500.0, 501.0, 500.0, 502.0, 501.0))
@example("co2", [*_minutely(*[500.0, 501.0] * 9), (900.0, 1), (500.0, 1), (501.0, 9), (500.0, 1)])
@example("sound_level", _minutely(*[50.0] * 40, 51.0, 0.0, 51.0, 51.0, 51.0))
@settings(max_examples=examples(8), suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_the_same_readings_are_suspect_with_and_without_it(
    tmp_path_factory: pytest.TempPathFactory, quantity: str, values: list[tuple[float, int]]
) -> None:
    folder = tmp_path_factory.mktemp("recent")
    spared = qualities(folder, "spared", quantity, values, RecentReadings())
    looked = qualities(folder, "looked", quantity, values, Suspicious())
    assert spared == looked


@given(
    st.sampled_from(QUANTITIES),
    st.lists(
        st.tuples(st.one_of(CALM, CALM, CALM, CALM, CALM, ODD), COMES), min_size=45, max_size=110
    ),
)
@example("co2", [(500.0 + at % 2, How.LATE) for at in range(45)] + [(900.0, How.LATE)] * 2)
@example(
    "co2", [(500.0 + at % 2, How.LATE) for at in range(45)] + [(0.0, How.LATE), (501.0, How.LATE)]
)
@example("co2", [(500.0, How.LATE)] * 70)
@example("sound_level", [(50.0, How.LATE)] * 36 + [(50.0, How.AGAIN), (51.0, How.AGAIN)] * 3)
@settings(max_examples=examples(8), suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_the_same_late_ones_are_kept_and_suspect_with_and_without_it(
    tmp_path_factory: pytest.TempPathFactory, quantity: str, values: list[tuple[float, How]]
) -> None:
    late, newest = NOON_US - 600 * MINUTE_US, NOON_US
    told = [(NOON_US - 40 * MINUTE_US + at * MINUTE_US, 400.0 + at % 3) for at in range(40)]
    for value, how in values:
        match how:
            case How.LATE:
                late = moment = late + MINUTE_US
            case How.NOW:
                newest = moment = newest + MINUTE_US
            case How.AGAIN:
                moment = late
            case How.BACK:
                moment = late - MINUTE_US * 3 // 2
            case How.JUST_LATE:
                moment = newest - MINUTE_US * 7 // 2
        told.append((moment, value))
    folder = tmp_path_factory.mktemp("late")
    spared = kept_of(folder, "spared", quantity, told, RecentReadings())
    looked = kept_of(folder, "looked", quantity, told, Suspicious())
    assert spared == looked


def test_what_comes_late_in_a_row_is_looked_at_once(store: Store) -> None:
    begin_series(store, "temperature")
    looks: list[tuple[int, bool]] = []

    class Counted(RecentReadings):
        def are_beyond_suspicion(self, *said: Any, **told: Any) -> bool:
            is_beyond = super().are_beyond_suspicion(*said, **told)
            looks.append((said[1][0].time_us, is_beyond))
            return is_beyond

    directory, clocks = IntakeSession(), Clocks()
    directory.recent = Counted()
    minutes = [*range(100), *range(-600, -540), 100, *range(-540, -500)]
    for minute in minutes:
        moment = NOON_US + minute * MINUTE_US
        body = f'{{"time": {moment // 1_000_000}, "temperature": {20 + minute % 3 / 10}}}'.encode()
        arrived_us = NOON_US + 200 * MINUTE_US
        receive(store, directory, clocks, [Message("http", "", body, arrived_us, station="wall")])
    looked_at = [(time_us - NOON_US) // MINUTE_US for time_us, is_beyond in looks if not is_beyond]
    # Once among the live ones, once where the late ones begin, and not at the live one between.
    assert looked_at == [0, -600]
    with store.read() as connection:
        (series,) = load_site(connection).series
        assert len(read_raw_range(connection, series.id, 0, NOON_US * 2)) == len(minutes)


def _is_quiet(
    recent: RecentReadings, series: Series, written: list[NewReading], before_us: int | None
) -> bool:
    """Whether readings that are newer than all before need no look."""
    newest_us = written[-1].time_us
    return recent.are_beyond_suspicion(
        series, written, newest_before_us=before_us, newest_us=newest_us
    )


def _reading(series_id: int, at: int, value: float, quality: Quality = Quality.GOOD) -> NewReading:
    return NewReading(series_id, NOON_US + at * MINUTE_US, value, quality)


def _heard(store: Store, count: int, quantity: str = "temperature") -> tuple[RecentReadings, int]:
    """Recent readings that know so many quiet ones, and how many there are."""
    series = begin_series(store, quantity)
    recent = RecentReadings()
    for at in range(count):
        before = NOON_US + (at - 1) * MINUTE_US if at else None
        value = 20 + at % 3 / 10
        _is_quiet(recent, series, [_reading(series.id, at, value)], before)
    return recent, count


@pytest.mark.parametrize(
    ("value", "quality", "is_quiet"),
    [
        (20.4, Quality.GOOD, True),
        (25.0, Quality.GOOD, True),  # a jump: whether it was a spike shows once it is over
        (0.0, Quality.GOOD, True),  # a temperature can be that
        (20.4, Quality.UNBELIEVABLE, False),
    ],
)
def test_what_is_beyond_suspicion(
    store: Store, value: float, quality: Quality, is_quiet: bool
) -> None:
    recent, count = _heard(store, 2 * SCREENED_TAIL)
    with store.read() as connection:
        (series,) = load_site(connection).series
    newest = [_reading(series.id, count, value, quality)]
    before = NOON_US + (count - 1) * MINUTE_US
    assert _is_quiet(recent, series, newest, before) is is_quiet


def test_a_zero_that_cannot_be_is_looked_at(store: Store) -> None:
    recent, count = _heard(store, 2 * SCREENED_TAIL, "sound_level")
    with store.read() as connection:
        (series,) = load_site(connection).series
    before = NOON_US + (count - 1) * MINUTE_US
    assert not _is_quiet(recent, series, [_reading(series.id, count, 0.0)], before)


def test_a_jump_is_looked_at_once_it_can_be_judged(store: Store) -> None:
    recent, count = _heard(store, 2 * SCREENED_TAIL)
    with store.read() as connection:
        (series,) = load_site(connection).series
    looks = []
    for at, value in enumerate([25.0, 20.1, 20.0, 20.2, 20.1, 20.0], start=count):
        before = NOON_US + (at - 1) * MINUTE_US
        looks.append(not _is_quiet(recent, series, [_reading(series.id, at, value)], before))
    assert looks == [False, False, False, False, True, False]


def test_too_little_is_known_at_first_and_after_somebody_else_wrote(store: Store) -> None:
    recent, count = _heard(store, 10)
    with store.read() as connection:
        (series,) = load_site(connection).series
    before = NOON_US + (count - 1) * MINUTE_US
    assert not _is_quiet(recent, series, [_reading(series.id, count, 20.1)], before)
    recent, count = _heard_of(series.id, store, 2 * SCREENED_TAIL)
    # A newest row that is not ours: another collector was here.
    stranger = NOON_US + (count + 5) * MINUTE_US
    later = [_reading(series.id, count + 6, 20.1)]
    assert not _is_quiet(recent, series, later, stranger)


def _heard_of(series_id: int, store: Store, count: int) -> tuple[RecentReadings, int]:
    with store.read() as connection:
        series = next(one for one in load_site(connection).series if one.id == series_id)
    recent = RecentReadings()
    for at in range(count):
        before = NOON_US + (at - 1) * MINUTE_US if at else None
        _is_quiet(recent, series, [_reading(series_id, at, 20 + at % 3 / 10)], before)
    return recent, count


def test_a_failed_batch_is_forgotten(store: Store) -> None:
    recent, count = _heard(store, 2 * SCREENED_TAIL)
    with store.read() as connection:
        (series,) = load_site(connection).series
    recent.forget()
    before = NOON_US + (count - 1) * MINUTE_US
    assert not _is_quiet(recent, series, [_reading(series.id, count, 20.1)], before)


def test_a_series_is_looked_at_once_after_a_start(store: Store) -> None:
    """Its first reading, and the first that a new writer hears; then no more while it is calm."""
    begin_series(store, "temperature")
    looks: list[int] = []

    class Counted(RecentReadings):
        def are_beyond_suspicion(self, *said: Any, **told: Any) -> bool:
            is_beyond = super().are_beyond_suspicion(*said, **told)
            looks.append(not is_beyond)
            return is_beyond

    for begins in (0, 50):
        directory, clocks = IntakeSession(), Clocks()
        directory.recent = Counted()
        for at in range(begins, begins + 50):
            body = f'{{"temperature": {20 + at % 3 / 10}}}'.encode()
            moment = NOON_US + at * MINUTE_US
            receive(store, directory, clocks, [Message("http", "", body, moment, station="wall")])
    assert [at for at, is_look in enumerate(looks) if is_look] == [0, 50]
