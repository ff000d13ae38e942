"""What stands out of a series and what cannot be right in it (section I)."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import pairwise
from math import floor, inf, isfinite, nan, pi, sqrt
from typing import Any

import numpy as np

from benchmarks.loops.cases import Case, Columns, lists_of

_MAX_GAP_US = 180_000_000
_CADENCE_S = 60.0
_TO_SIGMA = 1.482602218505602
_THRESHOLD = 1.0


def _good(moments: Sequence[int], values: Sequence[float]) -> Iterator[tuple[int, int, float]]:
    for row, (moment, value) in enumerate(zip(moments, values, strict=True)):
        if isfinite(value):
            yield row, moment, value


def median(values: Sequence[float]) -> float:
    """The middle one, or the mean of the middle two."""
    ordered = sorted(values)
    half = len(ordered) // 2
    return ordered[half] if len(ordered) % 2 else (ordered[half - 1] + ordered[half]) / 2


def _robust_z(values: Sequence[float]) -> list[float]:
    given = [one for one in values if isfinite(one)]
    middle = median(given)
    away = [abs(one - middle) for one in given]
    nothing = 1e-12 * max(abs(one) for one in given)
    spread = _TO_SIGMA * median(away)
    if spread <= nothing:
        spread = sqrt(pi / 2) * sum(away) / len(away)
    if spread <= nothing:
        return [0.0 if isfinite(one) else nan for one in values]
    return [(one - middle) / spread if isfinite(one) else nan for one in values]


def _positive_area(left: float, right: float, width_us: float) -> float:
    """Under a straight line and over zero, unit·h."""
    high, low = max(left, right), min(left, right)
    if high <= 0:
        return 0.0
    height = (left + right) / 2 if low >= 0 else high * high / (2 * (high - low))
    return height * width_us / 1e6 / 3600


def _spells(moments: Sequence[int], values: Sequence[float]) -> list[dict[str, Any]]:
    found: list[dict[str, Any]] = []
    spell: dict[str, Any] | None = None
    mergeable = False

    def opened(start: float, moment: int, value: float, *, is_cut: bool) -> dict[str, Any]:
        """A new spell, or the last one if it ended just where this begins."""
        if mergeable and start - found[-1]["end_us"] <= 0:
            return found.pop()
        return {
            "start_us": start,
            "peak": value,
            "peak_us": moment,
            "area_h": 0.0,
            "cut_start": is_cut,
        }

    def ended(spell: dict[str, Any]) -> dict[str, Any]:
        """A spell at the end of its run, which is itself where that is a lone reading."""
        if is_lone:
            return {
                **spell,
                "area_h": before * _CADENCE_S / 3600,
                "cut_end": True,
                "end_us": before_us + _CADENCE_S * 1e6,
            }
        return {**spell, "end_us": before_us, "cut_end": True}

    before_us, before, is_lone = -inf, 0.0, True
    for _, moment, value in _good(moments, values):
        if moment - before_us <= _MAX_GAP_US:
            crossing = float(moment)
            if (before > _THRESHOLD) != (value > _THRESHOLD):
                share = (_THRESHOLD - before) / (value - before)
                crossing = before_us + share * (moment - before_us)
            if spell is not None and value > _THRESHOLD:
                spell["area_h"] += _positive_area(before, value, moment - before_us)
                if value > spell["peak"]:
                    spell["peak"], spell["peak_us"] = value, moment
            elif spell is not None:
                spell["area_h"] += _positive_area(before, _THRESHOLD, crossing - before_us)
                found.append({**spell, "end_us": crossing, "cut_end": False})
                spell, mergeable = None, True
            elif value > _THRESHOLD:
                spell = opened(crossing, moment, value, is_cut=False)
                spell["area_h"] += _positive_area(_THRESHOLD, value, moment - crossing)
            is_lone = False
        else:
            if spell is not None:
                found.append(ended(spell))
            mergeable = False
            spell = opened(moment, moment, value, is_cut=True) if value > _THRESHOLD else None
            is_lone = True
        before_us, before = moment, value
    if spell is not None:
        found.append(ended(spell))
    for one in found:
        one["start_us"], one["end_us"] = (floor(one[at] + 0.5) for at in ("start_us", "end_us"))
    return found


def _lone_zeros(moments: Sequence[int], values: Sequence[float]) -> list[bool]:
    flags = [False] * len(values)
    rows = list(_good(moments, values))
    for (_, early, before), (row, moment, value), (_, late, after) in zip(
        rows, rows[1:], rows[2:], strict=False
    ):
        if (
            abs(value) <= 0.0
            and abs(before) >= 1.0
            and abs(after) >= 1.0
            and moment - early <= _MAX_GAP_US
            and late - moment <= _MAX_GAP_US
        ):
            flags[row] = True
    return flags


def _stuck(moments: Sequence[int], values: Sequence[float]) -> list[dict[str, float]]:
    found: list[dict[str, float]] = []
    held: list[tuple[int, float]] = []

    def keep() -> None:
        if len(held) >= 5 and held[-1][0] - held[0][0] > 300_000_000:
            found.append(
                {
                    "start_us": held[0][0],
                    "end_us": held[-1][0],
                    "count": len(held),
                    "value": held[0][1],
                }
            )

    for _, moment, value in _good(moments, values):
        if held and (moment - held[-1][0] > _MAX_GAP_US or abs(value - held[0][1]) > 0.0):
            keep()
            held = []
        held.append((moment, value))
    keep()
    return found


def _spikes(moments: Sequence[int], values: Sequence[float]) -> list[bool]:
    rows = list(_good(moments, values))
    value = np.array([one for _, _, one in rows])
    run = [0]
    for (_, early, _), (_, late, _) in pairwise(rows):
        run.append(run[-1] + (late - early > _MAX_GAP_US))
    candidate = []
    for at in range(len(rows)):
        first, after = max(0, at - 3), min(len(rows), at + 4)
        while run[first] != run[at]:
            first += 1
        while run[after - 1] != run[at]:
            after -= 1
        around = value[first:after]
        middle = float(np.median(around))
        deviation = float(np.median(np.abs(around - middle)))
        away = abs(float(value[at]) - middle)
        candidate.append(after - first >= 3 and away > 3.0 * _TO_SIGMA * deviation and away > 0.0)
    flags = [False] * len(values)
    for at in range(1, len(rows) - 1):
        is_alone = run[at - 1] == run[at] == run[at + 1]
        if candidate[at] and is_alone and not candidate[at - 1] and not candidate[at + 1]:
            flags[rows[at][0]] = True
    return flags


def cases(columns: Columns) -> dict[str, Case]:
    """Each formula of section I that looks for something."""
    series = {"t_us": columns.t_us, "value": columns.walk, "max_gap_s": 180.0}
    steady = np.round(columns.walk)

    def level(count: int) -> tuple[list[int], list[float]]:
        moments, values = lists_of(count, columns.t_us, steady)
        return moments, values

    return {
        "robust_z": Case({"value": columns.walk}, lambda n: _robust_z(columns.walk[:n].tolist())),
        "spells": Case(
            {**series, "cadence_s": _CADENCE_S, "threshold": _THRESHOLD},
            lambda n: _spells(*columns.series(n)),
        ),
        "hampel": Case(series, lambda n: _spikes(*columns.series(n))),
        "lone_zero": Case(
            {**series, "value": steady, "min_neighbour": 1.0}, lambda n: _lone_zeros(*level(n))
        ),
        "stuck": Case(
            {**series, "value": steady, "min_count": 5, "min_duration_s": 300},
            lambda n: _stuck(*level(n)),
        ),
    }
