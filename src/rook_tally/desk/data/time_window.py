"""The stretch of time that every view shows."""

from __future__ import annotations

import msgspec
from msgspec.structs import replace

from rook_tally.core.timestamps import DAY_US, HOUR_US, SECOND_US

SHORTEST_US = 10 * SECOND_US
LONGEST_US = 40 * 365 * DAY_US
PRESETS: tuple[tuple[str, int], ...] = (
    ("1 h", HOUR_US),
    ("8 h", 8 * HOUR_US),
    ("24 h", DAY_US),
    ("7 days", 7 * DAY_US),
    ("30 days", 30 * DAY_US),
    ("year", 365 * DAY_US),
)


class TimeWindow(msgspec.Struct, frozen=True):
    """The stretch of time shown, half-open; a live one ends with now."""

    start_us: int
    end_us: int
    is_live: bool

    @property
    def span_us(self) -> int:
        """Its length."""
        return self.end_us - self.start_us

    def zoomed(self, factor: float, at_us: int) -> TimeWindow:
        """Wider (factor > 1) or narrower, the moment at the pointer staying where it is.

        A live window stays at now.
        """
        span = min(max(round(self.span_us * factor), SHORTEST_US), LONGEST_US)
        if self.is_live:
            return replace(self, start_us=self.end_us - span)
        share = (at_us - self.start_us) / self.span_us
        start = round(at_us - share * span)
        return TimeWindow(start, start + span, is_live=False)

    def moved(self, by_us: int, now_us: int) -> TimeWindow:
        """Earlier or later; moved up to now it is live again, moved away it no longer is."""
        end = self.end_us + by_us
        if end >= now_us:
            return TimeWindow(now_us - self.span_us, now_us, is_live=True)
        return TimeWindow(end - self.span_us, end, is_live=False)

    def following(self, now_us: int) -> TimeWindow:
        """A live window brought up to now; any other as it is."""
        if not self.is_live:
            return self
        return TimeWindow(now_us - self.span_us, now_us, is_live=True)
