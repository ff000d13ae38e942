"""A watch judging readings one by one as they come: the live half of `alarm_detector`.

Between two readings it holds a `DetectorState`, small enough to be saved with them. Fed the same
readings it rings and clears at the same moments, to the microsecond, as a backtest over them.
"""

from __future__ import annotations

import enum
from typing import TYPE_CHECKING

import msgspec

from rook_tally.core.series.gaps import microseconds

if TYPE_CHECKING:
    from rook_tally.core.alarms.alarm_detector import AlarmThresholds


class Transition(enum.Enum):
    """A transition of a watch at one series."""

    RING = "ring"
    CLEAR = "clear"


class DetectorState(msgspec.Struct, frozen=True, omit_defaults=True):
    """The state of a watch at one series; moments in µs, None for no such moment.

    Attributes
    ----------
    last_us : the last reading judged
    beyond_us : since when it has been beyond the limit without a break, while it does not ring
    calm_us : since when it has been calm without a break, while it rings
    rang_us : when it rang; None while it does not ring
    """

    last_us: int | None = None
    beyond_us: int | None = None
    calm_us: int | None = None
    rang_us: int | None = None

    @property
    def is_ringing(self) -> bool:
        """True if it rang and has not cleared."""
        return self.rang_us is not None

    def is_as_good_as(self, other: DetectorState) -> bool:
        """True if both say the same but for the last reading: that is not worth writing down."""
        return (self.beyond_us, self.calm_us, self.rang_us) == (
            other.beyond_us,
            other.calm_us,
            other.rang_us,
        )


Turned = tuple[Transition, int] | None
"""What came about and when."""


def advance(
    step: DetectorState,
    terms: AlarmThresholds,
    time_us: int,
    number: float,
    *,
    may_ring: bool = True,
) -> tuple[DetectorState, Turned]:
    """Take a watch one reading further: its new state, and whether it rang or cleared.

    Parameters
    ----------
    number : what is watched for being above the limit; finite
    may_ring : what its guards say; a reading without their leave counts as calm
    """
    clear = terms.limit if terms.clear_limit is None else terms.clear_limit
    last_us, beyond_us, calm_us = step.last_us, step.beyond_us, step.calm_us
    if last_us is not None and not 0 <= time_us - last_us <= microseconds(terms.max_gap_s):
        beyond_us = calm_us = None
    is_beyond, is_calm = may_ring and number > terms.limit, not may_ring or number <= clear
    beyond_us = None if not is_beyond else time_us if beyond_us is None else beyond_us
    calm_us = None if not is_calm else time_us if calm_us is None else calm_us
    rang_us = step.rang_us
    turned: Turned = None
    if rang_us is None:
        if beyond_us is not None and time_us - beyond_us >= microseconds(terms.on_delay_s):
            rang_us, turned = time_us, (Transition.RING, time_us)
    elif calm_us is not None and time_us - calm_us >= microseconds(terms.off_delay_s):
        turned = (Transition.CLEAR, max(time_us, rang_us))
        rang_us = None
    # Whichever delay cannot come to anything now is not worth knowing, nor writing down.
    if rang_us is None:
        return DetectorState(time_us, beyond_us, None, None), turned
    return DetectorState(time_us, None, calm_us, rang_us), turned
