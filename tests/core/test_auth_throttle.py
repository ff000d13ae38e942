"""Wrong keys are borne a few times, then slowed down; nobody else is."""

from __future__ import annotations

from rook_tally.core.auth_throttle import MOST_WRONG, WITHIN_S, AuthThrottle
from rook_tally.core.timestamps import SECOND_US
from tests.builders import NOON_US


def test_many_within_a_minute_have_to_wait_until_it_is_over() -> None:
    patience = AuthThrottle()
    told = [patience.note_wrong("10.0.0.9", NOON_US + at * SECOND_US) for at in range(MOST_WRONG)]
    assert told == [False] * (MOST_WRONG - 1) + [True]
    last_us = NOON_US + (MOST_WRONG - 1) * SECOND_US
    assert patience.wait_s("10.0.0.9", last_us) == WITHIN_S - MOST_WRONG + 1
    assert patience.wait_s("10.0.0.8", last_us) == 0
    assert patience.wait_s("10.0.0.9", NOON_US + WITHIN_S * SECOND_US) == 0


def test_memory_is_bounded_whoever_tries() -> None:
    patience = AuthThrottle()
    for number in range(20_000):
        patience.note_wrong(str(number), NOON_US)
    assert len(patience._wrong) == 10_000
