"""The alarm of a watch at one series: what is known of it, and what moves it from state to state.

States and events are those of IEC 62682 (`core.watching`). A ring that is found out too late to
wake anybody is *untold*: the alarm stays as it was until a fresh reading shows that it still rings.
"""

from __future__ import annotations

import msgspec
from msgspec.structs import replace

from rook_tally.core.alarms.alarm_states import AlarmEvent, AlarmState, alarm_next
from rook_tally.core.alarms.online_detector import DetectorState
from rook_tally.core.quantities.levels import Level


class Alarm(msgspec.Struct, frozen=True, omit_defaults=True):
    """The alarm of a watch at one series.

    Attributes
    ----------
    level, value : at the last ring, and the worst since; the value in the base unit
    since_us : when it rang last
    is_untold : it rang when it was too late to tell anybody
    who, word : who acknowledged or shelved it, and why
    shelved_until_us : None while it is not shelved
    told : the ways that were told of the last ring by itself; they hear when it is over
    repeat_us, escalate_us : when it is to be told again, or to others; None for never
    rings : when it rang and cleared lately, the newest last; None for not yet
    """

    watch: str
    series_id: int
    step: DetectorState = DetectorState()
    state: AlarmState = AlarmState.NORMAL
    level: Level = Level.SETTLED
    value: float | None = None
    since_us: int | None = None
    is_untold: bool = False
    who: str = ""
    word: str = ""
    shelved_until_us: int | None = None
    told: tuple[str, ...] = ()
    repeat_us: int | None = None
    escalate_us: int | None = None
    rings: tuple[tuple[int, int | None], ...] = ()

    @property
    def is_standing(self) -> bool:
        """True if it is anything but normal."""
        return self.state is not AlarmState.NORMAL

    @property
    def is_calling(self) -> bool:
        """True if it wants somebody: nobody acknowledged it, nothing keeps it quiet."""
        return self.state.is_calling

    @property
    def is_quiet(self) -> bool:
        """True if it is set aside: it rings on, and nobody is told."""
        return self.state in (AlarmState.SHELVED, AlarmState.SUPPRESSED)


_RINGS_KEPT = 16


def with_ring(alarm: Alarm, rang_us: int) -> Alarm:
    """The alarm with one more ring among those that are known."""
    return replace(alarm, rings=(*alarm.rings[1 - _RINGS_KEPT :], (rang_us, None)))


def with_clear(alarm: Alarm, cleared_us: int) -> Alarm:
    """The alarm with its last ring over."""
    if not alarm.rings or alarm.rings[-1][1] is not None:
        return alarm
    rang_us = alarm.rings[-1][0]
    return replace(alarm, rings=(*alarm.rings[:-1], (rang_us, max(rang_us, cleared_us))))


def moved(alarm: Alarm, event: AlarmEvent) -> Alarm:
    """The alarm after an event; what nobody is to be told any more is not due."""
    active = alarm.step.is_ringing and not alarm.is_untold
    after = replace(alarm, state=alarm_next(alarm.state, event, active=active))
    if after.state is not AlarmState.UNACKNOWLEDGED:
        after = replace(after, repeat_us=None, escalate_us=None)
    if after.state is not AlarmState.SHELVED:
        after = replace(after, shelved_until_us=None)
    return after


def acknowledged(alarm: Alarm, who: str, word: str) -> Alarm:
    """The alarm once somebody has seen it."""
    return replace(moved(alarm, AlarmEvent.ACK), who=who, word=word)


def shelved(alarm: Alarm, until_us: int, who: str, word: str) -> Alarm:
    """The alarm once somebody has set it aside for a while."""
    after = replace(moved(alarm, AlarmEvent.SHELVE), who=who, word=word)
    if after.state is AlarmState.SHELVED:
        after = replace(after, shelved_until_us=until_us)
    return after
