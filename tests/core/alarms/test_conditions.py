"""The number a watch judges its readings by: live, in a backtest and by exact arithmetic."""

from __future__ import annotations

from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.alarms.conditions import judge_of
from rook_tally.core.alarms.definitions import Scope, Watch, WatchKind
from rook_tally.core.arrays import FloatArray, TimeArray
from rook_tally.core.quantities.levels import Limits
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.series.readings import readings_from
from rook_tally.core.timestamps import HOUR_US

S = 1_000_000
WINDOW_S, LIMIT = 300, 120

# Values and cadences whose slopes are often exactly the limit.
told = st.lists(
    st.tuples(st.sampled_from([30, 60, 60, 60, 120]), st.sampled_from([5, 18, 20, 25, 30])),
    min_size=3,
    max_size=30,
)


def exact_slope(time_us: TimeArray, value: FloatArray) -> Fraction:
    """Σ(t−t̄)(v−v̄)/Σ(t−t̄)² of the window up to the last reading, in fractions."""
    inside = time_us >= time_us[-1] - WINDOW_S * S
    hours = [Fraction(int(one), HOUR_US) for one in time_us[inside]]
    values = [Fraction(int(one)) for one in value[inside]]
    hour, mean = _sum(hours) / len(hours), _sum(values) / len(values)
    spread = _sum([(one - hour) ** 2 for one in hours])
    return _sum([(t - hour) * (v - mean) for t, v in zip(hours, values, strict=True)]) / spread


def _sum(parts: list[Fraction]) -> Fraction:
    return sum(parts, Fraction(0))


@given(told)
def test_a_slope_is_above_its_limit_live_in_a_backtest_and_exactly_or_nowhere(
    told: list[tuple[int, int]],
) -> None:
    watch = Watch(
        slug="dust",
        name="Dust",
        sort=WatchKind.RISING,
        scope=Scope(quantity="pm25"),
        limit=LIMIT,
        window_s=float(WINDOW_S),
    )
    condition = judge_of(watch, QUANTITIES["pm25"], Limits(), 600.0)
    time_us = 1_700_000_000 * S + np.cumsum([pause for pause, _ in told]) * S
    value = np.array([one for _, one in told], dtype=np.float64)
    whole = condition.numbers(readings_from(time_us, value))
    for at in range(len(told)):
        live = condition.newest_number(time_us[: at + 1], value[: at + 1])
        if np.isnan(whole[at]):
            assert np.isnan(live)
            continue
        assert live == pytest.approx(whole[at])
        assert (live > LIMIT) == (whole[at] > LIMIT)
        assert (live > LIMIT) == (exact_slope(time_us[: at + 1], value[: at + 1]) > LIMIT)
