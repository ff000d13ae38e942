"""What a series does when something happens (section O of our formulas)."""

from __future__ import annotations

import math

import msgspec
import numpy as np

from rook_tally.core.arrays import BoolArray, FloatArray, IntArray, TimeArray
from rook_tally.core.comparing.independence import MeanDifference, mean_difference_interval
from rook_tally.core.comparing.intervals import checked_confidence
from rook_tally.core.series.gaps import cleaned, microseconds
from rook_tally.core.series.readings import Readings
from rook_tally.core.series.resampling import values_at

_TIE = 1e-9
_SHARE_TIE = 1e-9


class EventResponse(msgspec.Struct, frozen=True):
    """The mean course around the events that could be used, less each one's own level before.

    `offset_s`, `mean`, `low`, `high`, `n`: (K,) over the grid; each offset has its own interval, so
    they are no band for the whole curve. `peak` keeps its sign; the times are None where unknown.
    """

    offset_s: FloatArray
    mean: FloatArray
    low: FloatArray
    high: FloatArray
    n: IntArray
    events: int
    left_out: int
    peak: float
    peak_after_s: float | None
    back_after_s: float | None


class EventCourses(msgspec.Struct, frozen=True):
    """Every event's course on the shared grid: `course` (E, K) less its own mean before.

    `events_us` (E,) are those that could be used; `offset_s` (K,); `largest` the largest |value|.
    """

    events_us: TimeArray
    offset_s: FloatArray
    course: FloatArray
    left_out: int
    largest: float


def event_courses(
    readings: Readings,
    events_us: TimeArray,
    *,
    before_s: float,
    after_s: float,
    step_s: float,
    max_gap_s: float,
    min_share: float = 0.8,
) -> EventCourses:
    """Lay a series' courses around events over one another.

    An event is used if enough is known both before it and from it on; the same moment twice counts
    once; other events inside the windows are not removed.

    Raises
    ------
    ValueError
        For sides shorter than a step, or a share outside 0 < … ≤ 1.
    """
    if not (step_s > 0 and before_s >= step_s and after_s >= step_s):
        raise ValueError("before and after are at least one step long")
    _checked_share(min_share)
    offsets = np.arange(-math.floor(before_s / step_s), math.floor(after_s / step_s) + 1)
    events = np.unique(events_us)
    time_us, value = cleaned(readings)
    moments = events[:, None] + offsets * microseconds(step_s)
    flat = moments.ravel()
    order = np.argsort(flat, kind="stable")
    found = np.empty(len(flat))
    found[order] = values_at(time_us, value, flat[order], microseconds(max_gap_s))
    course = found.reshape(moments.shape)
    known, before = np.isfinite(course), offsets < 0
    used = (known[:, before].mean(axis=1) >= min_share - _SHARE_TIE) & (
        known[:, ~before].mean(axis=1) >= min_share - _SHARE_TIE
    )
    course = course[used]
    largest = float(np.nanmax(np.abs(course))) if len(course) else math.nan
    if len(course):
        course = course - np.nanmean(course[:, before], axis=1)[:, None]
    return EventCourses(
        events[used],
        (offsets * step_s).astype(np.float64),
        course,
        int(np.count_nonzero(~used)),
        largest,
    )


def event_response(
    readings: Readings,
    events_us: TimeArray,
    *,
    before_s: float,
    after_s: float,
    step_s: float,
    max_gap_s: float,
    confidence: float = 0.95,
    min_share: float = 0.8,
    back_share: float = 0.1,
) -> EventResponse:
    """The mean response of a series to events, its peak and how long until it is back (ours).

    The largest of many noisy means is too large by nature: look at `low` and `high` there.
    """
    courses = event_courses(
        readings,
        events_us,
        before_s=before_s,
        after_s=after_s,
        step_s=step_s,
        max_gap_s=max_gap_s,
        min_share=min_share,
    )
    return response_of(courses, confidence=confidence, back_share=back_share)


