"""Screening: whether a value is believable, and whose clock its time is by."""

from __future__ import annotations

from typing import NamedTuple

from rook_tally.core.quantities.quantity import Quantity
from rook_tally.core.series.readings import Quality
from rook_tally.core.timestamps import rfc3339
from rook_tally.intake.bounds import EARLIEST_US, MOST_AHEAD_US


class ClockNotSetError(ValueError):
    """Nothing can be stamped with its arrival."""


class Timing(NamedTuple):
    """The moment a reading is kept under; `note` says why it is not the sender's, if it is not."""

    time_us: int
    note: str = ""


def timing(
    sent_us: int | None, *, arrived_us: int, unreadable: str = "", clock_is_set: bool = True
) -> Timing:
    """The sender's time if it gave a believable one, else the arrival time.

    Believable is not more than 2 minutes ahead of the arrival and not before 2015.

    Raises
    ------
    ClockNotSetError
        When only the arrival time is left, and it is by a clock that is not set.
    """
    if not clock_is_set:
        if sent_us is None or unreadable or sent_us < EARLIEST_US:
            raise ClockNotSetError(
                "the collector's clock is not set, and this has no time of its own"
            )
        return Timing(sent_us)
    if unreadable:
        return Timing(arrived_us, f"{unreadable}; kept under its arrival time")
    if sent_us is None:
        return Timing(arrived_us)
    if sent_us < EARLIEST_US:
        return Timing(
            arrived_us, f"time {_shown(sent_us)} is before 2015; kept under its arrival time"
        )
    if sent_us > arrived_us + MOST_AHEAD_US:
        return Timing(
            arrived_us,
            f"time {_shown(sent_us)} is more than 2 minutes ahead; kept under its arrival time",
        )
    return Timing(sent_us)


def _shown(time_us: int) -> str:
    try:
        return rfc3339(time_us)
    except (OverflowError, ValueError):
        return f"{time_us} µs"


def quality_at_arrival(quantity: Quantity, value: float) -> Quality:
    """Suspect at once when outside the believable range, good otherwise."""
    return Quality.GOOD if quantity.is_believable(value) else Quality.UNBELIEVABLE
