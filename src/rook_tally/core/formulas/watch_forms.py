"""Formulas of watches over whole series, as vectors give them: limits, rates, silence, guards."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from rook_tally.core.alarms import alarm_detector as watching
from rook_tally.core.alarms import alarm_states
from rook_tally.core.alarms.alarm_detector import NEVER, AlarmThresholds, Direction
from rook_tally.core.alarms.alarm_states import AlarmEvent, AlarmState
from rook_tally.core.arrays import TimeArray
from rook_tally.core.formulas.elementwise import FormulaArgument
from rook_tally.core.formulas.series_forms import members_of, readings_given
from rook_tally.core.series import baselines

_RISE = {"rise": Direction.ABOVE, "fall": Direction.BELOW, "both": Direction.BOTH}


def _pairs(rings: TimeArray) -> list[list[int | None]]:
    return [[ring, None if clear == NEVER else clear] for ring, clear in rings.tolist()]


def _guard(guard: FormulaArgument | None) -> Any:
    return None if guard is None else np.asarray(guard, dtype=np.bool_)


def limit_watch(
    t_us: FormulaArgument,
    value: FormulaArgument,
    limit: float,
    max_gap_s: float,
    quality: FormulaArgument | None = None,
    direction: str = "above",
    clear_limit: float | None = None,
    on_delay_s: float = 0.0,
    off_delay_s: float = 0.0,
    guard: FormulaArgument | None = None,
) -> Any:
    """`watching.limit_watch` as [ring_us, clear_us or None] each."""
    side = Direction(direction)
    beyond = clear_limit is not None and (
        clear_limit > limit if side is Direction.ABOVE else clear_limit < limit
    )
    if beyond:
        raise ValueError(f"clearing limit {clear_limit} is beyond the limit {limit}")
    terms = AlarmThresholds(limit, max_gap_s, clear_limit, on_delay_s, off_delay_s)
    return _pairs(
        watching.limit_watch(readings_given(t_us, value, quality), terms, side, _guard(guard))
    )


def rate_per_h(
    t_us: FormulaArgument,
    value: FormulaArgument,
    window_s: float,
    max_gap_s: float,
    quality: FormulaArgument | None = None,
) -> Any:
    """`watching.rate_per_h`."""
    readings = readings_given(t_us, value, quality)
    return watching.rate_per_h(readings, window_s=window_s, max_gap_s=max_gap_s)


def rate_watch(
    t_us: FormulaArgument,
    value: FormulaArgument,
    limit_per_h: float,
    window_s: float,
    max_gap_s: float,
    quality: FormulaArgument | None = None,
    direction: str = "rise",
    clear_per_h: float | None = None,
    on_delay_s: float = 0.0,
    off_delay_s: float = 0.0,
    guard: FormulaArgument | None = None,
) -> Any:
    """Rings of how fast readings rise or fall; [ring_us, clear_us or None] each."""
    if direction not in _RISE:
        raise ValueError(f"direction is rise, fall or both, got {direction!r}")
    readings = readings_given(t_us, value, quality)
    rate = watching.rate_per_h(readings, window_s=window_s, max_gap_s=max_gap_s)
    terms = AlarmThresholds(limit_per_h, max_gap_s, clear_per_h, on_delay_s, off_delay_s)
    return _pairs(watching.rings_by_number(readings, rate, terms, _RISE[direction], _guard(guard)))


def usual_level(
    t_us: FormulaArgument,
    value: FormulaArgument,
    window_s: float,
    min_spread: float,
    quality: FormulaArgument | None = None,
    **options: Any,
) -> Any:
    """`baselines.usual_level` as a dictionary."""
    return members_of(
        baselines.usual_level(
            readings_given(t_us, value, quality),
            window_s=window_s,
            min_spread=min_spread,
            **options,
        )
    )


def usual_level_watch(
    t_us: FormulaArgument,
    value: FormulaArgument,
    window_s: float,
    min_spread: float,
    z_limit: float,
    max_gap_s: float,
    quality: FormulaArgument | None = None,
    clear_z: float | None = None,
    direction: str = "above",
    on_delay_s: float = 0.0,
    off_delay_s: float = 0.0,
    guard: FormulaArgument | None = None,
    **options: Any,
) -> Any:
    """`watching.usual_level_watch` as [ring_us, clear_us or None] each."""
    return _pairs(
        watching.usual_level_watch(
            readings_given(t_us, value, quality),
            AlarmThresholds(z_limit, max_gap_s, clear_z, on_delay_s, off_delay_s),
            window_s=window_s,
            min_spread=min_spread,
            direction=Direction(direction),
            guard=_guard(guard),
            **options,
        )
    )


def silence_watch(
    t_us: FormulaArgument,
    value: FormulaArgument,
    timeout_s: float,
    now_us: int,
    quality: FormulaArgument | None = None,
    start_us: int | None = None,
    any_quality: bool = False,
) -> Any:
    """`watching.silence_watch` as [ring_us, clear_us or None] each."""
    return _pairs(
        watching.silence_watch(
            readings_given(t_us, value, quality),
            timeout_s=timeout_s,
            now_us=now_us,
            start_us=start_us,
            any_quality=any_quality,
        )
    )


def guard_gate(
    t_us: FormulaArgument,
    guard_t_us: FormulaArgument,
    guard_value: FormulaArgument,
    guard_limit: float,
    guard_max_age_s: float,
    guard_quality: FormulaArgument | None = None,
    guard_direction: str = "above",
    settle_s: float = 0.0,
    unknown: str = "allow",
) -> Any:
    """`watching.guard_gate`."""
    if unknown not in ("allow", "block"):
        raise ValueError(f"unknown is allow or block, got {unknown!r}")
    return watching.guard_gate(
        np.asarray(t_us, dtype=np.int64),
        readings_given(guard_t_us, guard_value, guard_quality),
        guard_limit=guard_limit,
        guard_max_age_s=guard_max_age_s,
        guard_direction=Direction(guard_direction),
        settle_s=settle_s,
        allows_unknown=unknown == "allow",
    )


def alarm_replay(events: Sequence[str], start: str = "normal") -> list[str]:
    """`alarm_states.alarm_replay` by the names of states and events."""
    states = alarm_states.alarm_replay([AlarmEvent(one) for one in events], AlarmState(start))
    return [state.value for state in states]
