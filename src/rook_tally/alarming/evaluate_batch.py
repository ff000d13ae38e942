"""Watches judging what has just been written, in the transaction that writes it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from zoneinfo import ZoneInfo

import numpy as np
from msgspec.structs import replace
from sqlalchemy.engine import Connection

from rook_tally.alarming.alarm_recorder import (
    AlarmRecorder,
    NoticeContext,
    NotificationThrottle,
    level_of,
    notice_context,
)
from rook_tally.alarming.recent_window import SLACK_US, Tail
from rook_tally.alarming.replay import Numbered, replayed
from rook_tally.core.alarms.alarm_detector import NEVER
from rook_tally.core.alarms.backtest import judged, leave_to_ring, rings
from rook_tally.core.alarms.definitions import WatchKind
from rook_tally.core.alarms.journal import JournalKind
from rook_tally.core.alarms.online_detector import Transition, advance
from rook_tally.core.alarms.scope import WatchedSeries
from rook_tally.core.alarms.transitions import Alarm
from rook_tally.core.quantities.levels import Level
from rook_tally.core.remarks import Remark
from rook_tally.core.series.corrections import Correction, corrected_values
from rook_tally.core.series.gaps import microseconds
from rook_tally.core.series.readings import Quality, Readings
from rook_tally.core.timestamps import MINUTE_US
from rook_tally.store.alarms import alarms, all_targets, journalled_between, watches
from rook_tally.store.base import Subject, newest_changes, newest_seq, readings_changed_since
from rook_tally.store.readings import NewReading, newest_row_us, read_range
from rook_tally.store.site import corrections_of, load_site, remarks

LATE_US = 15 * MINUTE_US
"""What was measured longer ago than this when it came in wakes nobody."""
NOT_NEWS = 1 << 60
"""The arrival of what is nobody's news at all."""
_CONCERNED = frozenset(
    {Subject.SITE, Subject.SERIES, Subject.WORKINGS, Subject.WATCHES, Subject.REMARKS}
)
_ALWAYS_US = 1 << 60


