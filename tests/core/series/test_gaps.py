"""Where gaps part a series, and the stretches between, against a walk from row to row."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.series.gaps import good_rows, good_runs, rows_after_gaps, stretches_of
from rook_tally.core.series.readings import readings_from

_STEPS = st.lists(st.sampled_from([-5, 0, 1, 3, 9, 200]), max_size=40)
_ROWS = st.lists(
    st.tuples(st.sampled_from([0, 1, 3, 9]), st.sampled_from([1.0, np.nan])), max_size=40
)


@given(_STEPS)
def test_a_gap_and_a_clock_set_back_part_alike(steps: list[int]) -> None:
    time_us = np.cumsum(np.array(steps, dtype=np.int64))
    walked = [row for row in range(1, len(steps)) if not 0 <= steps[row] <= 3]
    assert rows_after_gaps(time_us, 3).tolist() == walked


@given(st.lists(st.sampled_from([-1, 0, 1]), max_size=40), st.sets(st.integers(1, 39)))
def test_a_stretch_ends_where_the_state_changes_or_a_gap_is(
    state: list[int], gaps: set[int]
) -> None:
    parted = sorted(row for row in gaps if row < len(state))
    walked: list[list[int]] = []
    for row in range(len(state)):
        if not row or row in parted or state[row] != state[row - 1]:
            walked.append([row, row])
        walked[-1][1] = row
    first, last = stretches_of(np.array(state, np.int8), np.array(parted, np.int64))
    assert [list(one) for one in zip(first.tolist(), last.tolist(), strict=True)] == walked


@given(_ROWS)
def test_good_runs_are_good_rows_and_the_gaps_among_them(rows: list[tuple[int, float]]) -> None:
    readings = readings_from(np.cumsum([step for step, _ in rows]), [value for _, value in rows])
    found, parted = good_runs(readings, 3)
    assert readings.time_us[found].tolist() == readings.time_us[good_rows(readings)].tolist()
    assert parted.tolist() == rows_after_gaps(readings.time_us[found], 3).tolist()
