"""What counters counted, how long a battery lasts, how long a value lay where, and levels over
places (section Q)."""

from __future__ import annotations

import math

import msgspec
import numpy as np

from rook_tally.core.arrays import FloatArray
from rook_tally.core.comparing.intervals import checked_confidence
from rook_tally.core.comparing.slope_interval import sen_slope, thinned
from rook_tally.core.series.gaps import cleaned
from rook_tally.core.series.readings import Readings
from rook_tally.core.series.statistics import EVERYTHING, Window, part_above, pieces_of
from rook_tally.core.timestamps import DAY_US


class CounterTotal(msgspec.Struct, frozen=True):
    """What a counter counted, and what had to be made of its numbers; with resets or jumps the
    total is a lower bound, NaN until two rows are accepted."""

    total: float
    resets: int
    wraps: int
    jumps: int
    rejected: int
    n: int


def counter_total(
    readings: Readings,
    *,
    wrap: float | None = None,
    max_step: float | None = None,
    jitter: float = 0.0,
) -> CounterTotal:
    """Add up a counter over resets, wraps, single wild values and jumps (ours). Gaps are bridged:
    that is the use of a counter.

    Raises
    ------
    ValueError
        For a count that reaches `wrap`, a `max_step` not above 0, or a negative jitter.
    """
    if max_step is not None and not max_step > 0:
        raise ValueError("the largest step is above 0")
    if jitter < 0:
        raise ValueError("jitter is not negative")
    _, counts = cleaned(readings)
    counts = counts[counts >= 0]
    if wrap is not None and len(counts) and float(counts.max()) >= wrap:
        raise ValueError("a count stays below where it wraps")
    n = len(counts)
    steps = np.diff(counts)
    if bool((steps >= 0).all()) and (max_step is None or bool((steps <= max_step).all())):
        # Every row is plausible: nothing to walk through.
        total = float(counts[-1] - counts[0]) if n > 1 else math.nan
        return CounterTotal(total, 0, 0, 0, 0, n)
    return _Counter(wrap, max_step, jitter).walk(counts.tolist())


class _Counter:
    """Walks through a counter whose numbers are not plain; by hand, since each row depends on what
    became of the one before."""

    def __init__(self, wrap: float | None, max_step: float | None, jitter: float) -> None:
        self._wrap, self._jitter = wrap, jitter
        self._most = math.inf if max_step is None else max_step
        self._most_over = self._most if max_step is not None else (wrap or 0.0) / 2
        self.total = 0.0
        self.resets = self.wraps = self.jumps = self.rejected = 0
        self.accepted = 1

    def walk(self, counts: list[float]) -> CounterTotal:
        """Take row after row."""
        last, held = counts[0], None
        for count in counts[1:]:
            if self._accept(last, count):
                last = max(last, count) if 0 < last - count <= self._jitter else count
                self.rejected += held is not None
                held = None
            elif held is not None and 0 <= count - held <= self._most:
                self.total += count - held
                self.jumps += 1
                self.accepted += 2
                last, held = count, None
            else:
                self.rejected += held is not None
                held = count
        self.rejected += held is not None
        total = self.total if self.accepted > 1 else math.nan
        return CounterTotal(total, self.resets, self.wraps, self.jumps, self.rejected, len(counts))

    def _accept(self, last: float, count: float) -> bool:
        step = count - last
        if step >= 0:
            if step > self._most:
                return False
            self.total += step
        elif -step <= self._jitter:
            pass
        elif self._wrap is not None and step + self._wrap <= self._most_over:
            self.total += step + self._wrap
            self.wraps += 1
        elif count <= self._most:
            self.total += count
            self.resets += 1
        else:
            return False
        self.accepted += 1
        return True


class BatteryLife(msgspec.Struct, frozen=True):
    """Days until empty with an interval, and the pace; NaN where it does not fall, or may never."""

    days_left: float
    days_low: float
    days_high: float
    per_day: float
    now: float
    span_days: float
    n: int


