"""The definition of a watch: its condition, its guards, whom it tells and what it runs."""

from __future__ import annotations

import enum

import msgspec

from rook_tally.core.hours_of_day import HoursOfDay
from rook_tally.core.quantities.levels import Level


class WatchKind(enum.Enum):
    """A kind of condition."""

    ABOVE = "above"
    BELOW = "below"
    OUTSIDE = "outside"
    RISING = "rising"
    FALLING = "falling"
    TIMES_USUAL = "times usual"
    UNUSUAL = "unusual"
    LEVEL = "level"
    SO = "so"
    SILENT = "silent"
    DUE = "due"

    @property
    def is_by_time(self) -> bool:
        """True if time passing makes it ring, and no reading does."""
        return self in (WatchKind.SILENT, WatchKind.DUE)

    @property
    def has_limit(self) -> bool:
        """True if it waits for a limit on the readings' own axis."""
        return self in (WatchKind.ABOVE, WatchKind.BELOW, WatchKind.OUTSIDE)

    @property
    def looks_back(self) -> bool:
        """True if it looks over a window of readings."""
        return self in (
            WatchKind.RISING,
            WatchKind.FALLING,
            WatchKind.TIMES_USUAL,
            WatchKind.UNUSUAL,
        )


class Scope(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """Which series a watch is about; what is left empty may be anything.

    `group` is a group's name, or indoors, outdoors, everywhere. Each series has its own state.
    """

    quantity: str = ""
    place: str = ""
    group: str = ""
    station: str = ""
    field: str = ""


class Guard(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """Another series that lets the watch ring while it is above (or below) a limit.

    A scope without a place means the place of what is watched. While the guard is unknown the watch
    may ring: a dead guard must not silence an alarm.
    """

    scope: Scope
    limit: float = 0.5
    unit: str = ""
    is_below: bool = False
    settle_s: float = 0.0


class RunControl(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A control that runs while a watch rings, and for how long in any case and at most."""

    station: str
    control: str
    at_least_s: float = 0.0
    at_most_s: float = 3 * 3600.0
    on: str = "on"
    off: str = "off"


class Watch(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A watch.

    Attributes
    ----------
    slug : str
        What commands call it.
    limit, clear : float
        In `unit`; per hour for rising and falling, a plain number for what is unusual. `clear` None
        is the limit. Of a level its number.
    low : float
        Of outside: the lower limit, `limit` being the upper; `clear` is how far inside it clears.
    for_s, calm_s : float
        How long it must be so before it rings, and not so before it clears.
    window_s, min_spread, exclude_s : float
        Of what looks back: over how long, the least spread of what is usual (in `unit`), and how
        much of the newest is left out of what is usual.
    silent_s : float
        Of silence.
    level : Level
        How it is called; settled for the level that the readings' limits give, noticed at least.
    remark_s : float or None
        Not so long after a remark ended; None does not mind remarks.
    tell, repeat_s : names of ways of telling, and how often again until acknowledged (0: once)
    escalate_s, escalate_to : after so long unacknowledged these are told as well
    is_on : bool
        Off: its alarms are suppressed.
    """

    slug: str
    name: str
    sort: WatchKind
    scope: Scope
    limit: float = 0.0
    clear: float | None = None
    low: float = 0.0
    unit: str = ""
    for_s: float = 0.0
    calm_s: float = 0.0
    window_s: float = 0.0
    min_spread: float = 0.0
    exclude_s: float = 0.0
    silent_s: float = 0.0
    level: Level = Level.SETTLED
    guards: tuple[Guard, ...] = ()
    hours: HoursOfDay | None = None
    remark_s: float | None = None
    tell: tuple[str, ...] = ()
    repeat_s: float = 0.0
    escalate_s: float = 0.0
    escalate_to: tuple[str, ...] = ()
    run: RunControl | None = None
    is_on: bool = True
