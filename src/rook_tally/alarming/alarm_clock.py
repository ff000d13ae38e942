"""What watches owe to time passing and to people: silence, shelves that end, repeats, what was
acknowledged, controls. One collector at a time does this for a store."""

from __future__ import annotations

from collections.abc import Sequence
from zoneinfo import ZoneInfo

import msgspec
from msgspec.structs import replace
from sqlalchemy.engine import Connection

from rook_tally.alarming.alarm_recorder import (
    AlarmRecorder,
    NoticeContext,
    NotificationThrottle,
    notice_context,
)
from rook_tally.alarming.control_runs import keep_running, try_control
from rook_tally.core.alarms.alarm_states import AlarmEvent, AlarmState
from rook_tally.core.alarms.channels import NoticeReason
from rook_tally.core.alarms.definitions import Watch, WatchKind
from rook_tally.core.alarms.journal import Entry, JournalKind
from rook_tally.core.alarms.online_detector import DetectorState, Transition
from rook_tally.core.alarms.scope import WatchedSeries
from rook_tally.core.alarms.transitions import Alarm, acknowledged, moved, shelved
from rook_tally.core.errors import UsageError
from rook_tally.core.series.gaps import microseconds
from rook_tally.core.struct_types import prepare
from rook_tally.store.alarms import (
    alarms,
    all_targets,
    armed_since,
    control_runs,
    drop_alarms,
    watches,
    write_journal,
)
from rook_tally.store.base import Store, Subject, newest_changes, newest_seq
from rook_tally.store.site import (
    AlarmWish,
    Request,
    RequestKind,
    RequestState,
    answer_requests,
    last_heard,
    load_site,
    open_requests,
)
from rook_tally.store.site.reference_points import calibrations_due

_CONCERNED = frozenset({Subject.SITE, Subject.SERIES, Subject.WORKINGS, Subject.WATCHES})
WISHES = frozenset(
    {RequestKind.ACKNOWLEDGE, RequestKind.SHELVE, RequestKind.UNSHELVE, RequestKind.TRIAL}
)
_LATEST_SHELF_US = 365 * 86_400 * 1_000_000


