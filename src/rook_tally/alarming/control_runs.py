"""Controls that watches run: begun while one rings, kept going, ended, left alone once a person
sets them.

A station is told for how long it may go on by itself, and told again well before that: should the
collector die, the station stops.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from msgspec.structs import replace
from sqlalchemy.engine import Connection

from rook_tally.core.alarms.definitions import Watch
from rook_tally.core.alarms.journal import Entry, JournalKind
from rook_tally.core.alarms.sentences import lasting_words
from rook_tally.core.alarms.transitions import Alarm
from rook_tally.core.series.gaps import microseconds
from rook_tally.core.timestamps import MINUTE_US
from rook_tally.store.alarms import (
    ControlRun,
    RunState,
    control_runs,
    end_run,
    purpose_of,
    write_journal,
    write_run,
)
from rook_tally.store.site import (
    BY_HAND,
    BY_SUFFIX,
    Request,
    RequestKind,
    RequestState,
    StoredAttribute,
    control_reports,
    create_request,
    load_site,
    newest_requests,
)

RENEW_US = 5 * MINUTE_US
LEFT_TO_ITSELF_S = 15 * 60.0
"""So long a station goes on without having been told again."""
_TRIAL_S = 10.0


def keep_running(
    connection: Connection,
    several: Sequence[Watch],
    known: Mapping[tuple[str, int], Alarm],
    *,
    now_us: int,
) -> None:
    """Begin, go on with and end the controls that watches run, as their alarms stand."""
    runs = {one.watch: one for one in control_runs(connection)}
    ringing = {one.watch for one in known.values() if one.step.is_ringing and not one.is_untold}
    entries: list[Entry] = []
    for watch in several:
        run = runs.pop(watch.slug, None)
        is_wanted = watch.slug in ringing and watch.is_on
        if run is not None:
            entries += _gone_on(connection, watch, run, is_wanted=is_wanted, now_us=now_us)
        elif watch.run is not None and is_wanted:
            entries += _begun(connection, watch, now_us=now_us)
    for run in runs.values():
        # Its watch is gone.
        if run.state is RunState.RUNNING:
            _ask(connection, run, run.off, now_us=now_us)
        end_run(connection, run)
    write_journal(connection, entries)


def _say(
    watch: Watch, run: ControlRun, sort: JournalKind, words: str, now_us: int, who: str = ""
) -> Entry:
    # Of a switch there is nothing but the station to name.
    name = "" if run.control == "on" else f"{run.control} "
    return Entry(
        now_us, sort, watch.slug, watch.name, run.station, None, watch.level, f"{name}{words}", who
    )


def _ask(
    connection: Connection, run: ControlRun, value: str, *, now_us: int, for_s: float | None = None
) -> int:
    return create_request(
        connection,
        RequestKind.CONTROL,
        run.station,
        run.control,
        value,
        who=purpose_of(run.watch),
        now_us=now_us,
        for_s=for_s,
    )


def _begun(connection: Connection, watch: Watch, *, now_us: int) -> list[Entry]:
    wanted = watch.run
    assert wanted is not None
    run = ControlRun(
        station=wanted.station,
        control=wanted.control,
        watch=watch.slug,
        began_us=now_us,
        least_us=now_us + microseconds(wanted.at_least_s),
        most_us=now_us + microseconds(wanted.at_most_s),
        renewed_us=now_us,
        on=wanted.on,
        off=wanted.off,
    )
    number = _ask(connection, run, run.on, now_us=now_us, for_s=_own_limit_s(run, now_us))
    write_run(connection, replace(run, request_id=number))
    return [_say(watch, run, JournalKind.ASKED, "told to run", now_us)]


def _own_limit_s(run: ControlRun, now_us: int) -> float:
    return min(LEFT_TO_ITSELF_S, max((run.most_us - now_us) / 1e6, 1.0))


def _gone_on(
    connection: Connection, watch: Watch, run: ControlRun, *, is_wanted: bool, now_us: int
) -> list[Entry]:
    cleared_us = None if is_wanted else now_us if run.cleared_us is None else run.cleared_us
    after = replace(run, cleared_us=cleared_us)
    entries: list[Entry] = []
    if after.state is not RunState.RUNNING:
        if cleared_us is not None:
            end_run(connection, run)
            return entries
    else:
        asked = _newest_request(connection, run)
        who = _taken_over(connection, run, asked)
        if who:
            entries.append(
                _say(watch, run, JournalKind.OVERRIDDEN, "set by hand, left to that", now_us, who)
            )
            after = replace(after, state=RunState.OVERRIDDEN)
        else:
            after, told = _heard_of(watch, after, asked, now_us)
            entries += told
            after, told = _stands(connection, watch, after, now_us)
            entries += told
            still, told = _ended_or_renewed(connection, watch, after, now_us)
            entries += told
            if still is None:
                return entries
            after = still
    if after != run:
        write_run(connection, after)
    return entries


def _newest_request(connection: Connection, run: ControlRun) -> Request | None:
    return next(
        (
            one
            for one in newest_requests(connection, run.station)
            if one.sort is RequestKind.CONTROL and one.name == run.control
        ),
        None,
    )


def _taken_over(connection: Connection, run: ControlRun, newest: Request | None) -> str:
    """Who has set the control since: a person by a request, or by hand at the station, if that
    says so. That it stands otherwise says nothing: it may have stopped by itself."""
    if newest is not None and newest.id > run.request_id and newest.who != purpose_of(run.watch):
        return newest.who or "somebody"
    if not run.was_confirmed:
        return ""
    word, by = _words_of(connection, run)
    is_by_hand = (
        word is not None and word.value != run.on and by is not None and by.value == BY_HAND
    )
    return f"at {run.station}" if is_by_hand else ""


def _words_of(
    connection: Connection, run: ControlRun
) -> tuple[StoredAttribute | None, StoredAttribute | None]:
    """The station's last report of a control, and of who set it."""
    station = load_site(connection).station(run.station)
    if station is None:
        return None, None
    told = control_reports(connection, station.id)
    return told.get(run.control), told.get(f"{run.control}{BY_SUFFIX}")


