"""The Strip's decisions, without Qt: windows, lanes, values at the cursor, notes."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.timestamps import DAY_US, HOUR_US
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.data.store_feed import read_picture
from rook_tally.desk.data.time_window import LONGEST_US, SHORTEST_US, TimeWindow
from rook_tally.desk.strip.model import StripModel
from rook_tally.desk.strip.window_statistics import window_figures
from rook_tally.store.base import Store
from rook_tally.store.site import Series
from tests.builders import MINUTE_US, NOON_US, append, begin_series

windows = st.builds(
    lambda start, span, live: TimeWindow(start, start + span, live),
    st.integers(0, NOON_US),
    st.integers(SHORTEST_US, 400 * DAY_US),
    st.booleans(),
)


@given(windows, st.floats(0.01, 100), st.floats(0, 1))
def test_zooming_keeps_the_moment_at_the_pointer_in_place(
    window: TimeWindow, factor: float, share: float
) -> None:
    at_us = window.start_us + round(share * window.span_us)
    zoomed = window.zoomed(factor, at_us)
    assert SHORTEST_US - 1 <= zoomed.span_us <= LONGEST_US + 1
    if window.is_live:
        assert (zoomed.end_us, zoomed.is_live) == (window.end_us, True)
    else:
        assert (at_us - zoomed.start_us) / zoomed.span_us == pytest.approx(share, abs=1e-3)


@given(windows, st.integers(-10 * DAY_US, 10 * DAY_US))
def test_moving_keeps_the_span_and_never_shows_the_future(window: TimeWindow, by_us: int) -> None:
    moved = window.moved(by_us, NOON_US + DAY_US)
    assert moved.span_us == window.span_us
    assert moved.end_us <= NOON_US + DAY_US
    assert moved.is_live == (moved.end_us == NOON_US + DAY_US)


def test_only_a_live_window_follows_now() -> None:
    live = TimeWindow(NOON_US - 10, NOON_US, is_live=True)
    assert live.following(NOON_US + 5) == TimeWindow(NOON_US - 5, NOON_US + 5, is_live=True)
    past = TimeWindow(0, 10, is_live=False)
    assert past.following(NOON_US) is past


@pytest.fixture
def series(store: Store) -> dict[str, Series]:
    made = {
        "temperature": begin_series(store),
        "co2": begin_series(store, "co2"),
        "other": begin_series(store, "co2", key="shelf", place="Shop"),
        "switch": begin_series(store, "switch"),
    }
    for at in range(60):
        moment = NOON_US - HOUR_US + at * MINUTE_US
        if not 20 <= at < 30:
            append(store, made["temperature"], (moment, 21.0 + at % 2 / 10))
        append(store, made["co2"], (moment, 500.0 + at))
        append(store, made["switch"], (moment, float(at >= 45)))
    return made


@pytest.fixture
def model(store: Store, series: dict[str, Series]) -> StripModel:
    state = SiteState(lambda: NOON_US)
    with store.read() as connection:
        state.take(read_picture(connection, NOON_US))
    state.window = TimeWindow(NOON_US - HOUR_US, NOON_US, is_live=True)
    return StripModel(state)


def _read(store: Store, model: StripModel, columns: int = 60) -> None:
    question = model.question(columns)
    with store.read() as connection:
        model.take(question, question.run(connection))


def test_lanes_are_added_once_joined_by_quantity_and_removed(
    model: StripModel, series: dict[str, Series]
) -> None:
    model.add([series["temperature"], series["co2"], series["temperature"]])
    model.add([series["co2"]])
    assert [lane.quantity.slug for lane in model.lanes] == ["temperature", "co2"]
    model.join(1, series["other"])
    model.join(0, series["switch"])
    assert [len(lane.series) for lane in model.lanes] == [1, 2]
    model.remove(0)
    assert model.series == (series["co2"], series["other"])


def test_heads_say_the_newest_or_what_stands_at_the_cursor(
    store: Store, model: StripModel, series: dict[str, Series]
) -> None:
    model.add([series["co2"]])
    model.join(0, series["other"])
    _read(store, model)
    head = model.head(0)
    assert (head.name, head.where, head.values, head.unit) == (
        "CO₂",
        "Throwing room + Shop",
        "559 · –",
        "ppm",
    )
    model.point_at(NOON_US - HOUR_US + 10 * MINUTE_US)
    assert model.head(0).values == "510 · –"


def test_the_cursor_reads_nothing_in_a_gap(
    store: Store, model: StripModel, series: dict[str, Series]
) -> None:
    model.add([series["temperature"]])
    _read(store, model)
    model.point_at(NOON_US - 35 * MINUTE_US)
    assert model.head(0).values == "–"
    assert len(model.envelopes[series["temperature"].id].segments()) == 2


def test_notes_and_honest_ranges(
    store: Store, model: StripModel, series: dict[str, Series]
) -> None:
    model.add([series["temperature"], series["co2"], series["other"], series["switch"]])
    assert model.note(0) == ""
    _read(store, model)
    assert model.note(0) == "moves less than the sensor can tell (±0.3 °C)"
    assert [model.note(at) for at in (1, 2, 3)] == [
        "moves less than the sensor can tell (±40 ppm)",
        "nothing was heard in this window",
        "",
    ]
    low, high = model.value_range(0)
    assert high - low >= 8 * 0.3
    assert model.value_range(3) == (-0.25, 1.25)


def test_figures_over_the_window(
    store: Store, model: StripModel, series: dict[str, Series]
) -> None:
    model.add([series["co2"], series["temperature"], series["switch"], series["other"]])
    _read(store, model)
    told = [(one.lowest, one.mean, one.highest, one.heard) for one in window_figures(model)]
    assert told == [
        ("500", "530", "559", "100.0 %"),
        ("21.0", "21.1", "21.1", "83.3 %"),
        ("off", "24 %", "on", "100.0 %"),
        ("–", "–", "–", "0 %"),
    ]


def test_finding_by_a_few_letters(model: StripModel, series: dict[str, Series]) -> None:
    model.add([series["co2"]])
    assert model.matching("co₂") == [series["other"], series["co2"]]
    assert model.matching("shop co") == [series["other"]]
    assert model.matching("thro temp") == [series["temperature"]]
    assert model.matching("zeppelin") == []