class AlarmClock:
    """Sees to what time and people do to alarms. Used by one thread."""

    def __init__(self, store: Store, *, since_us: int) -> None:
        """`since_us`: since when somebody has listened; nobody is called silent before that."""
        self._store = store
        self._since_us = since_us
        self._looked_us = -1
        self._was_back = False
        self._gate = NotificationThrottle()
        self._seen_seq = -1
        self._watches: Sequence[Watch] = ()
        self._targets: dict[tuple[str, int], WatchedSeries] = {}
        self._stations: dict[str, int] = {}
        self._heard_us: dict[int, int] = {}
        self._armed_us: dict[str, int] = {}
        self._due_us: dict[int, int] = {}
        self._around = NoticeContext("", ZoneInfo("UTC"), {})
        self.troubles: dict[str, str] = {}

    def look(self, now_us: int) -> None:
        """Do what is due.

        Raises
        ------
        StoreError
            When the store cannot be read or written; nothing was done then.
        """
        with self._store.read() as connection:
            self._follow(connection)
            self._heard_us = last_heard(connection)
            # A clock that was set back: what was heard lies ahead, and silence counts from here.
            is_back = now_us < max(self._heard_us.values(), default=0)
            if now_us < self._looked_us or (is_back and not self._was_back):
                self._since_us = now_us
            self._looked_us, self._was_back = now_us, is_back
            known = alarms(connection)
            wishes = [one for one in open_requests(connection) if one.sort in WISHES]
            is_due = self._is_anything_due(connection, known, now_us)
        if not is_due and not wishes:
            return
        with self._store.write() as connection:
            bell = AlarmRecorder(self._around, self._gate, now_us)
            known = alarms(connection)
            self._drop_what_is_gone(connection, known, now_us)
            for wish in wishes:
                self._grant(connection, wish, known, bell, now_us)
            self._listen(known, bell, now_us)
            for key, alarm in list(known.items()):
                known[key] = self._passed(alarm, self._targets[key], bell, now_us)
            bell.write(connection)
            keep_running(connection, self._watches, known, now_us=now_us)

    def _follow(self, connection: Connection) -> None:
        """Read the configuration anew when it was changed."""
        newest, subjects = newest_changes(connection, max(self._seen_seq, 0))
        if self._seen_seq >= 0 and not subjects & _CONCERNED:
            self._seen_seq = newest
            return
        self._seen_seq = newest_seq(connection)
        self._watches = watches(connection)
        if not self._watches:
            # Stations may be coming by the hundred, and nobody watches them.
            self._targets, self._stations, self._armed_us, self.troubles = {}, {}, {}, {}
            return
        site = load_site(connection)
        found, troubles = all_targets(connection, site, self._watches)
        self._targets = {(one.watch.slug, one.series.id): one for one in found}
        self.troubles = {slug: str(error) for slug, error in troubles.items()}
        # Workings have stations of their own.
        self._stations = {one.station.key: one.station.id for one in site.series}
        self._stations |= {one.key: one.id for one in site.stations}
        self._armed_us = armed_since(connection)
        wants_due = any(one.sort is WatchKind.DUE for one in self._watches)
        self._due_us = calibrations_due(connection, site) if wants_due else {}
        self._around = notice_context(connection, site)

    def _is_anything_due(
        self, connection: Connection, known: dict[tuple[str, int], Alarm], now_us: int
    ) -> bool:
        """True if there is anything to write; most looks end here."""
        if any(key not in self._targets for key in known):
            return True
        is_ringing = any(one.step.is_ringing for one in known.values())
        has_controls = any(watch.run is not None for watch in self._watches)
        if control_runs(connection) or (is_ringing and has_controls):
            return True
        for key, alarm in known.items():
            target = self._targets[key]
            marks = (alarm.shelved_until_us, alarm.repeat_us, alarm.escalate_us)
            if any(one is not None and one <= now_us for one in marks):
                return True
            if (alarm.state is AlarmState.SUPPRESSED) == target.is_in_force(now_us):
                return True
        return any(
            self._turned(target, known.get(key, Alarm(*key)), now_us)[1]
            for key, target in self._targets.items()
            if target.watch.sort.is_by_time
        )

    def _drop_what_is_gone(
        self, connection: Connection, known: dict[tuple[str, int], Alarm], now_us: int
    ) -> None:
        """Forget alarms of series that are not there any more."""
        names = {one.slug: one.name for one in self._watches}
        for key in [key for key in known if key not in self._targets]:
            alarm = known.pop(key)
            drop_alarms(connection, alarm.watch, [alarm.series_id])
            if alarm.is_standing:
                write_journal(
                    connection,
                    [
                        Entry(
                            now_us,
                            JournalKind.ENDED,
                            alarm.watch,
                            names.get(alarm.watch, alarm.watch),
                            series_id=alarm.series_id,
                            level=alarm.level,
                            words="what it watched is not there any more",
                        )
                    ],
                )

    # Silence

    def _turned(
        self, target: WatchedSeries, alarm: Alarm, now_us: int
    ) -> tuple[DetectorState, list[tuple[Transition, int]]]:
        """The state of a watch that goes by time, and its transitions since the last look."""
        armed_us = self._armed_us.get(target.watch.slug, now_us)
        if target.watch.sort is WatchKind.DUE:
            return self._turned_due(target, alarm, max(armed_us, 0), now_us)
        return self._turned_silent(target, alarm, armed_us, now_us)

    def _turned_due(
        self, target: WatchedSeries, alarm: Alarm, armed_us: int, now_us: int
    ) -> tuple[DetectorState, list[tuple[Transition, int]]]:
        """By when its sensor is to be calibrated again; one that never was is due at once."""
        due_us = self._due_us.get(target.series.id)
        is_due = due_us is not None and due_us <= now_us and target.is_in_force(now_us)
        step = alarm.step
        if step.rang_us is not None and not is_due:
            return DetectorState(), [(Transition.CLEAR, max(now_us, step.rang_us))]
        if step.rang_us is None and is_due:
            assert due_us is not None
            # What was due long before anybody watched for it rings from then on.
            rings_us = min(now_us, max(due_us, armed_us))
            state = DetectorState(last_us=rings_us, rang_us=rings_us)
            return state, [(Transition.RING, rings_us)]
        return step, []

    def _turned_silent(
        self, target: WatchedSeries, alarm: Alarm, armed_us: int, now_us: int
    ) -> tuple[DetectorState, list[tuple[Transition, int]]]:
        """The state of a silence watch now, and its transitions since it was last looked at.

        By when its station was heard, and by nothing else; never heard counts from when somebody
        began to watch for it.
        """
        heard_us = self._heard_us.get(self._stations.get(target.series.station, -1))
        step, turns = alarm.step, list[tuple[Transition, int]]()
        # Another word than the one it had rung after, whatever the clock said at it.
        if step.rang_us is not None and heard_us is not None and heard_us != step.last_us:
            turns.append((Transition.CLEAR, max(heard_us, step.rang_us)))
            step = DetectorState()
        moments = (self._since_us, armed_us, -1 if heard_us is None else heard_us)
        since_us = max((one for one in moments if one <= now_us), default=now_us)
        # What was not expected during maintenance was not missed.
        _, maintained_us = target.series.maintenance_us or (0, 0)
        if maintained_us <= now_us:
            since_us = max(since_us, maintained_us)
        elif not target.is_in_force(now_us):
            since_us = now_us
        rings_us = since_us + microseconds(target.watch.silent_s)
        if step.rang_us is None and now_us > rings_us:
            step = DetectorState(
                last_us=armed_us if heard_us is None else heard_us, rang_us=rings_us
            )
            turns.append((Transition.RING, rings_us))
        return step, turns

    def _listen(
        self, known: dict[tuple[str, int], Alarm], bell: AlarmRecorder, now_us: int
    ) -> None:
        for key, target in self._targets.items():
            if not target.watch.sort.is_by_time:
                continue
            alarm = known.get(key, Alarm(*key))
            step, turns = self._turned(target, alarm, now_us)
            for turn, moment in turns:
                if turn is Transition.RING:
                    alarm = replace(alarm, step=step)
                    alarm = bell.rang(alarm, target, moment, None)
                else:
                    alarm = replace(alarm, step=DetectorState(step.last_us))
                    alarm = bell.cleared(alarm, target, moment)
            if turns:
                known[key] = bell.know(replace(alarm, step=step))

    # Time passing

    def _passed(
        self, alarm: Alarm, target: WatchedSeries, bell: AlarmRecorder, now_us: int
    ) -> Alarm:
        """Apply what time brings: end a shelf, repeat a notice, set the alarm aside with its watch
        or under maintenance."""
        is_suppressed, is_in_force = (
            alarm.state is AlarmState.SUPPRESSED,
            target.is_in_force(now_us),
        )
        if is_suppressed and is_in_force:
            return self._back(alarm, target, AlarmEvent.UNSUPPRESS, bell, now_us)
        if not is_suppressed and not is_in_force:
            why = "the station is under maintenance" if target.watch.is_on else "the watch is off"
            bell.say(target, JournalKind.SUPPRESSED, now_us, why)
            return bell.know(moved(alarm, AlarmEvent.SUPPRESS))
        if alarm.shelved_until_us is not None and alarm.shelved_until_us <= now_us:
            return self._back(alarm, target, AlarmEvent.UNSHELVE, bell, now_us)
        if alarm.escalate_us is not None and alarm.escalate_us <= now_us:
            alarm = bell.escalated(alarm, target)
        if alarm.repeat_us is not None and alarm.repeat_us <= now_us:
            alarm = bell.again(alarm, target)
        return alarm

    def _back(
        self,
        alarm: Alarm,
        target: WatchedSeries,
        event: AlarmEvent,
        bell: AlarmRecorder,
        now_us: int,
        who: str = "",
    ) -> Alarm:
        """An alarm that is no longer set aside; it calls if it still rings."""
        is_shelf = event is AlarmEvent.UNSHELVE
        sort = JournalKind.UNSHELVED if is_shelf else JournalKind.UNSUPPRESSED
        bell.say(target, sort, now_us, who=who)
        alarm = moved(alarm, event)
        if alarm.state is AlarmState.UNACKNOWLEDGED:
            return bell.due(alarm, target)
        return bell.know(alarm)

    # What people want

    def _grant(
        self,
        connection: Connection,
        wish: Request,
        known: dict[tuple[str, int], Alarm],
        bell: AlarmRecorder,
        now_us: int,
    ) -> None:
        """Do what somebody wants of a watch's alarms, and say what came of it."""
        try:
            answer = self._granted(connection, wish, known, bell, now_us)
            state = RequestState.CONFIRMED
        except (UsageError, msgspec.MsgspecError) as error:
            answer, state = str(error), RequestState.REFUSED
        answer_requests(connection, [wish.id], state, answer, now_us=now_us)

    def _granted(
        self,
        connection: Connection,
        wish: Request,
        known: dict[tuple[str, int], Alarm],
        bell: AlarmRecorder,
        now_us: int,
    ) -> str:
        said = msgspec.json.decode(wish.value or "{}", type=AlarmWish)
        watch = next((one for one in self._watches if one.slug == wish.station), None)
        if watch is None:
            raise UsageError(f"there is no watch {wish.station}", remedy="see the list again")
        if wish.sort is RequestKind.TRIAL:
            return self._try(connection, watch, wish.who, bell, now_us)
        wanted = {
            key: target
            for key, target in self._targets.items()
            if key[0] == watch.slug and wish.name in ("", str(key[1]))
        }
        if wish.sort is RequestKind.ACKNOWLEDGE:
            done = [key for key in wanted if key in known and known[key].is_calling]
            for key in done:
                known[key] = bell.know(acknowledged(known[key], wish.who, said.word))
                bell.say(wanted[key], JournalKind.ACKNOWLEDGED, now_us, said.word, wish.who)
            if not done:
                raise UsageError(
                    f"{watch.name} has nothing to acknowledge", kept="all is as it was"
                )
            return f"{len(done)} acknowledged"
        if wish.sort is RequestKind.UNSHELVE:
            done = [
                key for key in wanted if key in known and known[key].state is AlarmState.SHELVED
            ]
            for key in done:
                known[key] = self._back(
                    known[key], wanted[key], AlarmEvent.UNSHELVE, bell, now_us, wish.who
                )
            if not done:
                raise UsageError(f"{watch.name} is not shelved", kept="all is as it was")
            return f"{len(done)} taken off the shelf"
        until_us = said.until_us
        if until_us is None or not now_us < until_us <= now_us + _LATEST_SHELF_US:
            raise UsageError("a shelf needs a time to come, within a year", kept="all is as it was")
        for key, target in wanted.items():
            alarm = shelved(known.get(key, Alarm(*key)), until_us, wish.who, said.word)
            known[key] = bell.know(alarm)
            bell.say(target, JournalKind.SHELVED, now_us, said.word, wish.who)
        return f"{len(wanted)} shelved"

    def _try(
        self, connection: Connection, watch: Watch, who: str, bell: AlarmRecorder, now_us: int
    ) -> str:
        """Let a watch ring through everything it rings through, marked as a trial."""
        target = next((one for (slug, _), one in self._targets.items() if slug == watch.slug), None)
        if target is None:
            raise UsageError(
                f"{watch.name} watches nothing that is there", remedy="choose what it watches"
            )
        mute = Alarm(watch.slug, target.series.id, level=watch.level)
        bell.tell(target, mute, NoticeReason.TRIAL, watch.tell, at_us=now_us)
        if watch.escalate_s:
            bell.tell(target, mute, NoticeReason.TRIAL, watch.escalate_to, at_us=now_us)
        bell.say(target, JournalKind.TRIAL, now_us, "rung as a trial", who)
        try_control(connection, watch, now_us=now_us)
        return "rung as a trial"


prepare(AlarmWish)
