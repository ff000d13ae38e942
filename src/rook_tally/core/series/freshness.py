"""Cadence, heard, late, silent: whether a number is even fresh."""

from __future__ import annotations

import enum

import numpy as np

from rook_tally.core.arrays import BoolArray, TimeArray
from rook_tally.core.timestamps import SECOND_US

LATE_CADENCES = 2
SILENT_CADENCES = 5


class Freshness(enum.Enum):
    """Freshness of a station by its cadence: heard, late or silent; or under maintenance, when
    nothing is expected of it."""

    FRESH = "fresh"
    MAINTAINED = "maintained"
    LATE = "late"
    SILENT = "silent"

    @property
    def wording(self) -> str:
        """The state in words for people."""
        return "under maintenance" if self is Freshness.MAINTAINED else self.value

    @property
    def is_telling(self) -> bool:
        """True while what was read last says something of now."""
        return self not in (Freshness.SILENT, Freshness.MAINTAINED)

    @property
    def is_overdue(self) -> bool:
        """True when a reading should have come, and has not."""
        return self in (Freshness.LATE, Freshness.SILENT)


def freshness(
    age_s: float, cadence_s: float, *, is_offline: bool = False, is_maintained: bool = False
) -> Freshness:
    """Late after 2 cadences without a reading, silent after 5; one that is offline by its own word
    is silent at once. Under maintenance it is neither."""
    if is_maintained:
        return Freshness.MAINTAINED
    if is_offline or age_s >= SILENT_CADENCES * cadence_s:
        return Freshness.SILENT
    if age_s >= LATE_CADENCES * cadence_s:
        return Freshness.LATE
    return Freshness.FRESH


def expected_reports_heard(
    time_us: TimeArray, *, now_us: int, cadence_s: float, count: int
) -> BoolArray:
    """Which of the last expected reports came, oldest first.

    A report is expected one cadence after the other, in step with the newest reading; it counts
    as heard when a reading lies within half a cadence of it. One that is less than half a
    cadence overdue is not yet missed.

    Parameters
    ----------
    time_us : (N,) int64, increasing
        At least the readings of the last `count` + 1 cadences.
    now_us : int
    cadence_s : float, > 0
    count : int
        How many expected reports to look back on.

    Returns
    -------
    (count,) bool; all False when there is no reading.
    """
    heard = np.zeros(count, dtype=np.bool_)
    cadence_us = max(round(cadence_s * SECOND_US), 1)
    past = time_us[time_us <= now_us]
    if not len(past):
        return heard
    newest_us = int(past[-1])
    overdue = max(0, (now_us - newest_us - cadence_us // 2) // cadence_us)
    slots = np.round((past - newest_us) / cadence_us).astype(np.int64) + count - 1 - overdue
    heard[slots[(slots >= 0) & (slots < count)]] = True
    return heard