def _stands(
    connection: Connection, watch: Watch, run: ControlRun, now_us: int
) -> tuple[ControlRun, list[Entry]]:
    """A station that says it stopped, as after an outage, a restart or a long sleep, is told again
    at once."""
    word, _ = _words_of(connection, run)
    if not run.was_confirmed or word is None or word.value == run.on:
        return run, []
    if word.since_us <= run.renewed_us:
        return run, []
    return replace(run, renewed_us=0, was_confirmed=False), [
        _say(
            watch,
            run,
            JournalKind.NOT_CONFIRMED,
            f"stands at {word.value} by itself; told to run again",
            now_us,
        )
    ]


def _heard_of(
    watch: Watch, run: ControlRun, asked: Request | None, now_us: int
) -> tuple[ControlRun, list[Entry]]:
    """Apply the station's report to a run."""
    if asked is None or asked.id != run.request_id:
        return run, []
    if asked.state is RequestState.CONFIRMED and not run.was_confirmed:
        at_us = asked.answered_us or now_us
        return replace(run, was_confirmed=True), [
            _say(watch, run, JournalKind.CONFIRMED, "confirmed running", at_us)
        ]
    if asked.state is RequestState.UNCONFIRMED and not run.was_missed:
        # Said once, and asked again when its time comes.
        return replace(run, was_missed=True, was_confirmed=False), [
            _say(watch, run, JournalKind.NOT_CONFIRMED, f"not confirmed: {asked.answer}", now_us)
        ]
    return run, []


def _ended_or_renewed(
    connection: Connection, watch: Watch, run: ControlRun, now_us: int
) -> tuple[ControlRun | None, list[Entry]]:
    is_over = run.cleared_us is not None and now_us >= run.least_us
    if is_over or now_us >= run.most_us:
        _ask(connection, run, run.off, now_us=now_us)
        ran = f"after {lasting_words(now_us - run.began_us)}"
        if is_over:
            end_run(connection, run)
            return None, [_say(watch, run, JournalKind.STOPPED, f"told to stop {ran}", now_us)]
        longest = f"told to stop {ran}, the longest it may run"
        return replace(run, state=RunState.SPENT), [
            _say(watch, run, JournalKind.STOPPED, longest, now_us)
        ]
    if now_us - run.renewed_us < RENEW_US:
        return run, []
    number = _ask(connection, run, run.on, now_us=now_us, for_s=_own_limit_s(run, now_us))
    return replace(run, request_id=number, renewed_us=now_us, was_missed=False), []


def try_control(connection: Connection, watch: Watch, *, now_us: int) -> None:
    """Let a watch's control run for a moment, as a trial; not while it runs or somebody set it."""
    run = watch.run
    if run is None or any(
        (one.station, one.control) == (run.station, run.control) for one in control_runs(connection)
    ):
        return
    end_us = now_us + microseconds(_TRIAL_S)
    trial = ControlRun(
        station=run.station,
        control=run.control,
        watch=watch.slug,
        began_us=now_us,
        least_us=end_us,
        most_us=end_us,
        cleared_us=now_us,
        renewed_us=now_us,
        on=run.on,
        off=run.off,
    )
    number = _ask(connection, trial, run.on, now_us=now_us, for_s=_TRIAL_S)
    write_run(connection, replace(trial, request_id=number))
