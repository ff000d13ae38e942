"""Two series side by side (section J)."""

from __future__ import annotations

from collections.abc import Sequence
from math import isfinite, nan, sqrt
from typing import Any

from benchmarks.loops.cases import Case, Columns, lists_of
from benchmarks.loops.oddities import median

Pair = tuple[float, float]
_STEP_US, _FARTHEST, _MAX_GAP_US = 60_000_000, 10, 180_000_000
_MONTH_US = 2_629_800_000_000
_MAX_PAIRS = 2000


def _both(a: Sequence[float], b: Sequence[float]) -> list[Pair]:
    return [(x, y) for x, y in zip(a, b, strict=True) if isfinite(x) and isfinite(y)]


def _mean(values: Sequence[float]) -> float:
    return sum(values) / len(values)


def _sums(points: Sequence[Pair]) -> tuple[float, float, float, float, float]:
    """Both means, and the sums of squares and products about them."""
    mean_x, mean_y = (
        sum(x for x, _ in points) / len(points),
        sum(y for _, y in points) / len(points),
    )
    sxx = sum((x - mean_x) ** 2 for x, _ in points)
    syy = sum((y - mean_y) ** 2 for _, y in points)
    sxy = sum((x - mean_x) * (y - mean_y) for x, y in points)
    return mean_x, mean_y, sxx, syy, sxy


def _correlation(points: Sequence[Pair]) -> float:
    _, _, sxx, syy, sxy = _sums(points)
    return min(1.0, max(-1.0, sxy / sqrt(sxx * syy)))


def _ranks(values: Sequence[float]) -> list[float]:
    """From 1, equals sharing their mean rank."""
    order = sorted(range(len(values)), key=values.__getitem__)
    ranks = [0.0] * len(values)
    first = 0
    while first < len(order):
        last = first
        while last + 1 < len(order) and values[order[last + 1]] == values[order[first]]:
            last += 1
        for at in range(first, last + 1):
            ranks[order[at]] = (first + last) / 2 + 1
        first = last + 1
    return ranks


def _rank_correlation(points: Sequence[Pair]) -> float:
    left, right = _ranks([x for x, _ in points]), _ranks([y for _, y in points])
    return _correlation(list(zip(left, right, strict=True)))


def _agreement(points: Sequence[Pair]) -> dict[str, float]:
    count, bias = len(points), _mean([y - x for x, y in points])
    sd = sqrt(sum((y - x - bias) ** 2 for x, y in points) / (count - 1))
    return {
        "bias": bias,
        "sd": sd,
        "lower": bias - 1.96 * sd,
        "upper": bias + 1.96 * sd,
        "se_bias": sd / sqrt(count),
        "se_limits": sd * sqrt(3 / count),
        "n": count,
    }


def _deming(points: Sequence[Pair]) -> dict[str, float]:
    mean_x, mean_y, sxx, syy, sxy = _sums(points)
    if abs(sxy) <= 1e-12 * sqrt(sxx * syy):
        gain = 0.0 if sxx > syy else nan
    else:
        u = syy - sxx
        root = sqrt(u * u + 4 * sxy * sxy)
        gain = 2 * sxy / (root - u) if u < 0 else (u + root) / (2 * sxy)
    return {"gain": gain, "offset": mean_y - gain * mean_x, "n": len(points)}


