"""Estimates how long a station's battery lasts, now and at other cadences."""

from __future__ import annotations

import math

import msgspec
import numpy as np

from rook_tally.core.arrays import FloatArray, TimeArray
from rook_tally.core.comparing.intervals import normal_quantile
from rook_tally.core.comparing.totals import BatteryLife, battery_life
from rook_tally.core.series.readings import readings_from
from rook_tally.core.timestamps import DAY_US

CADENCES_S = (10.0, 60.0, 300.0, 900.0, 3600.0)
_CONFIDENCE = 0.95
_DAY_S = 86_400.0
_RECENT_US = 2 * DAY_US
_FEWEST_COLUMNS = 12
# Below this the cadence was the same all along, as far as a battery's steps can tell.
_DIFFERS = 1.5
_MOST_ALIKE = 0.9


class CadenceLife(msgspec.Struct, frozen=True):
    """Days that the battery lasts from now at a cadence: between these two; the second is infinite
    where no end can be told."""

    cadence_s: float
    days_low: float
    days_high: float


class PowerOutlook(msgspec.Struct, frozen=True):
    """The estimate for one battery: days left, the share of its use that sending takes, days left
    at other cadences.

    `level` is what is left now; `days_low` and `days_high` bound how long that lasts at the pace of
    the last two days, NaN where it does not fall. `share_low` and `share_high` bound the part of
    its use that messages cost, NaN where that cannot be told: where the station has always sent as
    often. The bounds of `cadences` are then those of messages that cost nothing and of messages
    that cost everything.
    """

    level: float
    days_low: float
    days_high: float
    messages_per_day: float
    share_low: float
    share_high: float
    cadences: tuple[CadenceLife, ...]


class _Usage(msgspec.Struct, frozen=True):
    """The fitted use of a battery: its level now, (2,) loss a day at rest and loss a message, and
    the (2, 2) covariance of these."""

    level: float
    rates: FloatArray
    covariance: FloatArray

    def per_day(self, messages: float) -> tuple[float, float]:
        """The loss of a day with so many messages, and its standard error."""
        at = np.array([1.0, messages])
        return float(at @ self.rates), self._error(at)

    def share(self, messages: float) -> tuple[float, float]:
        """The part of the loss that so many messages a day cost, with its interval."""
        rest, sending = float(self.rates[0]), float(self.rates[1]) * messages
        whole = rest + sending
        # How the share moves with each rate.
        at = np.array([-sending, rest * messages]) / whole**2
        spread = normal_quantile(_CONFIDENCE) * self._error(at)
        return max(0.0, sending / whole - spread), min(1.0, sending / whole + spread)

    def _error(self, at: FloatArray) -> float:
        return math.sqrt(max(0.0, float(at @ self.covariance @ at)))


def power_outlook(
    time_us: TimeArray,
    level: FloatArray,
    messages: FloatArray,
    *,
    empty: float,
    refill: float,
    cadences_s: tuple[float, ...] = CADENCES_S,
) -> PowerOutlook:
    """The outlook of a battery, by its level at (N,) moments and how many messages came since the
    moment before; NaN in `level` where nothing is known.

    The line since it was last filled is `battery_life`'s. Where the station sent now more and now
    less often, level = l₀ − a·t − b·m with m the messages since then is fitted by least squares;
    its errors are widened by √((1+r)/(1−r)) with r the first autocorrelation of what is left over
    (Bayley and Hammersley 1946), since neighbouring levels are alike.
    """
    known = np.isfinite(level)
    time_us, level, count = time_us[known], level[known], np.cumsum(messages)[known]
    life = battery_life(readings_from(time_us.tolist(), level.tolist()), empty=empty, refill=refill)
    rises = np.flatnonzero(np.diff(level) >= refill)
    first = int(rises[-1]) + 1 if len(rises) else 0
    time_us, level, count = time_us[first:], level[first:], count[first:]
    nan = math.nan
    per_day = _recent_pace(time_us, count)
    if not life.days_left > 0 or not per_day > 0:
        return PowerOutlook(life.now, nan, nan, per_day, nan, nan, ())
    usage = _usage((time_us - time_us[0]) / DAY_US, (count - count[0]).astype(np.float64), level)
    told = tuple(
        CadenceLife(cadence_s, *_lasts(life, usage, empty, per_day, _DAY_S / cadence_s))
        for cadence_s in cadences_s
    )
    days_low, days_high = _lasts(life, usage, empty, per_day, per_day)
    if usage is None:
        return PowerOutlook(life.now, days_low, days_high, per_day, nan, nan, told)
    low, high = usage.share(per_day)
    return PowerOutlook(usage.level, days_low, days_high, per_day, low, high, told)


def _recent_pace(time_us: TimeArray, count: FloatArray) -> float:
    """Messages a day of the last two days; NaN where less is known."""
    if len(time_us) < 2:
        return math.nan
    first = min(int(np.searchsorted(time_us, time_us[-1] - _RECENT_US)), len(time_us) - 2)
    return float((count[-1] - count[first]) / ((time_us[-1] - time_us[first]) / DAY_US))


def _lasts(
    life: BatteryLife, usage: _Usage | None, empty: float, now: float, messages: float
) -> tuple[float, float]:
    """Days that are left at so many messages a day."""
    if usage is not None:
        rate, error = usage.per_day(messages)
        left, spread = usage.level - empty, normal_quantile(_CONFIDENCE) * error
        high = left / (rate - spread) if rate > spread else math.inf
        return left / (rate + spread), high
    # Between messages that cost nothing and messages that cost everything.
    ratio = now / messages
    low = life.days_low if math.isfinite(life.days_low) else life.days_left
    high = life.days_high if math.isfinite(life.days_high) else life.days_left
    return min(low, low * ratio), max(high, high * ratio)


def _usage(days: FloatArray, sent: FloatArray, level: FloatArray) -> _Usage | None:
    """Fit the loss at rest and by message; None where the data cannot tell them apart."""
    if len(days) < _FEWEST_COLUMNS:
        return None
    paces = np.diff(sent) / np.diff(days)
    slow, quick = np.quantile(paces, (0.1, 0.9))
    if not quick > _DIFFERS * max(float(slow), 1e-9):
        return None
    matrix = np.column_stack([np.ones(len(days)), -days, -sent])
    found, _, rank, _ = np.linalg.lstsq(matrix, level, rcond=None)
    if rank < matrix.shape[1] or found[1] < 0 or found[2] < 0:
        return None
    rest = level - matrix @ found
    variance = float(rest @ rest) / (len(days) - 3)
    spread = float(rest @ rest)
    alike = float(rest[1:] @ rest[:-1]) / spread if spread > 0 else 0.0
    alike = min(max(alike, 0.0), _MOST_ALIKE)
    widened = variance * (1 + alike) / (1 - alike)
    covariance = widened * np.linalg.inv(matrix.T @ matrix)
    return _Usage(
        float((matrix @ found)[-1]),
        found[1:].astype(np.float64),
        covariance[1:, 1:].astype(np.float64),
    )
