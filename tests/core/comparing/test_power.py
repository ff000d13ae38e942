"""A battery's outlook, against stations whose use is known because it was made up."""

from __future__ import annotations

import math
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.arrays import FloatArray
from rook_tally.core.comparing.power import PowerOutlook, power_outlook
from rook_tally.core.timestamps import DAY_US

COLUMN_US = DAY_US // 4


def _battery(
    paces: FloatArray, *, rest: float, message: float, noise: float = 0.0, begins: float = 95.0
) -> PowerOutlook:
    """The outlook of a station that sends at so many messages a day, six hours each, and loses so
    much a day and a message; its battery speaks in whole per cents."""
    time_us = np.arange(len(paces), dtype=np.int64) * COLUMN_US
    messages = paces / 4
    level = begins - rest * time_us / DAY_US - message * (np.cumsum(messages) - messages[0])
    level += np.random.default_rng(1).normal(0, noise, len(level))
    return power_outlook(time_us, np.round(level), messages, empty=0.0, refill=10.0)


def _at(outlook: PowerOutlook, cadence_s: float) -> tuple[float, float]:
    return next(
        (one.days_low, one.days_high) for one in outlook.cadences if one.cadence_s == cadence_s
    )


def test_who_has_sent_at_two_paces_says_what_a_message_costs() -> None:
    # 0.2 % a day at rest, and 0.8 % for the 1,440 messages of a day every minute.
    paces = np.where(np.arange(160) < 80, 1440.0, 288.0)
    outlook = _battery(paces, rest=0.2, message=0.8 / 1440)
    left = 95 - 20 * (0.2 + 0.8) - 20 * (0.2 + 0.16)
    for cadence_s, per_day in ((60.0, 1.0), (300.0, 0.36), (3600.0, 0.2 + 0.8 / 60)):
        low, high = _at(outlook, cadence_s)
        assert low <= left / per_day * 1.03 and high >= left / per_day * 0.97
        assert high / low < 1.6
    # Of the last two days, at a message every five minutes.
    assert outlook.messages_per_day == pytest.approx(288)
    assert outlook.days_low < left / 0.36 < outlook.days_high * 1.03
    share = 0.16 / 0.36
    assert outlook.share_low < share < outlook.share_high
    assert outlook.share_high - outlook.share_low < 0.25


def test_who_has_always_sent_as_often_says_between_what() -> None:
    outlook = _battery(np.full(160, 1440.0), rest=0.5, message=0.5 / 1440)
    assert math.isnan(outlook.share_low)
    # As it is now there is little to doubt; twelve times slower it lasts as long, or up to twelve
    # times as long; faster as long, or so much shorter.
    low, high = _at(outlook, 60.0)
    assert high / low < 1.1
    assert _at(outlook, 300.0) == pytest.approx((low, 5 * high))
    assert _at(outlook, 10.0) == pytest.approx((low / 6, high))


def test_a_battery_that_is_filled_begins_anew() -> None:
    emptied = np.round(np.linspace(60, 20, 80))
    filled = np.round(np.linspace(98, 88, 80))
    time_us = np.arange(160, dtype=np.int64) * COLUMN_US
    outlook = power_outlook(
        time_us, np.concatenate([emptied, filled]), np.full(160, 360.0), empty=0.0, refill=10.0
    )
    assert outlook.days_low <= 88 / (10 / (79 / 4)) <= outlook.days_high
    assert outlook.days_high / outlook.days_low < 1.3


@pytest.mark.parametrize(
    "level",
    [
        np.full(40, 90.0),
        np.linspace(50, 90, 40),
        np.full(40, math.nan),
        np.array([90.0]),
        np.empty(0),
    ],
    ids=["still", "rising", "unknown", "one", "none"],
)
def test_what_does_not_fall_has_no_end(level: FloatArray) -> None:
    time_us = np.arange(len(level), dtype=np.int64) * COLUMN_US
    outlook = power_outlook(time_us, level, np.full(len(level), 360.0), empty=0.0, refill=10.0)
    assert math.isnan(outlook.days_low)
    assert outlook.cadences == ()


@given(
    rest=st.floats(0.05, 1.0),
    day=st.floats(0.0, 1.0),
    ratio=st.floats(2.0, 12.0),
    noise=st.floats(0.0, 0.5),
)
def test_slower_never_lasts_shorter_and_bounds_hold_what_is_so(
    rest: float, day: float, ratio: float, noise: float
) -> None:
    paces = np.where(np.arange(120) < 60, 1440.0, 1440.0 / ratio)
    outlook = _battery(paces, rest=rest, message=day / 1440, noise=noise)
    bounds = [(one.days_low, one.days_high) for one in outlook.cadences]
    assert all(low <= high for low, high in bounds)
    # What is between them, as a loss a day: a slower cadence never loses more.
    losses = [1 / low + 1 / high for low, high in bounds if math.isfinite(high)]
    assert all(slower <= quicker * 1.001 for quicker, slower in pairwise(losses))