def battery_life(
    readings: Readings,
    *,
    empty: float,
    confidence: float = 0.95,
    refill: float | None = None,
    min_span_days: float = 1.0,
    max_days: float = 3650.0,
    max_n: int = 2000,
) -> BatteryLife:
    """When a battery is empty, by the line of median slope since it was last filled (ours).

    Counted from the last row. The interval covers the slope only: discharge curves bend, and cold
    lowers volts. ValueError for a `refill` not above 0.
    """
    checked_confidence(confidence)
    if refill is not None and not refill > 0:
        raise ValueError("a refill is a rise above 0")
    time_us, level = cleaned(readings)
    if refill is not None:
        rises = np.flatnonzero(np.diff(level) >= refill)
        if len(rises):
            time_us, level = time_us[rises[-1] + 1 :], level[rises[-1] + 1 :]
    n, nan = len(level), math.nan
    span_days = float((time_us[-1] - time_us[0]) / DAY_US) if n else nan
    if n < 3 or span_days < min_span_days:
        return BatteryLife(nan, nan, nan, nan, nan, span_days, n)
    days = (time_us - time_us[0]) / DAY_US
    chosen = thinned(n, max_n)
    line = sen_slope(days[chosen], level[chosen], confidence=confidence)
    now = line.offset + line.slope * float(days[-1])
    if now <= empty:
        return BatteryLife(0.0, 0.0, 0.0, line.slope, now, span_days, n)

    def left(slope: float) -> float:
        told = (now - empty) / -slope if slope < 0 else nan
        return told if told <= max_days else nan

    if not line.slope < 0:
        # Not falling: what the interval would say of that is no answer either.
        return BatteryLife(nan, nan, nan, line.slope, now, span_days, n)
    return BatteryLife(
        left(line.slope), left(line.low), left(line.high), line.slope, now, span_days, n
    )


class TimeHistogram(msgspec.Struct, frozen=True):
    """Seconds below, between and from the edges up, (E + 1,), and all that was covered."""

    seconds: FloatArray
    covered_s: float


def histogram_time(
    readings: Readings,
    edges: FloatArray,
    *,
    max_gap_s: float,
    cadence_s: float,
    window: Window = EVERYTHING,
) -> TimeHistogram:
    """How long a value lay between edges, crossings exact; a flat piece on an edge lies above it.

    ValueError without an edge, or where they do not rise.
    """
    if not len(edges) or bool((np.diff(edges) <= 0).any()):
        raise ValueError("there is an edge, and edges rise strictly")
    pieces = pieces_of(readings, max_gap_s=max_gap_s, cadence_s=cadence_s, window=window)
    if not len(pieces.length_s):
        return TimeHistogram(np.full(len(edges) + 1, np.nan), 0.0)
    left, right = pieces.ends
    above = []
    for edge in edges.tolist():
        share, _ = part_above(left - edge, right - edge)
        # What lies on the edge all along belongs above it.
        share = np.where((left == edge) & (right == edge), 1.0, share)
        above.append(float((pieces.length_s * share).sum()))
    covered = pieces.covered_s
    bounds = np.array([covered, *above, 0.0])
    return TimeHistogram(-np.diff(bounds), covered)


class PlacesLevel(msgspec.Struct, frozen=True):
    """A level over places: of all of them, of each and how much of its time is known, (P,)."""

    level_db: float
    place_db: FloatArray
    share: FloatArray
    places: int


def energetic_mean_db(
    levels_db: FloatArray,
    place_weights: FloatArray | None = None,
    time_weights: FloatArray | None = None,
    min_share: float = 0.0,
) -> PlacesLevel:
    """Mean level by energy, over time and then over places, (P, T) dB (ISO 1996-1, ISO 16283-1).

    A place heard less does not count less. ValueError for weights of other lengths, negative ones,
    or a share outside 0 to 1.
    """
    if not 0.0 <= min_share <= 1.0:
        raise ValueError("a share lies between 0 and 1")
    places, times = levels_db.shape
    by_time = _weights_of(time_weights, times)
    by_place = _weights_of(place_weights, places)
    known = np.isfinite(levels_db)
    power = np.where(known, 10.0 ** (np.where(known, levels_db, 0.0) / 10.0), 0.0)
    heard = known @ by_time
    with np.errstate(invalid="ignore", divide="ignore"):
        mean = (power @ by_time) / heard
        place_db = np.where(heard > 0, 10.0 * np.log10(mean), np.nan)
        share = heard / float(by_time.sum())
    used = (by_place > 0) & (share >= min_share - 1e-9) & np.isfinite(place_db)
    total = float(by_place[used].sum())
    level = math.nan
    if total > 0:
        level = 10.0 * math.log10(float((by_place[used] * mean[used]).sum()) / total)
    return PlacesLevel(level, place_db, share, int(np.count_nonzero(used)))


def _weights_of(weights: FloatArray | None, count: int) -> FloatArray:
    if weights is None:
        return np.ones(count)
    if len(weights) != count:
        raise ValueError(f"{count} and {len(weights)} weights")
    told = np.where(np.isfinite(weights), weights, 0.0)
    if bool((told < 0).any()):
        raise ValueError("a weight is not negative")
    return told
