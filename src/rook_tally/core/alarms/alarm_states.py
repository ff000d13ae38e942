"""The states of an alarm and what moves it from one to another (section L of our formulas)."""

from __future__ import annotations

import enum


class AlarmState(enum.Enum):
    """The states of IEC 62682 and ANSI/ISA-18.2 (our own words for what they say)."""

    NORMAL = "normal"
    UNACKNOWLEDGED = "unacknowledged"
    ACKNOWLEDGED = "acknowledged"
    RETURNED_UNACKNOWLEDGED = "returned_unacknowledged"
    SHELVED = "shelved"
    SUPPRESSED = "suppressed"

    @property
    def is_calling(self) -> bool:
        """True if it wants somebody: nobody acknowledged it, nothing keeps it quiet."""
        return self in (AlarmState.UNACKNOWLEDGED, AlarmState.RETURNED_UNACKNOWLEDGED)


class AlarmEvent(enum.Enum):
    """An event of an alarm's state machine."""

    RING = "ring"
    CLEAR = "clear"
    ACK = "ack"
    SHELVE = "shelve"
    UNSHELVE = "unshelve"
    SUPPRESS = "suppress"
    UNSUPPRESS = "unsuppress"


_S, _E = AlarmState, AlarmEvent
_NEXT: dict[tuple[AlarmState, AlarmEvent], AlarmState] = {
    (_S.NORMAL, _E.RING): _S.UNACKNOWLEDGED,
    (_S.UNACKNOWLEDGED, _E.CLEAR): _S.RETURNED_UNACKNOWLEDGED,
    (_S.UNACKNOWLEDGED, _E.ACK): _S.ACKNOWLEDGED,
    (_S.ACKNOWLEDGED, _E.CLEAR): _S.NORMAL,
    (_S.RETURNED_UNACKNOWLEDGED, _E.RING): _S.UNACKNOWLEDGED,
    (_S.RETURNED_UNACKNOWLEDGED, _E.ACK): _S.NORMAL,
}


def alarm_next(state: AlarmState, event: AlarmEvent, *, active: bool) -> AlarmState:
    """The state after an event; `active` says whether the watch's condition holds by then.

    Suppressing wins over shelving and ends it; leaving either goes by the condition.
    """
    if event is _E.SUPPRESS:
        return _S.SUPPRESSED
    if event is _E.SHELVE:
        return state if state is _S.SUPPRESSED else _S.SHELVED
    leaves = (state, event) in ((_S.SHELVED, _E.UNSHELVE), (_S.SUPPRESSED, _E.UNSUPPRESS))
    if leaves:
        return _S.UNACKNOWLEDGED if active else _S.NORMAL
    return _NEXT.get((state, event), state)


def alarm_replay(
    events: list[AlarmEvent], start: AlarmState = AlarmState.NORMAL
) -> list[AlarmState]:
    """The states after each of a list of events."""
    state, active = start, start in (_S.UNACKNOWLEDGED, _S.ACKNOWLEDGED)
    states = []
    for event in events:
        if event in (_E.RING, _E.CLEAR):
            active = event is _E.RING
        state = alarm_next(state, event, active=active)
        states.append(state)
    return states