class LiveWatches:
    """The watches of a site as one collector steps them. Used by one thread.

    What others wrote to a series, or did to an alarm, meanwhile is read from the store anew: the
    readings since the last one judged are then stepped through again.
    """

    def __init__(self) -> None:
        self._targets: list[WatchedSeries] = []
        self._at: dict[int, list[int]] = {}
        self._alarms: dict[tuple[str, int], Alarm] = {}
        self._tails: dict[int, Tail] = {}
        self._reach_us: dict[int, int] = {}
        self._has_watches = False
        self._is_worked: dict[int, bool] = {}
        self._silent_workings: dict[int, int] = {}
        self._guarded: dict[int, list[int]] = {}
        self._corrections: Mapping[int, list[Correction]] = {}
        self._remarks: Sequence[Remark] = ()
        self._around = NoticeContext("", ZoneInfo("UTC"), {})
        self._gate = NotificationThrottle()
        self._new_us: dict[int, int] = {}
        self._seen_seq = self._site_seq = -1

    def refresh(self, connection: Connection, site_seq: int) -> None:
        """Bind anew when the configuration changed; forget what others changed meanwhile."""
        if site_seq != self._site_seq or self._seen_seq < 0:
            self._site_seq = site_seq
            self._bind(connection)
            return
        newest, subjects = newest_changes(connection, self._seen_seq)
        if newest == self._seen_seq:
            return
        if subjects & _CONCERNED:
            self._bind(connection)
            return
        if not self._targets:
            self._seen_seq = newest
            return
        if Subject.READINGS in subjects:
            _, series_ids = readings_changed_since(connection, self._seen_seq)
            for series_id in series_ids:
                self._tails.pop(series_id, None)
                for at in self._at.get(series_id, ()):
                    self._alarms.pop((self._targets[at].watch.slug, series_id), None)
        if Subject.ALARMS in subjects:
            self._alarms.clear()
        self._seen_seq = newest

    def _bind(self, connection: Connection) -> None:
        several = watches(connection)
        self._has_watches = bool(several)
        if not several:
            self._targets, self._silent_workings = [], {}
            self._at, self._reach_us, self._tails, self._guarded = {}, {}, {}, {}
            self._is_worked, self._corrections, self._alarms = {}, {}, {}
            self._seen_seq = newest_seq(connection)
            return
        site = load_site(connection)
        found, _ = all_targets(connection, site, several)
        # Silence and what is due are a matter of time passing: whoever keeps the time sees to it.
        self._targets = [one for one in found if not one.watch.sort.is_by_time and one.watch.is_on]
        worked = {one.id: one.station.id for one in site.series if one.station.is_worked_out}
        self._silent_workings = {
            one.series.id: worked[one.series.id]
            for one in found
            if one.watch.sort is WatchKind.SILENT and one.series.id in worked
        }
        self._at, self._reach_us, self._tails, self._guarded = {}, {}, {}, {}
        for at, target in enumerate(self._targets):
            self._at.setdefault(target.series.id, []).append(at)
            if target.judge.reach_s:
                self._reaches(target.series.id, microseconds(target.judge.reach_s))
            for guard in target.guards:
                self._guarded.setdefault(guard.series.id, []).append(at)
                self._reaches(guard.series.id, microseconds(guard.settle_s + guard.max_age_s))
        watched = [*self._at, *self._reach_us]
        self._is_worked = {one.id: one.station.is_worked_out for one in site.series}
        self._corrections = corrections_of(connection, watched) if watched else {}
        self._alarms = {}
        self._remarks = remarks(connection)
        self._around = notice_context(connection, site)
        self._seen_seq = newest_seq(connection)

    def _reaches(self, series_id: int, reach_us: int) -> None:
        self._reach_us[series_id] = max(reach_us, self._reach_us.get(series_id, 0))

    def watch(
        self,
        connection: Connection,
        written: Mapping[int, list[NewReading]],
        worked: Mapping[int, list[NewReading]],
        *,
        arrived_us: int,
        rejudged: Mapping[int, int] | None = None,
    ) -> None:
        """Judge readings just written and what was worked out of them.

        Parameters
        ----------
        written, worked : readings by series id, in any order
        arrived_us : when they did; `NOT_NEWS` for what is to wake nobody
        rejudged : from which moment on earlier readings have another quality now, by series id
        """
        if not self._has_watches:
            return
        if any(series_id not in self._is_worked for series_id in (*written, *worked)):
            # Begun by these very readings.
            self._bind(connection)
        told = {
            series_id: self._corrected(series_id, sorted(readings, key=_moment))
            for series_id, readings in (*written.items(), *worked.items())
            if series_id in self._at or series_id in self._reach_us
        }
        changed = {key: one for key, one in (rejudged or {}).items() if key in self._reach_us}
        changed |= {key: one for key, one in (rejudged or {}).items() if key in self._at}
        for series_id in changed:
            self._tails.pop(series_id, None)
            told.setdefault(series_id, [])
        if told:
            now_us = arrived_us
            if arrived_us == NOT_NEWS:
                moments = [one.time_us for several in told.values() for one in several]
                now_us = max(moments, default=0)
            bell = AlarmRecorder(self._around, self._gate, now_us)
            self._new_us = {
                series_id: min(one.time_us for one in readings)
                for series_id, readings in told.items()
                if readings
            }
            for series_id, readings in told.items():
                self._heard(series_id, readings)
            for series_id, readings in told.items():
                for at in self._at.get(series_id, ()):
                    self._judge(
                        connection,
                        self._targets[at],
                        readings,
                        arrived_us,
                        bell,
                        changed.get(series_id, _ALWAYS_US),
                    )
            # A guard that is heard late may have let pass what it did not, or the other way.
            for series_id in told.keys() & self._guarded.keys():
                moment = min(
                    self._new_us.get(series_id, _ALWAYS_US), changed.get(series_id, _ALWAYS_US)
                )
                for at in self._guarded[series_id]:
                    if self._targets[at].series.id not in told:
                        self._judge(connection, self._targets[at], (), arrived_us, bell, moment)
            bell.write(connection)
        if self._targets:
            self._seen_seq = newest_seq(connection)

    def workings_heard(
        self, worked: Mapping[int, list[NewReading]], arrived_us: int
    ) -> dict[int, int]:
        """When the stations of workings that a watch for silence listens to gave a value, by id."""
        return {
            station_id: arrived_us
            for series_id, station_id in self._silent_workings.items()
            if worked.get(series_id)
        }

    def _corrected(self, series_id: int, readings: list[NewReading]) -> list[NewReading]:
        """The good ones among readings, corrected."""
        good = [one for one in readings if one.quality is Quality.GOOD and np.isfinite(one.value)]
        corrections = self._corrections.get(series_id)
        if not corrections or not good:
            return good
        moments = np.array([one.time_us for one in good])
        values = corrected_values(moments, np.array([one.value for one in good]), corrections)
        return [
            NewReading(series_id, one.time_us, value, one.quality)
            for one, value in zip(good, values.tolist(), strict=True)
        ]

    def _heard(self, series_id: int, readings: list[NewReading]) -> None:
        tail = self._tails.get(series_id)
        if tail is None:
            return
        for one in readings:
            if one.time_us <= tail.newest_us:
                del self._tails[series_id]
                return
            tail.add(one.time_us, one.value)

    def _tail(self, connection: Connection, series_id: int, since_us: int) -> Tail:
        tail = self._tails.get(series_id)
        if tail is None or tail.since_us > since_us:
            from_us = since_us - SLACK_US
            readings = read_range(connection, series_id, from_us, _ALWAYS_US)
            good = readings.good
            tail = self._tails[series_id] = Tail(self._reach_us.get(series_id, 0) + LATE_US)
            tail.fill(readings.time_us[good], readings.value[good], from_us)
        return tail

    def _alarm(self, connection: Connection, target: WatchedSeries) -> Alarm:
        key = target.watch.slug, target.series.id
        alarm = self._alarms.get(key)
        if alarm is None:
            # All at once: one look for five hundred watches.
            kept = alarms(connection)
            for one in self._targets:
                mine = one.watch.slug, one.series.id
                if mine not in self._alarms:
                    self._alarms[mine] = self._caught_up(
                        connection, one, kept.get(mine, Alarm(*mine))
                    )
            alarm = self._alarms[key]
        return alarm

    def _caught_up(self, connection: Connection, target: WatchedSeries, alarm: Alarm) -> Alarm:
        """The alarm after the readings before those being judged that changed nothing worth writing
        down.

        Only a delay that runs needs them: without a reading after each gap it would begin anew.
        """
        step = alarm.step
        if step.last_us is None:
            return alarm
        since_us = step.last_us + 1
        upto_us = self._new_us.get(target.series.id, _ALWAYS_US)
        if step.beyond_us is None and step.calm_us is None:
            newest_us = newest_row_us(connection, target.series.id, upto_us)
            known_us = max(newest_us, step.last_us)
            return replace(alarm, step=replace(step, last_us=known_us))
        for row in self._numbered(connection, target, since_us, upto_us):
            step, _ = advance(
                step, target.judge.terms, row.time_us, row.number, may_ring=row.may_ring
            )
        return replace(alarm, step=step)

    def _numbered(
        self, connection: Connection, target: WatchedSeries, since_us: int, upto_us: int
    ) -> list[Numbered]:
        """The good readings in [since, upto) as the watch judges them."""
        from_us = since_us - microseconds(target.judge.reach_s)
        readings = read_range(connection, target.series.id, from_us, upto_us)
        guards = [
            read_range(
                connection,
                one.series.id,
                since_us - microseconds(one.settle_s + one.max_age_s),
                upto_us,
            )
            for one in target.guards
        ]
        rows = judged(target, readings, guards, self._remarks, self._around.zone)
        new = rows.time_us >= since_us
        may = np.ones(len(rows.time_us), np.bool_) if rows.may_ring is None else rows.may_ring
        value = readings.value[np.searchsorted(readings.time_us, rows.time_us)]
        columns = (rows.time_us[new], rows.number[new], may[new], value[new])
        return list(map(Numbered, *(column.tolist() for column in columns)))

    def _judge(
        self,
        connection: Connection,
        target: WatchedSeries,
        readings: Sequence[NewReading],
        arrived_us: int,
        bell: AlarmRecorder,
        changed_us: int,
    ) -> None:
        """Step one watch through new readings of its series, rising in time; from `changed_us` on
        what it was judged by before is another."""
        alarm = before = self._alarm(connection, target)
        key = target.watch.slug, target.series.id
        terms = target.judge.terms
        last_us = -1 if alarm.step.last_us is None else alarm.step.last_us
        oldest_us = arrived_us - LATE_US
        late: list[int] = []
        # Nearly every reading is newer than all before, and changes nothing of them.
        if changed_us <= last_us or (readings and readings[0].time_us <= last_us):
            old = [one.time_us for one in readings if one.time_us <= last_us]
            late = [moment for moment in old if moment < oldest_us]
            if len(late) < len(old) or oldest_us <= changed_us <= last_us:
                alarm = self._replayed(connection, target, alarm, arrived_us, bell)
                last_us = _ALWAYS_US
        for one in readings:
            if one.time_us <= last_us:
                continue
            is_old = one.time_us < oldest_us
            number = self._number(connection, target, one)
            if not np.isfinite(number):
                continue
            step, turned = advance(
                alarm.step,
                terms,
                one.time_us,
                number,
                may_ring=self._may_ring(connection, target, one.time_us),
            )
            alarm = replace(alarm, step=step)
            if turned is not None and turned[0] is Transition.RING:
                ring = bell.rang_late if is_old else bell.rang
                alarm = ring(alarm, target, turned[1], one.value)
            elif turned is not None:
                alarm = bell.cleared(alarm, target, turned[1])
            elif alarm.is_untold and step.is_ringing and not is_old:
                # It rang in what came late, and it still does.
                assert step.rang_us is not None
                alarm = bell.rang(alarm, target, step.rang_us, one.value)
            elif step.is_ringing and level_at(target, one) > alarm.level:
                alarm = self._worse(alarm, target, one)
        self._alarms[key] = alarm
        if not alarm.step.is_as_good_as(before.step) or alarm.level != before.level:
            bell.know(alarm)
        if late:
            self._judge_late(connection, target, late, bell)

    def _replayed(
        self,
        connection: Connection,
        target: WatchedSeries,
        alarm: Alarm,
        arrived_us: int,
        bell: AlarmRecorder,
    ) -> Alarm:
        """Step one watch again from a quarter of an hour ago, and as long before that as its delays
        take."""
        terms = target.judge.terms
        lead_us = microseconds(terms.on_delay_s + terms.off_delay_s + terms.max_gap_s)
        from_us = arrived_us - LATE_US - lead_us
        rows = self._numbered(connection, target, from_us, _ALWAYS_US)
        # A reading that looks back may have no number.
        rows = [one for one in rows if np.isfinite(one.number)]
        return replayed(
            target,
            alarm,
            rows,
            from_us=from_us,
            bell=bell,
            is_old=lambda moment: moment < arrived_us - LATE_US,
        )

    @staticmethod
    def _worse(alarm: Alarm, target: WatchedSeries, one: NewReading) -> Alarm:
        if target.watch.level:
            return alarm
        return replace(alarm, level=level_at(target, one), value=one.value)

    def _number(self, connection: Connection, target: WatchedSeries, one: NewReading) -> float:
        judge = target.judge
        if not judge.reach_s:
            return judge.number(one.value, one.time_us)
        since_us = one.time_us - microseconds(judge.reach_s)
        tail = self._tail(connection, target.series.id, since_us)
        times, values = tail.since(since_us)
        upto = int(np.searchsorted(times, one.time_us, side="right"))
        return judge.newest_number(times[:upto], values[:upto])

    def _may_ring(self, connection: Connection, target: WatchedSeries, time_us: int) -> bool:
        watch = target.watch
        is_free = watch.hours is None and watch.remark_s is None
        if not target.guards and is_free and target.series.maintenance_us is None:
            return True
        guards = []
        for one in target.guards:
            since_us = time_us - microseconds(one.settle_s + one.max_age_s)
            times, values = self._tail(connection, one.series.id, since_us).since(since_us)
            upto = int(np.searchsorted(times, time_us, side="right"))
            guards.append(Readings(times[:upto], values[:upto], np.zeros(upto, np.uint8)))
        may = leave_to_ring(target, np.array([time_us]), guards, self._remarks, self._around.zone)
        return may is None or bool(may[0])

    def _judge_late(
        self,
        connection: Connection,
        target: WatchedSeries,
        late: Sequence[int],
        bell: AlarmRecorder,
    ) -> None:
        """Write down what readings that came too late would have rung."""
        terms = target.judge.terms
        before_us = microseconds(terms.on_delay_s + terms.max_gap_s + target.judge.reach_s)
        after_us = microseconds(terms.on_delay_s + terms.off_delay_s + terms.max_gap_s)
        begin, end = min(late) - before_us, max(late) + after_us
        readings = read_range(connection, target.series.id, begin, end)
        guards = [
            read_range(
                connection, one.series.id, begin - microseconds(one.settle_s + one.max_age_s), end
            )
            for one in target.guards
        ]
        rows = judged(target, readings, guards, self._remarks, self._around.zone)
        for rang_us, cleared_us in rings(rows, terms).tolist():
            until_us = end if cleared_us == NEVER else cleared_us
            if not any(rang_us - before_us <= one <= until_us for one in late):
                continue
            known = journalled_between(
                connection, target.watch.slug, target.series.id, rang_us - before_us, until_us
            )
            # As of itself: what the alarm stands at now is another matter.
            if not known & {JournalKind.RANG, JournalKind.RANG_LATE}:
                value = float(readings.value[np.searchsorted(readings.time_us, rang_us)])
                bell.say(
                    target, JournalKind.RANG_LATE, rang_us, level=level_of(target, value, rang_us)
                )
            if cleared_us != NEVER and not known & {JournalKind.RANG, JournalKind.CLEARED_LATE}:
                bell.say(target, JournalKind.CLEARED_LATE, cleared_us)

    def forget(self) -> None:
        """Drop all that is known: the last batch was not written."""
        self._alarms.clear()
        self._tails.clear()
        self._seen_seq = self._site_seq = -1


def _moment(reading: NewReading) -> int:
    return reading.time_us


def level_at(target: WatchedSeries, one: NewReading) -> Level:
    """The level of a reading by the limits of its series at that moment."""
    return target.limits.at(one.time_us).level_of(one.value)
