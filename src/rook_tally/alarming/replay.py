"""A watch stepped again over the last quarter of an hour, because something came out of order.

What was told stays told. What is newly found rings or clears now, marked with its true time; after
that the alarm stands as a backtest over the same readings says.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import NamedTuple

from msgspec.structs import replace

from rook_tally.alarming.alarm_recorder import AlarmRecorder, level_of
from rook_tally.core.alarms.alarm_detector import NEVER
from rook_tally.core.alarms.journal import JournalKind
from rook_tally.core.alarms.online_detector import DetectorState, Transition, advance
from rook_tally.core.alarms.scope import WatchedSeries
from rook_tally.core.alarms.transitions import Alarm

Episode = tuple[int, int | None]
"""When it rang, and when it cleared."""


class Numbered(NamedTuple):
    """A good reading as a watch judges it: its moment, the number watched, leave to ring, value."""

    time_us: int
    number: float
    may_ring: bool
    value: float


def replayed(
    target: WatchedSeries,
    alarm: Alarm,
    rows: Sequence[Numbered],
    *,
    from_us: int,
    is_old: Callable[[int], bool],
    bell: AlarmRecorder,
) -> Alarm:
    """The alarm after all of its readings from a moment on, in order of their time.

    Parameters
    ----------
    rows : from `from_us` on, which lies before everything that came out of order by as long as its
        delays take
    is_old : whether a moment is too long ago to wake anybody
    """
    told = _told(alarm)
    begun = next(
        (
            rang
            for rang, cleared in told
            if rang <= from_us and (cleared is None or cleared > from_us)
        ),
        None,
    )
    step, found = DetectorState(rang_us=begun), list[Episode]()
    if begun is not None:
        found.append((begun, None))
    values: dict[int, float] = {}
    for row in rows:
        step, turned = advance(
            step, target.judge.terms, row.time_us, row.number, may_ring=row.may_ring
        )
        if turned is None:
            continue
        if turned[0] is Transition.RING:
            values[turned[1]] = row.value
            found.append((turned[1], None))
        else:
            found[-1] = (found[-1][0], turned[1])
    if step.last_us is None:
        step = replace(step, last_us=alarm.step.last_us)
    was_ringing = alarm.step.is_ringing
    for rang_us, cleared_us in found:
        if any(_overlap((rang_us, cleared_us), one) for one in told):
            continue
        if cleared_us is None:
            alarm = replace(alarm, step=step)
            ring = bell.rang_late if is_old(rang_us) else bell.rang
            alarm, was_ringing = ring(alarm, target, rang_us, values.get(rang_us)), True
        else:
            alarm = _passed_by(target, alarm, (rang_us, cleared_us), values, is_old, bell)
    if was_ringing and not step.is_ringing:
        over_us = [one for _, one in found if one is not None]
        since_us = alarm.step.rang_us or 0
        newest_us = step.last_us if step.last_us is not None else since_us
        # A ring that turns out to have been none ends now.
        at_us = max([one for one in over_us[-1:] if one >= since_us] or [newest_us, since_us])
        alarm = bell.cleared(replace(alarm, step=step), target, at_us)
    elif step.is_ringing and not was_ringing:
        # What was called over is not: it rings on from there.
        again_us = max((one for _, one in told if one is not None), default=step.rang_us or 0)
        alarm = bell.rang(replace(alarm, step=step), target, again_us, alarm.value)
    elif alarm.is_untold and step.is_ringing and rows and not is_old(rows[-1].time_us):
        assert step.rang_us is not None
        alarm = bell.rang(replace(alarm, step=step), target, step.rang_us, rows[-1].value)
    return replace(alarm, step=step)


def _told(alarm: Alarm) -> list[Episode]:
    """The last alarms of a watch at a series."""
    told = list(alarm.rings)
    rang_us = alarm.step.rang_us
    if rang_us is not None and not (told and told[-1][1] is None):
        told.append((rang_us, None))
    return told


def _overlap(one: Episode, other: Episode) -> bool:
    ends = [NEVER if end is None else end for end in (one[1], other[1])]
    return one[0] <= ends[1] and other[0] <= ends[0]


def _passed_by(
    target: WatchedSeries,
    alarm: Alarm,
    episode: tuple[int, int],
    values: dict[int, float],
    is_old: Callable[[int], bool],
    bell: AlarmRecorder,
) -> Alarm:
    """A ring that nobody knew of and that is over: told with its own times."""
    rang_us, cleared_us = episode
    value = values.get(rang_us)
    if alarm.step.is_ringing or is_old(rang_us):
        # What stands now is another matter.
        late = is_old(rang_us)
        bell.say(
            target,
            JournalKind.RANG_LATE if late else JournalKind.RANG,
            rang_us,
            level=level_of(target, value, rang_us),
        )
        bell.say(target, JournalKind.CLEARED_LATE if late else JournalKind.CLEARED, cleared_us)
        return bell.know(replace(alarm, rings=(*alarm.rings, episode)))
    ringing = replace(alarm, step=DetectorState(last_us=rang_us, rang_us=rang_us))
    alarm = bell.rang(ringing, target, rang_us, value)
    return bell.cleared(replace(alarm, step=DetectorState(last_us=cleared_us)), target, cleared_us)
