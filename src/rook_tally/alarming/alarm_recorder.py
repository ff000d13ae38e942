"""What follows when an alarm rings or clears: its state, the journal, who is told.

An `AlarmRecorder` gathers all of that over one transaction and writes it at once. Rings that come
by the dozen are gathered into one notice a channel, which counts on as long as more of them come.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import tzinfo
from zoneinfo import ZoneInfo

import numpy as np
from msgspec.structs import replace
from sqlalchemy.engine import Connection

from rook_tally.core.alarms.alarm_states import AlarmEvent
from rook_tally.core.alarms.channels import Channel, Notice, NoticeReason
from rook_tally.core.alarms.definitions import Watch
from rook_tally.core.alarms.journal import Entry, JournalKind
from rook_tally.core.alarms.scope import WatchedSeries
from rook_tally.core.alarms.sentences import lasting_words, short_words, span_words
from rook_tally.core.alarms.transitions import Alarm, moved, with_clear, with_ring
from rook_tally.core.hours_of_day import is_within_hours, local_us
from rook_tally.core.quantities.display_unit import DisplayUnit
from rook_tally.core.quantities.levels import Level
from rook_tally.core.quantities.quantity import Quantity
from rook_tally.core.series.gaps import microseconds
from rook_tally.core.timestamps import DAY_US, MINUTE_US
from rook_tally.store.alarms import (
    drop_letters,
    put_letters,
    replace_item,
    ways,
    write_alarms,
    write_journal,
)
from rook_tally.store.site import Site

MANY = 10
"""More rings than this …"""
WITHIN_US = 5 * MINUTE_US
"""… within so long are told as one."""
_NAMED = 8


@dataclass(slots=True)
class _Flood:
    """Rings of one way that are gathered: how many, of which watches, until when."""

    key: str
    until_us: int
    names: dict[str, int] = field(default_factory=dict)
    is_put: bool = False

    def notice(self, site: str, now_us: int) -> Notice:
        """One notice for all alarms of a flood."""
        count = sum(self.names.values())
        told = [
            f"{name} {times} times" if times > 1 else name
            for name, times in list(self.names.items())[:_NAMED]
        ]
        more = len(self.names) - _NAMED
        return Notice(
            key=self.key,
            event=NoticeReason.MANY,
            watch="",
            name="Many at once",
            time_us=now_us,
            title=f"{count} more alarms within {span_words(WITHIN_US / 1e6)}",
            text=", ".join(told) + (f" and {more} other watches" if more > 0 else ""),
            site=site,
        )


class NotificationThrottle:
    """Who was told how often lately, by way; kept by one writer."""

    def __init__(self) -> None:
        self._told: dict[str, deque[int]] = {}
        self._floods: dict[str, _Flood] = {}

    def flood(self, way: str, now_us: int) -> _Flood | None:
        """The flood a ring belongs to; None when it is told by itself."""
        told = self._told.setdefault(way, deque())
        while told and not 0 <= now_us - told[0] <= WITHIN_US:
            told.popleft()
        flood = self._floods.get(way)
        if flood is not None and not now_us < flood.until_us <= now_us + WITHIN_US:
            del self._floods[way]
            flood = None
        if flood is None and len(told) < MANY:
            told.append(now_us)
            return None
        if flood is None:
            flood = self._floods[way] = _Flood(f"many:{way}:{now_us}", now_us + WITHIN_US)
        return flood


@dataclass(frozen=True, slots=True)
class NoticeContext:
    """The site as notices need it."""

    site: str
    zone: tzinfo
    ways: Mapping[str, Channel]


def notice_context(connection: Connection, site: Site) -> NoticeContext:
    """Gather the site's name, zone and channels; a channel without quiet hours gets the site's."""
    quiet = site.settings.quiet
    told = (replace(one, quiet=quiet) if one.quiet is None else one for one in ways(connection))
    return NoticeContext(site.name, ZoneInfo(site.zone), {one.name: one for one in told})


class AlarmRecorder:
    """Gathers what follows from alarms in one transaction."""

    def __init__(self, around: NoticeContext, gate: NotificationThrottle, now_us: int) -> None:
        self._around, self._gate, self._now_us = around, gate, now_us
        self._alarms: dict[tuple[str, int], Alarm] = {}
        self._entries: list[Entry] = []
        self._letters: list[tuple[str, Notice, int]] = []
        self._floods: dict[str, _Flood] = {}
        self._over: list[Alarm] = []

    def know(self, alarm: Alarm) -> Alarm:
        """Have what is known of an alarm written down."""
        self._alarms[alarm.watch, alarm.series_id] = alarm
        return alarm

    def say(
        self,
        target: WatchedSeries,
        sort: JournalKind,
        at_us: int,
        words: str = "",
        who: str = "",
        level: Level = Level.SETTLED,
    ) -> None:
        """Add a line to the journal."""
        self._entries.append(
            Entry(
                at_us,
                sort,
                target.watch.slug,
                target.watch.name,
                target.series.place,
                target.series.id,
                level,
                words,
                who,
            )
        )

    def rang(self, alarm: Alarm, target: WatchedSeries, at_us: int, value: float | None) -> Alarm:
        """A watch has rung at a moment, by a value in the base unit (None for silence)."""
        level = level_of(target, value, at_us)
        if not alarm.is_untold:
            alarm = with_ring(alarm, at_us)
        alarm = replace(
            alarm,
            since_us=at_us,
            level=level,
            value=value,
            is_untold=False,
            who="",
            word="",
            told=(),
        )
        alarm = moved(alarm, AlarmEvent.RING)
        self.say(target, JournalKind.RANG, at_us, self._value_words(target, value), level=level)
        if not alarm.is_quiet:
            alarm = self._due(alarm, target.watch)
            told = self.tell(target, alarm, NoticeReason.RANG, target.watch.tell)
            alarm = replace(alarm, told=told)
        return self.know(alarm)

    def rang_late(
        self, alarm: Alarm, target: WatchedSeries, at_us: int, value: float | None
    ) -> Alarm:
        """It turns out that a watch would have rung: written down, and nobody is woken."""
        self.say(
            target,
            JournalKind.RANG_LATE,
            at_us,
            self._value_words(target, value),
            level=level_of(target, value, at_us),
        )
        alarm = with_ring(alarm, at_us)
        return self.know(replace(alarm, is_untold=True, since_us=at_us, value=value))

    def cleared(self, alarm: Alarm, target: WatchedSeries, at_us: int) -> Alarm:
        """Record that an alarm cleared."""
        since_us = at_us if alarm.since_us is None else alarm.since_us
        alarm = with_clear(alarm, at_us)
        words = f"after {lasting_words(max(0, at_us - since_us))}"
        if alarm.is_untold:
            self.say(target, JournalKind.CLEARED_LATE, at_us, words)
            return self.know(replace(alarm, is_untold=False))
        self.say(target, JournalKind.CLEARED, at_us, words, level=alarm.level)
        was_quiet = alarm.is_quiet
        alarm = moved(alarm, AlarmEvent.CLEAR)
        if not was_quiet:
            self._over.append(alarm)
            self.tell(target, alarm, NoticeReason.CLEARED, alarm.told, at_us=at_us)
        return self.know(replace(alarm, told=()))

    def again(self, alarm: Alarm, target: WatchedSeries) -> Alarm:
        """Nobody has acknowledged it: it is told once more."""
        self.tell(target, alarm, NoticeReason.AGAIN, target.watch.tell)
        repeat_us = self._now_us + microseconds(target.watch.repeat_s)
        return self.know(replace(alarm, repeat_us=repeat_us))

    def escalated(self, alarm: Alarm, target: WatchedSeries) -> Alarm:
        """Nobody has acknowledged it: others are told."""
        told = self.tell(target, alarm, NoticeReason.ESCALATED, target.watch.escalate_to)
        return self.know(replace(alarm, escalate_us=None, told=(*alarm.told, *told)))

    def due(self, alarm: Alarm, target: WatchedSeries) -> Alarm:
        """It calls again, as when it rang: for one that comes back from being set aside."""
        alarm = self._due(alarm, target.watch)
        told = self.tell(target, alarm, NoticeReason.RANG, target.watch.tell)
        return self.know(replace(alarm, told=told))

    def _due(self, alarm: Alarm, watch: Watch) -> Alarm:
        repeat_us = self._now_us + microseconds(watch.repeat_s) if watch.repeat_s else None
        escalate_us = self._now_us + microseconds(watch.escalate_s) if watch.escalate_s else None
        return replace(alarm, repeat_us=repeat_us, escalate_us=escalate_us)

    def tell(
        self,
        target: WatchedSeries,
        alarm: Alarm,
        event: NoticeReason,
        names: tuple[str, ...],
        at_us: int | None = None,
    ) -> tuple[str, ...]:
        """Put a notice into the outbox for each way, when that may be told; returns the ways that
        get one of its own."""
        told: list[str] = []
        since_us = alarm.since_us if alarm.since_us is not None else self._now_us
        at_us = since_us if at_us is None else at_us
        for name in names:
            way = self._around.ways.get(name)
            if way is None:
                continue
            flood = None
            if event is NoticeReason.RANG:
                flood = self._gate.flood(name, self._now_us)
            if flood is not None:
                flood.names[target.watch.name] = flood.names.get(target.watch.name, 0) + 1
                self._floods[name] = flood
                continue
            stamp = at_us if event in (NoticeReason.RANG, NoticeReason.CLEARED) else self._now_us
            key = f"{target.watch.slug}:{target.series.id}:{since_us}:{event.value}:{stamp}:{name}"
            notice = self._notice(key, target, alarm, event, at_us)
            self._letters.append((name, notice, self._due_us(way, alarm.level)))
            told.append(name)
        return tuple(told)

    def _notice(
        self, key: str, target: WatchedSeries, alarm: Alarm, event: NoticeReason, at_us: int
    ) -> Notice:
        watch, series = target.watch, target.series
        shown = _shown(target)
        words = self._value_words(target, alarm.value)
        if event is NoticeReason.CLEARED:
            title = f"{watch.name}: over"
            words = f"{series.place}, {_clock(at_us, self._around.zone)}"
        else:
            title = f"{watch.name}: {alarm.level.wording}"
            since = _clock(at_us, self._around.zone)
            words = ", ".join(
                part
                for part in (
                    f"{words} at {series.place}" if words else series.place,
                    short_words(watch, series.quantity.name),
                    f"since {since}",
                )
            )
            if event in (NoticeReason.AGAIN, NoticeReason.ESCALATED):
                words += ", not acknowledged"
            if event is NoticeReason.TRIAL:
                title = f"Trial of {watch.name}"
                words = f"This is only a trial. {short_words(watch, series.quantity.name)}"
        value = None if alarm.value is None or watch.sort.is_by_time else alarm.value
        return Notice(
            key=key,
            event=event,
            watch=watch.slug,
            name=watch.name,
            time_us=at_us,
            title=title,
            text=words,
            level=alarm.level,
            series_id=series.id,
            place=series.place,
            quantity=series.quantity.slug,
            site=self._around.site,
            value=None if value is None else round(float(shown.value(value)), 9),
            unit=shown.symbol,
        )

    def _value_words(self, target: WatchedSeries, value: float | None) -> str:
        if value is None or target.watch.sort.is_by_time:
            return ""
        shown = _shown(target)
        return f"{target.series.quantity.name} {shown.text(value)} {shown.symbol}".strip()

    def _due_us(self, way: Channel, level: Level) -> int:
        """When a way may tell: now, or after its quiet hours or at the hour of its digest."""
        if way.digest_min is not None:
            return next_clock_us(self._now_us, way.digest_min, self._around.zone)
        if way.quiet is None or level >= Level.SEVERE:
            return self._now_us
        if not is_within_hours(self._now_us, way.quiet, self._around.zone):
            return self._now_us
        return next_clock_us(self._now_us, way.quiet.end_min, self._around.zone)

    def write(self, connection: Connection) -> None:
        """Write all of it down."""
        write_alarms(connection, self._alarms.values())
        # What waits for the end of quiet hours need not be told any more.
        waiting = [
            one.name
            for one in self._around.ways.values()
            if one.quiet is not None and one.digest_min is None
        ]
        for over in self._over if waiting else ():
            drop_letters(connection, over.watch, over.series_id, waiting, now_us=self._now_us)
        for way, flood in self._floods.items():
            notice = flood.notice(self._around.site, self._now_us)
            if flood.is_put:
                replace_item(connection, way, notice, flood.until_us)
            else:
                flood.is_put = True
                self._letters.append((way, notice, flood.until_us))
                self._entries.append(
                    Entry(
                        self._now_us,
                        JournalKind.MANY,
                        "",
                        "Many at once",
                        words="what rings until "
                        f"{_clock(flood.until_us, self._around.zone)} is told {way} as one",
                    )
                )
        put_letters(connection, self._letters, now_us=self._now_us)
        write_journal(connection, self._entries)


def level_of(target: WatchedSeries, value: float | None, at_us: int) -> Level:
    """The level of an alarm that rang at a moment: its watch's own, else by the limits of the
    series then."""
    if target.watch.level is not Level.SETTLED:
        return target.watch.level
    if value is None:
        return Level.NOTICED
    return max(Level.NOTICED, target.limits.at(at_us).level_of(value))


def _shown(target: WatchedSeries) -> DisplayUnit:
    quantity: Quantity = target.series.quantity
    unit = quantity.unit(target.watch.unit) if target.watch.unit else None
    return DisplayUnit(quantity, unit or quantity.base)


def _clock(time_us: int, zone: tzinfo) -> str:
    minutes = _local(time_us, zone) % DAY_US // MINUTE_US
    return f"{minutes // 60:02}:{minutes % 60:02}"


def _local(time_us: int, zone: tzinfo) -> int:
    return int(local_us(np.array([time_us], dtype=np.int64), zone)[0])


def next_clock_us(now_us: int, minute: int, zone: tzinfo) -> int:
    """The next moment at which the clocks of a zone show a minute after midnight."""
    local = _local(now_us, zone)
    ahead_us = (minute * MINUTE_US - local % DAY_US) % DAY_US or DAY_US
    moment = now_us + ahead_us
    # Where clocks change in between, by as much as they do.
    return moment + (local + ahead_us - _local(moment, zone))