def response_of(
    courses: EventCourses, *, confidence: float = 0.95, back_share: float = 0.1
) -> EventResponse:
    """As `event_response`, of courses laid over one another already."""
    from scipy.special import stdtrit

    checked_confidence(confidence)
    if not 0.0 < back_share < 1.0:
        raise ValueError(f"the share that counts as back lies between 0 and 1, got {back_share:g}")
    known = np.isfinite(courses.course)
    n = np.count_nonzero(known, axis=0)
    with np.errstate(invalid="ignore", divide="ignore"):
        mean = np.where(known, courses.course, 0.0).sum(axis=0) / n
        squares = np.where(known, (courses.course - mean) ** 2, 0.0).sum(axis=0)
        deviation = np.sqrt(squares / (n - 1))
        half = stdtrit(np.maximum(n - 1, 1), 0.5 + confidence / 2) * deviation / np.sqrt(n)
    half = np.where(n >= 2, half, np.nan)
    used = len(courses.course)
    told = (courses.offset_s >= 0) & (n * 2 >= used) & (n > 0)
    peak, peak_at = _peak(mean, told, courses.largest)
    return EventResponse(
        courses.offset_s,
        mean,
        mean - half,
        mean + half,
        n,
        used,
        courses.left_out,
        peak,
        None if peak_at is None else float(courses.offset_s[peak_at]),
        None if peak_at is None else _back(courses.offset_s, mean, told, peak_at, back_share),
    )


def _peak(mean: FloatArray, told: BoolArray, largest: float) -> tuple[float, int | None]:
    at = np.flatnonzero(told)
    if not len(at):
        return math.nan, None
    size = np.abs(mean[at])
    if float(size.max()) <= _TIE * largest:
        return 0.0, None
    first = int(at[int(np.argmax(size >= (1.0 - _TIE) * size.max()))])
    return float(mean[first]), first


def _back(
    offset_s: FloatArray, mean: FloatArray, told: BoolArray, peak_at: int, back_share: float
) -> float | None:
    """When the mean has come back to a share of its peak, linear between two offsets."""
    sign, level = math.copysign(1.0, mean[peak_at]), back_share * abs(mean[peak_at])
    later = np.flatnonzero(told[peak_at + 1 :] & (sign * mean[peak_at + 1 :] <= level))
    if not len(later):
        return None
    at = peak_at + 1 + int(later[0])
    if not told[at - 1]:
        return float(offset_s[at])
    above, below = sign * float(mean[at - 1]), sign * float(mean[at])
    if above <= level:
        return float(offset_s[at])
    share = (above - level) / (above - below)
    return float(offset_s[at - 1] + share * (offset_s[at] - offset_s[at - 1]))


class BeforeAfter(msgspec.Struct, frozen=True):
    """The level after a change less the level before; NaN where too little was heard."""

    difference: float
    low: float
    high: float
    mean_before: float
    mean_after: float
    n_eff_before: float
    n_eff_after: float
    share_before: float
    share_after: float


def before_after(
    readings: Readings,
    change_us: int,
    *,
    before_s: float,
    after_s: float,
    step_s: float,
    max_gap_s: float,
    settle_s: float = 0.0,
    confidence: float = 0.95,
    min_share: float = 0.75,
) -> BeforeAfter:
    """Whether the level changed, not why: weather and habits change too (ours).

    Choose whole days where there is a daily course. ValueError for a side shorter than a step, a
    negative time to settle or a share outside 0 < … ≤ 1.
    """
    if not (step_s > 0 and before_s >= step_s and after_s >= step_s) or settle_s < 0:
        raise ValueError("both sides are at least one step long, and settling takes no less than 0")
    _checked_share(min_share)
    step, start_us = microseconds(step_s), change_us + microseconds(settle_s)
    earlier = change_us - np.arange(math.floor(before_s / step_s), 0, -1, dtype=np.int64) * step
    later = start_us + np.arange(math.floor(after_s / step_s), dtype=np.int64) * step
    time_us, value = cleaned(readings)
    gap_us = microseconds(max_gap_s)
    a, b = (values_at(time_us, value, moments, gap_us) for moments in (earlier, later))
    share_a, share_b = float(np.isfinite(a).mean()), float(np.isfinite(b).mean())
    told = mean_difference_interval(a, b, confidence=confidence)
    if min(share_a, share_b) < min_share - _SHARE_TIE:
        told = MeanDifference(
            math.nan,
            math.nan,
            math.nan,
            told.mean_a,
            told.mean_b,
            told.n_eff_a,
            told.n_eff_b,
            math.nan,
        )
    return BeforeAfter(
        told.difference,
        told.low,
        told.high,
        told.mean_a,
        told.mean_b,
        told.n_eff_a,
        told.n_eff_b,
        share_a,
        share_b,
    )


def _checked_share(min_share: float) -> None:
    if not 0.0 < min_share <= 1.0:
        raise ValueError(f"a share lies above 0 and up to 1, got {min_share:g}")
