"""A clock is called wrong when it is so again and again, by the same time."""

from __future__ import annotations

import json

import pytest

from rook_tally.core.timestamps import MINUTE_US, SECOND_US
from rook_tally.intake.message import Message
from rook_tally.intake.pipeline.batch_writer import receive
from rook_tally.intake.pipeline.clock_drift import AGREEING, Clocks
from rook_tally.intake.pipeline.resolve import IntakeSession
from rook_tally.store.base import Store
from rook_tally.store.site import clock_faults
from tests.builders import NOON_US, add_room_air


def _verdicts(clocks: Clocks, *ahead_us: int) -> list[float | None]:
    return [clocks.verdict(1, sent_us=NOON_US + one, arrived_us=NOON_US) for one in ahead_us]


@pytest.mark.parametrize("ahead_us", [7 * MINUTE_US, -7 * MINUTE_US])
def test_told_once_it_is_certain_and_again_when_it_is_right(ahead_us: int) -> None:
    clocks = Clocks()
    assert _verdicts(clocks, *[ahead_us] * AGREEING) == [None] * 7 + [ahead_us / SECOND_US]
    assert _verdicts(clocks, *[ahead_us + SECOND_US] * AGREEING) == [None] * 8
    assert [one for one in _verdicts(clocks, *[0] * AGREEING) if one is not None] == [0.0]


def test_a_station_that_forwards_has_no_wrong_clock() -> None:
    """Late by this much and that."""
    clocks = Clocks()
    told = _verdicts(clocks, *[-minute * MINUTE_US for minute in (50, 40, 30, 20, 10, 5, 1, 0)])
    assert told == [None] * 7 + [0.0]


def test_a_fault_that_grows_is_told_anew() -> None:
    clocks = Clocks()
    told = _verdicts(clocks, *[3 * MINUTE_US] * 8, *[5 * MINUTE_US] * 8)
    assert [one for one in told if one] == [180.0, 300.0]


def test_a_fault_stands_in_the_store_until_it_is_over(store: Store) -> None:
    add_room_air(store)
    directory, clocks = IntakeSession(), Clocks()

    def send(count: int, ahead_us: int) -> list[float]:
        for at in range(count):
            arrived_us = NOON_US + at * MINUTE_US
            body = json.dumps({"time": (arrived_us + ahead_us) / 1e6, "temp": 20 + at}).encode()
            message = Message("mqtt", "", body, arrived_us, station="wall")
            receive(store, directory, clocks, [message])
        with store.read() as connection:
            return [one.ahead_s for one in clock_faults(connection).values()]

    assert send(AGREEING - 1, 7 * MINUTE_US) == []
    assert send(1, 7 * MINUTE_US) == [420.0]
    clocks.forget()  # as a collector started anew
    assert send(AGREEING, 0) == []
