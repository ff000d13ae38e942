"""The last readings of a series, against a plain list of them."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.alarming.recent_window import SLACK_US, Tail
from rook_tally.core.timestamps import HOUR_US, MINUTE_US

_STEPS = st.lists(st.tuples(st.sampled_from(["add", "cut", "fill"]), st.integers(1, 90)))


@given(_STEPS, st.integers(0, 5000))
def test_a_tail_is_the_end_of_a_list(steps: list[tuple[str, int]], asked_min: int) -> None:
    tail, told = Tail(HOUR_US), [(0, 0.0)]
    tail.add(0, 0.0)
    for what, much in steps:
        newest_us = told[-1][0] if told else 0
        if what == "add":
            told.append((newest_us + much * MINUTE_US, float(much)))
            tail.add(*told[-1])
        elif what == "cut":
            from_us = newest_us - (much - 45) * MINUTE_US
            told = [one for one in told if one[0] < from_us]
            tail.cut(from_us)
        else:
            told = [(newest_us + at * MINUTE_US, float(at)) for at in range(much)]
            times, values = zip(*told, strict=True)
            tail.fill(np.array(times, dtype=np.int64), np.array(values), times[0])
        assert tail.newest_us == (told[-1][0] if told else -1)
        assert [*zip(*(part.tolist() for part in tail.all), strict=True)] == told
    from_us = asked_min * MINUTE_US
    some = [*zip(*(part.tolist() for part in tail.since(from_us)), strict=True)]
    assert some == [one for one in told if one[0] >= from_us]


def test_what_is_older_than_asked_for_is_let_go_and_said_so() -> None:
    tail = Tail(HOUR_US)
    for minute in range(3000):
        tail.add(minute * MINUTE_US, float(minute))
    times, values = tail.all
    assert len(times) < 3000
    assert times[0] >= tail.since_us > 0
    assert times[-1] - times[0] >= HOUR_US + SLACK_US
    assert np.array_equal(values, times / MINUTE_US)
