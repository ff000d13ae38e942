"""Which series move together though nobody said so, and which of a group has begun to stray."""

from __future__ import annotations

import math

import msgspec
import numpy as np

from rook_tally.core.arrays import FloatArray

_FEWEST = 48
_BLOCKED_DAYS = 7
_SPREADS = 4.0
_TO_SIGMA = 1.482602218505602


class FoundPair(msgspec.Struct, frozen=True):
    """Two rows that move together: r of their changes from hour to hour, and of themselves."""

    first: int
    second: int
    r_changes: float
    r: float
    hours: int


def moving_together(hourly: FloatArray, *, least_r: float = 0.7) -> list[FoundPair]:
    """Pairs among (S, H) hourly means whose changes go together, the surest first (ours).

    NaN where unheard. How they change from hour to hour must go together, without what every day
    brings: two rooms that both warm by day do not. `r` says whether what they are goes together as
    well: not where one of the two has begun to stray.
    """
    from scipy.special import erfc

    told = _without_daily_course(hourly)
    changes = np.diff(told, axis=1)
    r_changes, hours = _correlations(changes)
    r, _ = _correlations(told)
    found = []
    pairs = max(1, len(hourly) * (len(hourly) - 1) // 2)
    for first, second in np.argwhere(np.triu(r_changes >= least_r, 1)).tolist():
        n = int(hours[first, second])
        if n < _FEWEST:
            continue
        # Fisher's z, with as many comparisons as there are pairs (Bonferroni).
        z = math.atanh(min(0.999999, float(r_changes[first, second]))) * math.sqrt(n - 3)
        if float(erfc(z / math.sqrt(2))) * pairs < 0.05:
            found.append(
                FoundPair(
                    first, second, float(r_changes[first, second]), float(r[first, second]), n
                )
            )
    return sorted(found, key=lambda one: -one.r_changes)


def _without_daily_course(hourly: FloatArray) -> FloatArray:
    """Less the mean of each hour of the day, (S, H)."""
    result = np.array(hourly, np.float64)
    for hour in range(24):
        column = result[:, hour::24]
        known = np.isfinite(column)
        with np.errstate(invalid="ignore", divide="ignore"):
            mean = np.where(known, column, 0.0).sum(axis=1) / known.sum(axis=1)
        result[:, hour::24] = column - mean[:, None]
    return result


def _correlations(rows: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Pearson's r of every two of (S, H) rows over what both know, and of how many; (S, S)."""
    known = np.isfinite(rows)
    counts = known.astype(np.float64)
    filled = np.where(known, rows, 0.0)
    with np.errstate(invalid="ignore", divide="ignore"):
        filled = np.where(known, filled - (filled.sum(axis=1) / counts.sum(axis=1))[:, None], 0.0)
        n = counts @ counts.T
        mean_a = (filled @ counts.T) / n
        mean_b = mean_a.T
        cross = filled @ filled.T / n - mean_a * mean_b
        square = (filled**2 @ counts.T) / n - mean_a**2
        r = cross / np.sqrt(square * square.T)
    return np.where(np.isfinite(r), np.clip(r, -1.0, 1.0), 0.0), n


class LeftGroup(msgspec.Struct, frozen=True):
    """A row of a group that left it: since which day, how far now, and how far it used to be off.

    `spreads`: how many of its own usual spreads that is.
    """

    row: int
    since_day: int
    now: float
    usual: float
    spreads: float


def strays(daily: FloatArray, *, accuracy: float) -> list[LeftGroup]:
    """Which of (S, D) day means have left the median of the others, the farthest first (ours).

    Each against the median of the others, so that one that strays does not draw the median along.
    What it was off by in the earlier two thirds is its usual; it strays if the last week is off by
    more than four of its usual spreads and by more than the sensor's accuracy besides.
    """
    count, days = daily.shape
    if count < 3 or days < 3 * _BLOCKED_DAYS:
        return []
    found = []
    for row in range(count):
        others = np.delete(daily, row, axis=0)
        heard = np.isfinite(others).any(axis=0) & np.isfinite(daily[row])
        off = np.full(days, np.nan)
        off[heard] = daily[row, heard] - np.nanmedian(others[:, heard], axis=0)
        before = off[: days - days // 3]
        before, last = before[np.isfinite(before)], off[-_BLOCKED_DAYS:]
        last = last[np.isfinite(last)]
        if len(before) < 2 * _BLOCKED_DAYS or len(last) < _BLOCKED_DAYS // 2:
            continue
        usual = float(np.median(before))
        spread = max(_TO_SIGMA * float(np.median(np.abs(before - usual))), accuracy / 10)
        now = float(np.median(last))
        if abs(now - usual) <= max(_SPREADS * spread, accuracy):
            continue
        away = np.abs(off - usual) > 2 * spread
        inside = np.flatnonzero(heard & ~away)
        since = int(inside[-1]) + 1 if len(inside) else 0
        found.append(LeftGroup(row, since, now, usual, abs(now - usual) / spread))
    return sorted(found, key=lambda one: -one.spreads)
