"""When something rings (section L), row after row as readings come in."""

from __future__ import annotations

from collections.abc import Sequence
from math import isfinite, nan

from benchmarks.loops.cases import Case, Columns
from benchmarks.loops.windows import MIN_SPREAD, usual
from rook_tally.core.arrays import FloatArray

_MAX_GAP_US = 180_000_000
_WINDOW_US = 600_000_000
Rings = list[list[int | None]]


def _rings(
    moments: Sequence[int], values: Sequence[float], limit: float, clear: float, delay_us: int
) -> Rings:
    rings: Rings = []
    beyond_us = calm_us = last_us = None
    is_ringing = False
    for moment, value in zip(moments, values, strict=True):
        if not isfinite(value):
            continue
        if last_us is not None and not 0 <= moment - last_us <= _MAX_GAP_US:
            beyond_us = calm_us = None
        last_us = moment
        if value <= limit:
            beyond_us = None
        elif beyond_us is None:
            beyond_us = moment
        if value > clear:
            calm_us = None
        elif calm_us is None:
            calm_us = moment
        if not is_ringing and beyond_us is not None and moment - beyond_us >= delay_us:
            rings.append([moment, None])
            is_ringing = True
        elif is_ringing and calm_us is not None and moment - calm_us >= delay_us:
            rings[-1][1] = moment
            is_ringing = False
    return rings


def _rates(moments: Sequence[int], values: Sequence[float]) -> list[float]:
    """Least squares over the last ten minutes since a gap, unit/h."""
    rates: list[float] = []
    recent: list[tuple[int, float]] = []
    for moment, value in zip(moments, values, strict=True):
        if not isfinite(value):
            rates.append(nan)
            continue
        if recent and not 0 <= moment - recent[-1][0] <= _MAX_GAP_US:
            recent = []
        recent = [one for one in recent if one[0] >= moment - _WINDOW_US] + [(moment, value)]
        if len(recent) < 3 or 2 * (moment - recent[0][0]) < _WINDOW_US:
            rates.append(nan)
            continue
        hours = [(at - moment) / 3600e6 for at, _ in recent]
        mean_x = sum(hours) / len(hours)
        mean_y = sum(one for _, one in recent) / len(recent)
        spread = sum((x - mean_x) ** 2 for x in hours)
        product = sum(
            (x - mean_x) * (one - mean_y) for x, (_, one) in zip(hours, recent, strict=True)
        )
        rates.append(product / spread)
    return rates


def _unusual(moments: Sequence[int], walk: FloatArray) -> Rings:
    levels = usual(moments, walk)
    z = [
        (one - middle) / spread if isfinite(one) else nan
        for one, (middle, spread) in zip(walk.tolist(), levels, strict=True)
    ]
    return _rings(moments, z, 3.0, 3.0, 0)


def _silences(moments: Sequence[int], values: Sequence[float], now_us: int) -> Rings:
    rings: Rings = []
    before = None
    for moment, value in zip(moments, values, strict=True):
        if isfinite(value):
            if before is not None and moment - before > _MAX_GAP_US:
                rings.append([before + _MAX_GAP_US, moment])
            before = moment
    if before is not None and now_us - before > _MAX_GAP_US:
        rings.append([before + _MAX_GAP_US, None])
    return rings


def _gate(moments: Sequence[int], values: Sequence[float]) -> list[bool]:
    """Open where the newest guard reading is over zero, or there is none that counts."""
    guard = [(m, v) for m, v in zip(moments, values, strict=True) if isfinite(v)]
    found, newest = [], -1
    for moment in moments:
        while newest + 1 < len(guard) and guard[newest + 1][0] <= moment:
            newest += 1
        is_known = newest >= 0 and moment - guard[newest][0] <= _MAX_GAP_US
        found.append(guard[newest][1] > 0.0 if is_known else True)
    return found


def cases(columns: Columns) -> dict[str, Case]:
    """Each formula of section L but the replay of an alarm's few events."""
    t_us, walk = columns.t_us, columns.walk
    series = {"t_us": t_us, "value": walk}
    gapped = {**series, "max_gap_s": 180}
    now_us = int(t_us[-1])

    def ringing_rates(count: int) -> Rings:
        moments, values = columns.series(count)
        return _rings(moments, _rates(moments, values), 10.0, 10.0, 0)

    return {
        "limit_watch": Case(
            {**gapped, "limit": 1.0, "clear_limit": 0.5, "on_delay_s": 120, "off_delay_s": 120},
            lambda n: _rings(*columns.series(n), 1.0, 0.5, 120_000_000),
        ),
        "rate_per_h": Case({**gapped, "window_s": 600}, lambda n: _rates(*columns.series(n))),
        "rate_watch": Case({**gapped, "window_s": 600, "limit_per_h": 10.0}, ringing_rates),
        "usual_level_watch": Case(
            {**gapped, "window_s": 3600, "min_spread": MIN_SPREAD, "z_limit": 3.0},
            lambda n: _unusual(t_us[:n].tolist(), walk[:n]),
        ),
        "silence_watch": Case(
            {**series, "timeout_s": 180, "now_us": now_us},
            lambda n: _silences(*columns.series(n), now_us),
        ),
        "guard_gate": Case(
            {
                "t_us": t_us,
                "guard_t_us": t_us,
                "guard_value": walk,
                "guard_limit": 0.0,
                "guard_max_age_s": 180,
            },
            lambda n: _gate(*columns.series(n)),
        ),
    }
