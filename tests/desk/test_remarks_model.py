"""Remarks of a window, decided without Qt: which, in which row, compared in what words."""

from __future__ import annotations

import numpy as np
import pytest

from rook_tally.core.remarks import Remark, next_shade
from rook_tally.core.timestamps import DAY_US, HOUR_US
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.data.store_feed import NewRemarks, read_picture
from rook_tally.desk.strip.queries import LanesQuery, Overlay, shift_us
from rook_tally.desk.strip.remarks import RemarksModel, span_of_window
from rook_tally.store.base import Store
from rook_tally.store.site import Series
from tests.builders import MINUTE_US, NOON_US, append, begin_series


@pytest.fixture
def series(store: Store) -> Series:
    made = begin_series(store)
    rows = [(NOON_US - at * MINUTE_US, 10.0 if at < 60 else 5.0) for at in range(1, 120)]
    append(store, made, *rows)
    return made


@pytest.fixture
def model(store: Store, series: Series) -> RemarksModel:
    state = SiteState(lambda: NOON_US)
    with store.read() as connection:
        state.take(read_picture(connection, NOON_US))
    state.show_last(2 * HOUR_US)
    return RemarksModel(state)


def spans(*stretches: tuple[int, int]) -> list[Remark]:
    return [
        Remark(f"span {at}", NOON_US - begin * MINUTE_US, NOON_US - end * MINUTE_US, id=at)
        for at, (begin, end) in enumerate(stretches, start=1)
    ]


def told(model: RemarksModel, *remarks: Remark) -> None:
    model.state.take(NewRemarks(sorted(remarks, key=lambda one: one.start_us)))


def test_only_what_touches_the_window_is_in_it(model: RemarksModel) -> None:
    before, across, inside = spans((300, 200), (150, 100), (50, 40))
    pin = Remark("door opened", NOON_US - 10 * MINUTE_US, id=9)
    told(model, before, across, inside, pin)
    assert [one.id for one in model.inside] == [2, 3, 9]
    assert [one.remark.id for one in model.spans] == [2, 3]
    assert model.counted() == "2 spans · 1 pin"
    model.state.show_last(5 * MINUTE_US)
    assert model.counted() == "none in this window"


def test_a_very_long_span_is_found_from_far_inside(model: RemarksModel) -> None:
    summer = Remark("summer", NOON_US - 90 * DAY_US, NOON_US + DAY_US, id=1)
    told(model, summer, *(Remark("x", NOON_US - at * DAY_US, id=at + 10) for at in range(1, 60)))
    assert [one.id for one in model.inside] == [1]


def test_overlapping_spans_stand_in_rows_and_heaps_of_pins_thin_out(model: RemarksModel) -> None:
    told(model, *spans((100, 50), (80, 60), (40, 30)))
    assert [one.row for one in model.spans] == [0, 1, 0]
    told(model, *(Remark("x", NOON_US - at * MINUTE_US, id=at) for at in range(1, 100)))
    assert len(model.pins) == 99
    assert len(model.pins_apart(10 * MINUTE_US)) == 10


def test_picking_goes_round_and_forgets_what_is_gone(model: RemarksModel) -> None:
    one, other = spans((100, 90), (50, 40))
    told(model, one, other)
    for wanted in (1, 2, 1):
        model.pick_next()
        assert model.picked_id == wanted
    told(model, other)
    assert model.picked is None
    assert model.picked_id is None


def test_spans_are_compared_in_words(store: Store, model: RemarksModel, series: Series) -> None:
    low, high = spans((110, 70), (50, 10))
    told(model, low, high)
    question = model.question(series)
    assert question is not None
    with store.read() as connection:
        model.take(question.run(connection))
    first, second = model.lines()
    assert (first.is_base, first.mean, first.ratio) == (True, "5.0", "–")
    assert (second.mean, second.ratio, second.difference) == ("10.0", "–", "+5.0")
    assert second.is_sure
    # °C have no true zero: a span is no times warmer.
    assert "×" not in second.told
    assert model.base_words() == "base: span 1 · 40 readings"
    assert model.question(None) is None
    # What a span still waits for makes another question of it.
    later = model.question(series)
    assert later == question


def test_without_a_span_there_is_nothing_to_compare(model: RemarksModel, series: Series) -> None:
    assert model.question(series) is None
    assert model.lines() == []
    assert model.base_words() == ""
    assert next_shade(model.state.remarks) == 0
    assert next_shade([Remark("x", 1, shade=5)]) == 0


def test_a_span_of_the_window_is_of_whole_seconds_and_not_to_come() -> None:
    start_us, end_us = span_of_window(NOON_US + 400_000, NOON_US + 99_900_000, NOON_US + 5_600_000)
    assert (start_us, end_us) == (NOON_US, NOON_US + 5_000_000)


def test_the_same_hour_of_an_earlier_day_follows_the_clock_on_the_wall(model: RemarksModel) -> None:
    from zoneinfo import ZoneInfo

    from rook_tally.core.timestamps import time_us_from_text

    # The clocks in London went back in the night to 25 October.
    after = time_us_from_text("2026-10-25T12:00:00Z")
    assert shift_us(after, 1, ZoneInfo("Europe/London")) == DAY_US + HOUR_US
    assert shift_us(after, 1, ZoneInfo("UTC")) == DAY_US
    assert Overlay.NONE.next is Overlay.DAY_BEFORE
    assert Overlay.WEEK_BEFORE.next is Overlay.NONE


def test_a_question_reads_half_a_window_on_either_side(store: Store, series: Series) -> None:
    start_us, end_us = NOON_US - HOUR_US, NOON_US
    question = LanesQuery((series,), start_us, end_us, 60, (), is_near_now=True)
    assert question.wide == (start_us - HOUR_US // 2, end_us + HOUR_US // 2, 120)
    with store.read() as connection:
        trace = question.run(connection)[series.id]
    own = trace.envelope.cropped(start_us, end_us)
    assert (own.start_us, own.end_us, len(own)) == (start_us, end_us, 60)
    assert np.nanmax(own.mean) == 10.0
    # What is still to come is no gap.
    assert trace.envelope.gaps is not None
    assert len(trace.envelope.gaps) == 0 or int(trace.envelope.gaps[-1][1]) <= end_us
    moved = trace.envelope.shifted(DAY_US)
    assert (moved.start_us - trace.envelope.start_us, len(moved)) == (DAY_US, 120)