def _median_line(points: Sequence[Pair]) -> dict[str, float]:
    if len(points) > _MAX_PAIRS:
        points = [points[at * len(points) // _MAX_PAIRS] for at in range(_MAX_PAIRS)]
    slopes = [
        (y1 - y0) / (x1 - x0)
        for at, (x0, y0) in enumerate(points)
        for x1, y1 in points[at + 1 :]
        if x1 != x0
    ]
    gain = median(slopes)
    return {"gain": gain, "offset": median([y - gain * x for x, y in points]), "n": len(points)}


def _drift(moments: Sequence[int], a: Sequence[float], b: Sequence[float]) -> dict[str, float]:
    used = [
        (moment, y - x)
        for moment, x, y in zip(moments, a, b, strict=True)
        if isfinite(x) and isfinite(y)
    ]
    first, last = used[0][0], used[-1][0]
    days = (last - first) / 86_400e6
    if days < 7:
        return {
            "drift_per_month": nan,
            "bias_start": nan,
            "bias_end": nan,
            "span_days": days,
            "n": len(used),
        }
    line = _median_line([((moment - first) / _MONTH_US, apart) for moment, apart in used])
    return {
        "drift_per_month": line["gain"],
        "bias_start": line["offset"],
        "bias_end": line["offset"] + line["gain"] * (last - first) / _MONTH_US,
        "span_days": days,
        "n": line["n"],
    }


def _nearest(
    t_a: Sequence[int],
    a: Sequence[float],
    t_b: Sequence[int],
    b: Sequence[float],
    *,
    within_us: int,
) -> dict[str, list[float]]:
    """Every pair near enough, the nearest taken first, no row twice."""
    near, first = [], 0
    for row, moment in enumerate(t_a):
        while first < len(t_b) and t_b[first] < moment - within_us:
            first += 1
        other = first
        while other < len(t_b) and t_b[other] <= moment + within_us:
            if isfinite(a[row]) and isfinite(b[other]):
                apart = abs(t_b[other] - moment)
                near.append((apart, min(moment, t_b[other]), row, other))
            other += 1
    near.sort()
    used_a, used_b = set(), set()
    pairs = []
    for _, _, row, other in near:
        if row not in used_a and other not in used_b:
            used_a.add(row)
            used_b.add(other)
            pairs.append((row, other))
    pairs.sort()
    return {
        "index_a": [row for row, _ in pairs],
        "index_b": [other for _, other in pairs],
        "dt_s": [(t_b[other] - t_a[row]) / 1e6 for row, other in pairs],
    }


def _resampled(moments: Sequence[int], values: Sequence[float], low: int, high: int) -> list[float]:
    """On whole steps, straight within runs, less its own straight line; NaN elsewhere."""
    good = [(m, v) for m, v in zip(moments, values, strict=True) if isfinite(v)]
    grid, at = [], 0
    for number in range(-(-low // _STEP_US), high // _STEP_US + 1):
        moment = number * _STEP_US
        while at + 1 < len(good) and good[at + 1][0] <= moment:
            at += 1
        before_us, before = good[at]
        if before_us == moment:
            grid.append(before)
        elif (
            before_us < moment and at + 1 < len(good) and good[at + 1][0] - before_us <= _MAX_GAP_US
        ):
            after_us, after = good[at + 1]
            grid.append(before + (moment - before_us) / (after_us - before_us) * (after - before))
        else:
            grid.append(nan)
    known = [(float(at), one) for at, one in enumerate(grid) if isfinite(one)]
    mean_t, mean, stt, _, stv = _sums(known)
    return [one - (mean + stv / stt * (at - mean_t)) for at, one in enumerate(grid)]


def _lag(moments: Sequence[int], a: Sequence[float], b: Sequence[float]) -> dict[str, Any]:
    good_a = [m for m, v in zip(moments, a, strict=True) if isfinite(v)]
    good_b = [m for m, v in zip(moments, b, strict=True) if isfinite(v)]
    low, high = min(good_a[0], good_b[0]), max(good_a[-1], good_b[-1])
    x, y = _resampled(moments, a, low, high), _resampled(moments, b, low, high)
    overlaps = {
        k: _both(x[max(0, -k) : len(x) - max(0, k)], y[max(0, k) : len(y) - max(0, -k)])
        for k in range(-_FARTHEST, _FARTHEST + 1)
    }
    most = max(len(points) for points in overlaps.values())
    r = {
        k: _correlation(points)
        for k, points in overlaps.items()
        if len(points) >= max(10, most / 2)
    }
    best = 0
    for k in sorted(r, key=lambda one: (abs(one), one < 0)):
        if r[k] > r[best] + 1e-12:
            best = k
    part = 0.0
    if abs(best) < _FARTHEST:
        before, here, after = r[best - 1], r[best], r[best + 1]
        bend = before - 2 * here + after
        if bend < 0:
            part = min(0.5, max(-0.5, 0.5 * (before - after) / bend))
    return {
        "lag_s": (best + part) * _STEP_US / 1e6,
        "r": r[best],
        "n": len(overlaps[best]),
        "at_edge": abs(best) == _FARTHEST,
    }


def cases(columns: Columns) -> dict[str, Case]:
    """Each formula of section J."""
    t_us, warm, damp, walk = columns.t_us, columns.warm, columns.damp, columns.walk
    both = {"a": warm, "b": damp}
    later = t_us + 20_000_000
    # A series that follows the first by a minute.
    follows = walk.copy()
    follows[1:] = walk[:-1]

    def points(count: int) -> list[Pair]:
        return _both(*lists_of(count, warm, damp))

    return {
        "bias": Case(both, lambda n: _mean([y - x for x, y in points(n)])),
        "mae": Case(both, lambda n: _mean([abs(y - x) for x, y in points(n)])),
        "rmse": Case(both, lambda n: sqrt(_mean([(y - x) ** 2 for x, y in points(n)]))),
        "pearson_r": Case(both, lambda n: _correlation(points(n))),
        "spearman_r": Case(both, lambda n: _rank_correlation(points(n))),
        "limits_of_agreement": Case(both, lambda n: _agreement(points(n))),
        "deming": Case(both, lambda n: _deming(points(n))),
        "theil_sen": Case(both, lambda n: _median_line(points(n))),
        "drift_per_month": Case(
            {"t_us": t_us, **both}, lambda n: _drift(*lists_of(n, t_us, warm, damp))
        ),
        "align_nearest": Case(
            {"t_a_us": t_us, "value_a": walk, "t_b_us": later, "value_b": walk, "tolerance_s": 30},
            lambda n: _nearest(*columns.series(n), *lists_of(n, later, walk), within_us=30_000_000),
        ),
        "lag_s": Case(
            {
                "t_a_us": t_us,
                "value_a": walk,
                "t_b_us": t_us,
                "value_b": follows,
                "step_s": 60,
                "max_lag_s": 600,
                "max_gap_s": 180,
            },
            lambda n: _lag(*columns.series(n), follows[:n].tolist()),
        ),
    }
