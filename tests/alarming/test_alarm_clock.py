"""Silence, shelves, repeats, controls: what time passing and people do to alarms."""

from __future__ import annotations

import msgspec
import pytest
from msgspec.structs import replace

from rook_tally.alarming.alarm_clock import AlarmClock
from rook_tally.alarming.control_runs import LEFT_TO_ITSELF_S
from rook_tally.core.alarms.alarm_states import AlarmState
from rook_tally.core.alarms.channels import Channel, ChannelKind
from rook_tally.core.alarms.definitions import Scope, Watch, WatchKind
from rook_tally.core.alarms.journal import JournalKind
from rook_tally.core.alarms.sentences import sentence
from rook_tally.core.hours_of_day import HoursOfDay
from rook_tally.core.quantities.kinds import PLAIN
from rook_tally.core.series.readings import readings_from
from rook_tally.core.site_settings import SiteSettings
from rook_tally.core.timestamps import DAY_US
from rook_tally.core.workings.definitions import Working
from rook_tally.store.alarms import (
    ControlRun,
    OutState,
    RunState,
    control_runs,
    journal,
    newest_letters,
    remove_watch,
    save_channel,
    save_watch,
)
from rook_tally.store.alarms.control_runs import shift_runs
from rook_tally.store.base import Store, schema
from rook_tally.store.exchange.imports import bring_in
from rook_tally.store.readings import seal_all
from rook_tally.store.readings.field_meaning import settle_field
from rook_tally.store.site import (
    RequestKind,
    RequestState,
    add_station,
    answer_requests,
    create_request,
    listening_since,
    load_site,
    newest_requests,
)
from rook_tally.store.site.configuration import settle_site
from rook_tally.store.site.heard import note_listening
from rook_tally.store.site.reference_points import ReferencePoint, add_reference_point
from rook_tally.store.workings import save_working
from tests.alarming.conftest import DUST, RUN, Booth, at

QUIET = Watch(
    slug="dust-quiet",
    name="Dust quiet",
    sort=WatchKind.SILENT,
    scope=Scope(station="dust"),
    silent_s=300,
    tell=("the web",),
)
AT_ONCE = replace(DUST, for_s=0.0, calm_s=0.0, clear=None)
RANG, CLEARED = JournalKind.RANG, JournalKind.CLEARED


def test_a_silent_station_rings_when_the_time_is_up_and_clears_at_its_word(booth: Booth) -> None:
    booth.keep(QUIET)
    booth.told(0, 5)
    booth.keeper.look(at(5))
    assert booth.lines() == []
    booth.keeper.look(at(5.1))
    assert booth.lines() == [(RANG, 5)]
    booth.keeper.look(at(7))
    booth.told(8, 5)
    booth.keeper.look(at(8.1))
    assert booth.lines() == [(RANG, 5), (CLEARED, 8)]
    assert booth.letters() == ["Dust quiet: noticed", "Dust quiet: over"]


def test_silence_while_nobody_listened_is_nobodys_silence(booth: Booth) -> None:
    booth.keep(QUIET)
    booth.told(0, 5)
    booth.keeper.look(at(1))
    booth.restart(20)
    booth.keeper.look(at(20.1))
    assert booth.lines() == []
    booth.keeper.look(at(25.1))
    assert booth.lines() == [(RANG, 25)]
    booth.told(26, 5)
    booth.keeper.look(at(26.1))
    assert booth.lines() == [(RANG, 25), (CLEARED, 26)]


def test_a_station_that_speaks_with_a_wrong_clock_is_not_silent(booth: Booth) -> None:
    booth.keep(QUIET)
    for minute in range(25):
        booth.told(minute - (60 if minute >= 10 else 0), 5, arrived=minute)
        booth.keeper.look(at(minute + 0.1))
    assert booth.lines() == []
    booth.keeper.look(at(29.1))
    assert booth.lines() == [(RANG, 29)]


def test_nothing_but_words_rings_or_clears_silence(booth: Booth) -> None:
    """Days of readings, sealed each night; then a restart, another station, an import."""
    booth.keep(QUIET, minute=-5)
    store, day = booth.store, 24 * 60
    for minute in range(0, 4 * day, 240):
        booth.told(minute, 5)
        booth.told(minute + 1, 5, station="shop")
        booth.keeper = AlarmClock(store, since_us=at(minute))
        booth.keeper.look(at(minute + 4))
    now = 4 * day - 240 + 4
    with store.read() as connection:
        series = {one.id: one for one in load_site(connection).series}
    assert seal_all(store, series, now_us=at(now))
    booth.keeper.look(at(now))
    with store.write() as connection:
        add_station(connection, "other", place="Shop", kind=PLAIN, cadence_s=60)
    booth.keeper.look(at(now + 0.1))
    booth.restart(now)
    booth.keeper.look(at(now + 0.2))
    assert booth.lines() == []
    booth.keeper.look(at(now + 6))
    assert booth.lines() == [(RANG, now + 5)]
    # What a file brings is no word of the station.
    dust = next(one for one in series.values() if one.station.key == "dust")
    brought = readings_from([at(now + 5)], [5.0])
    bring_in(store, "last.csv", [(dust, brought)], now_us=at(now + 6))
    booth.keeper.look(at(now + 6.1))
    assert booth.lines() == [(RANG, now + 5)]


def test_a_collectors_clock_set_back_makes_nobody_silent_and_nobody_deaf(booth: Booth) -> None:
    booth.keep(QUIET)
    booth.told(0, 5)
    booth.keeper.look(at(1))
    booth.keeper.look(at(-59))
    assert booth.lines() == []
    booth.keeper.look(at(-53))
    assert booth.lines() == [(RANG, -54)]


def test_a_short_restart_goes_on_listening_and_a_long_one_begins_anew(store: Store) -> None:
    with store.write() as connection:
        assert listening_since(connection, now_us=at(0)) == at(0)
        note_listening(connection, now_us=at(60))
        assert listening_since(connection, now_us=at(60.5)) == at(0)
        assert listening_since(connection, now_us=at(90)) == at(90)


def test_a_station_never_heard_counts_from_when_it_is_watched(booth: Booth) -> None:
    booth.keep(replace(QUIET, scope=Scope(station="shop")), minute=0)
    booth.keeper.look(at(4))
    assert booth.lines() == []
    booth.keeper.look(at(6))
    assert booth.lines() == [(RANG, 5)]


def test_it_is_acknowledged_with_a_word(booth: Booth) -> None:
    booth.keep(AT_ONCE)
    booth.told(0, 40)
    assert booth.wish(RequestKind.ACKNOWLEDGE, 1, word="door open") == (
        RequestState.CONFIRMED,
        "1 acknowledged",
    )
    assert booth.alarm().state is AlarmState.ACKNOWLEDGED
    assert (booth.alarm().who, booth.alarm().word) == ("Wren", "door open")
    state, why = booth.wish(RequestKind.ACKNOWLEDGE, 2)
    assert state is RequestState.REFUSED
    assert why.startswith("Glaze dust has nothing to acknowledge")
    booth.told(3, 5)
    assert booth.alarm().state is AlarmState.NORMAL


def test_what_is_shelved_rings_in_the_journal_only_and_comes_back(booth: Booth) -> None:
    booth.keep(AT_ONCE)
    booth.told(-1, 5)
    assert booth.wish(RequestKind.SHELVE, 0, until=30)[0] is RequestState.CONFIRMED
    booth.told(1, 40)
    assert booth.letters() == []
    assert booth.alarm().state is AlarmState.SHELVED
    booth.keeper.look(at(29))
    assert booth.alarm().state is AlarmState.SHELVED
    booth.keeper.look(at(30))
    assert booth.alarm().state is AlarmState.UNACKNOWLEDGED
    assert booth.letters() == ["Glaze dust: high"]
    assert [sort for sort, _ in booth.lines()] == [JournalKind.SHELVED, RANG, JournalKind.UNSHELVED]
    assert booth.wish(RequestKind.SHELVE, 31, until=20)[0] is RequestState.REFUSED
    assert booth.wish(RequestKind.UNSHELVE, 31)[0] is RequestState.REFUSED


def test_it_is_told_again_and_to_others_until_somebody_acknowledges(booth: Booth) -> None:
    with booth.store.write() as connection:
        save_channel(
            connection, Channel(name="the owner", sort=ChannelKind.WEBHOOK, url="http://b/")
        )
    booth.keep(replace(AT_ONCE, repeat_s=1200.0, escalate_s=1800.0, escalate_to=("the owner",)))
    booth.told(0, 40)
    for minute in (10, 20, 30, 40, 41):
        booth.keeper.look(at(minute))
    with booth.store.read() as connection:
        told = [(one.way, one.notice.event.value) for one in reversed(newest_letters(connection))]
    assert told == [
        ("the web", "rang"),
        ("the web", "again"),
        ("the owner", "escalated"),
        ("the web", "again"),
    ]
    booth.wish(RequestKind.ACKNOWLEDGE, 42)
    booth.keeper.look(at(90))
    assert len(booth.letters()) == 4


def test_a_watch_that_is_off_is_suppressed_and_says_so(booth: Booth) -> None:
    booth.keep(AT_ONCE)
    booth.told(0, 40)
    booth.keep(replace(AT_ONCE, is_on=False))
    booth.keeper.look(at(1))
    assert booth.alarm().state is AlarmState.SUPPRESSED
    booth.keep(AT_ONCE)
    booth.keeper.look(at(2))
    assert booth.alarm().state is AlarmState.UNACKNOWLEDGED


def test_under_maintenance_nothing_rings_and_what_stood_waits(booth: Booth) -> None:
    booth.keep(AT_ONCE)
    booth.told(0, 40)
    assert booth.letters() == ["Glaze dust: high"]
    booth.maintain(1, 10)
    booth.keeper.look(at(1))
    assert booth.alarm().state is AlarmState.SUPPRESSED
    booth.told(2, 5)
    booth.told(3, 90)
    booth.keeper.look(at(9))
    assert booth.letters() == ["Glaze dust: high"]
    assert not booth.alarm().step.is_ringing
    booth.told(10.5, 50)
    booth.keeper.look(at(10.6))
    assert booth.letters() == ["Glaze dust: high"] * 2
    assert booth.alarm().state is AlarmState.UNACKNOWLEDGED


def test_what_is_worked_out_of_a_station_under_maintenance_rings_no_more_than_it(
    booth: Booth,
) -> None:
    scope = Scope(quantity="twice", place="Glaze booth")
    with booth.store.write() as connection:
        save_working(
            connection, Working(slug="dust_here", name="Dust here", formula="pm25@glaze-booth")
        )
        # One that rests on another.
        save_working(
            connection, Working(slug="twice", name="Twice", formula="2 * dust_here@glaze-booth")
        )
    watch = replace(AT_ONCE, slug="twice", name="Twice", scope=scope, limit=60, clear=50)
    booth.keep(watch)
    booth.maintain(1, 10)
    booth.told(2, 90)
    booth.keeper.look(at(3))
    assert booth.letters() == []
    booth.told(11, 90)
    assert booth.letters() == ["Twice: high"]


def test_what_was_measured_under_maintenance_rings_neither_late_nor_after_a_restart(
    booth: Booth,
) -> None:
    booth.keep(AT_ONCE)
    booth.maintain(1, 10)
    booth.told(5, 90, arrived=11)
    booth.told(5, 95, arrived=11.1)
    booth.restart(11.2)
    booth.told(6, 90, arrived=11.3)
    booth.keeper.look(at(11.4))
    assert (booth.letters(), booth.lines()) == ([], [])
    # Under a moment of its own it rings again.
    booth.told(12, 90)
    assert booth.letters() == ["Glaze dust: high"]


def test_silence_during_maintenance_is_expected(booth: Booth) -> None:
    booth.keep(QUIET)
    booth.told(0, 5)
    booth.maintain(2, 60)
    booth.keeper.look(at(30))
    # From when it ends it has as long as ever.
    booth.keeper.look(at(64))
    assert booth.lines() == []
    booth.keeper.look(at(65.1))
    assert booth.lines() == [(RANG, 65)]


@pytest.mark.parametrize("is_the_sites", [False, True])
def test_quiet_hours_keep_what_is_not_severe_until_they_end(
    booth: Booth, is_the_sites: bool
) -> None:
    """A channel's own hours, or those of the site for one that has none."""
    hours = HoursOfDay(begin_min=11 * 60, end_min=13 * 60)
    night = Channel(
        name="the web",
        sort=ChannelKind.WEBHOOK,
        url="http://b/",
        quiet=None if is_the_sites else hours,
    )
    with booth.store.write() as connection:
        save_channel(connection, night)
        settle_site(connection, SiteSettings(quiet=hours if is_the_sites else None))
    booth.keep(AT_ONCE)
    booth.told(0, 40)
    booth.told(10, 5)
    with booth.store.read() as connection:
        over, rang = newest_letters(connection)
    # It was over before anybody was to hear of it.
    assert rang.due_us == at(60)
    assert rang.state is OutState.DROPPED
    assert over.due_us == at(60)


def test_what_was_watched_and_is_gone_ends_its_alarm(booth: Booth) -> None:
    booth.keep(AT_ONCE)
    booth.told(0, 40)
    with booth.store.write() as connection:
        connection.execute(schema.reading.delete())
        connection.execute(schema.series.delete().where(schema.series.c.field == "pm25"))
        save_watch(connection, replace(AT_ONCE, name="Dust"), now_us=at(1))
    booth.restart()
    booth.keeper.look(at(1))
    assert booth.lines()[-1] == (JournalKind.ENDED, 1)
    with booth.store.write() as connection:
        remove_watch(connection, "glaze-dust")


def _run(booth: Booth) -> ControlRun | None:
    with booth.store.read() as connection:
        found = control_runs(connection)
    return found[0] if found else None


def _asked(booth: Booth) -> list[tuple[str, float | None]]:
    with booth.store.read() as connection:
        return [
            (one.value, one.for_s)
            for one in reversed(newest_requests(connection))
            if one.sort is RequestKind.CONTROL
        ]


def _confirm(booth: Booth, minute: float) -> None:
    with booth.store.write() as connection:
        newest = newest_requests(connection)[0]
        answer_requests(connection, [newest.id], RequestState.CONFIRMED, "on", now_us=at(minute))


def test_a_control_runs_until_it_is_clear_and_for_its_least_time(booth: Booth) -> None:
    booth.keep(replace(AT_ONCE, run=RUN))
    booth.told(0, 40)
    booth.keeper.look(at(0))
    # Should nobody tell it again, the station stops by itself.
    assert _asked(booth) == [("on", LEFT_TO_ITSELF_S)]
    _confirm(booth, 0.1)
    booth.keeper.look(at(1))
    booth.told(2, 5)
    booth.keeper.look(at(2))
    booth.keeper.look(at(5))
    assert _asked(booth) == [("on", LEFT_TO_ITSELF_S)] * 2
    booth.keeper.look(at(10))
    booth.keeper.look(at(14.9))
    assert _asked(booth)[-1][0] == "on"
    booth.keeper.look(at(15))
    assert _asked(booth)[-1] == ("off", None)
    assert _run(booth) is None
    assert [sort for sort, _ in booth.lines()] == [
        RANG,
        JournalKind.ASKED,
        JournalKind.CONFIRMED,
        CLEARED,
        JournalKind.STOPPED,
    ]


def test_a_control_never_runs_longer_than_it_may(booth: Booth) -> None:
    booth.keep(replace(AT_ONCE, run=RUN))
    for minute in range(0, 75, 1):
        booth.told(minute, 40)
        booth.keeper.look(at(minute))
    run = _run(booth)
    assert run is not None
    assert run.state is RunState.SPENT
    assert _asked(booth)[-1][0] == "off"
    booth.told(76, 5)
    booth.keeper.look(at(76))
    assert _run(booth) is None
    booth.told(77, 40)
    booth.keeper.look(at(77))
    assert _asked(booth)[-1][0] == "on"


@pytest.mark.parametrize("by", ["request", "station"])
def test_a_person_who_sets_the_control_has_the_last_word(booth: Booth, by: str) -> None:
    booth.keep(replace(AT_ONCE, run=RUN))
    booth.told(0, 40)
    booth.keeper.look(at(0))
    if by == "request":
        with booth.store.write() as connection:
            create_request(
                connection, RequestKind.CONTROL, "extractor", "on", "off", who="Wren", now_us=at(1)
            )
    else:
        _confirm(booth, 0.1)
        booth.keeper.look(at(0.2))
        booth.says("extractor", 1, on="off", **{"on.by": "hand"})
    booth.keeper.look(at(2))
    run = _run(booth)
    assert run is not None
    assert run.state is RunState.OVERRIDDEN
    count = len(_asked(booth))
    for minute in range(3, 80, 5):
        booth.told(minute, 40)
        booth.keeper.look(at(minute))
    booth.told(81, 5)
    booth.keeper.look(at(81))
    assert len(_asked(booth)) == count
    assert _run(booth) is None


def test_a_control_that_stopped_by_itself_is_told_to_run_again(booth: Booth) -> None:
    """After a sleep longer than its own limit the station has stopped, and says so."""
    booth.keep(replace(AT_ONCE, run=RUN))
    booth.told(0, 40)
    booth.keeper.look(at(0))
    _confirm(booth, 0.1)
    booth.says("extractor", 0.1, on="on")
    booth.keeper.look(at(0.2))
    booth.restart()
    booth.says("extractor", 30, on="off")
    booth.told(30.01, 40)
    booth.keeper.look(at(30.02))
    run = _run(booth)
    assert run is not None
    assert run.state is RunState.RUNNING
    assert _asked(booth)[-1] == ("on", 900.0)
    count = len(_asked(booth))
    booth.keeper.look(at(30.03))
    assert len(_asked(booth)) == count
    with booth.store.read() as connection:
        assert "stands at off by itself; told to run again" in journal(connection)[0].words


def test_a_clock_that_is_set_leaves_a_run_as_long_as_it_was(booth: Booth) -> None:
    booth.keep(replace(AT_ONCE, run=RUN))
    booth.told(0, 40)
    booth.keeper.look(at(0))
    before = _run(booth)
    assert before is not None
    with booth.store.write() as connection:
        shift_runs(connection, by_us=-DAY_US)
    after = _run(booth)
    assert after is not None
    assert (after.began_us - before.began_us, after.most_us - after.began_us) == (
        -DAY_US,
        before.most_us - before.began_us,
    )


def test_a_control_that_is_not_confirmed_is_said_and_asked_again(booth: Booth) -> None:
    booth.keep(replace(AT_ONCE, run=RUN))
    booth.told(0, 40)
    booth.keeper.look(at(0))
    with booth.store.write() as connection:
        newest = newest_requests(connection)[0]
        answer_requests(
            connection, [newest.id], RequestState.UNCONFIRMED, "no word", now_us=at(0.5)
        )
    for minute in (0.6, 1, 2, 4):
        booth.keeper.look(at(minute))
    assert [sort for sort, _ in booth.lines()] == [
        RANG,
        JournalKind.ASKED,
        JournalKind.NOT_CONFIRMED,
    ]
    assert len(_asked(booth)) == 1
    booth.keeper.look(at(5.5))
    assert len(_asked(booth)) == 2


def test_a_trial_goes_through_everything_and_says_that_it_is_one(booth: Booth) -> None:
    booth.keep(replace(AT_ONCE, run=RUN))
    booth.told(0, 5)
    assert booth.wish(RequestKind.TRIAL, 1) == (RequestState.CONFIRMED, "rung as a trial")
    assert booth.letters() == ["Trial of Glaze dust"]
    assert _asked(booth) == [("on", 10.0)]
    booth.keeper.look(at(1.2))
    assert _asked(booth)[-1] == ("off", None)
    assert _run(booth) is None
    assert booth.lines()[0] == (JournalKind.TRIAL, 1)


def test_a_watch_that_is_removed_leaves_its_control_stopped(booth: Booth) -> None:
    booth.keep(replace(AT_ONCE, run=RUN))
    booth.told(0, 40)
    booth.keeper.look(at(0))
    with booth.store.write() as connection:
        remove_watch(connection, "glaze-dust")
    booth.keeper.look(at(1))
    assert _asked(booth)[-1] == ("off", None)
    assert _run(booth) is None


def test_a_calibration_that_is_due_rings_until_there_is_a_new_one(booth: Booth) -> None:
    due = Watch(
        slug="due",
        name="Dust due",
        sort=WatchKind.DUE,
        scope=Scope(quantity="pm25", place="Glaze booth"),
        tell=(),
    )
    booth.keep(due)
    booth.keeper.look(at(1))
    assert booth.lines() == []
    month_us = round(365.25 / 12 * DAY_US)
    with booth.store.write() as connection:
        series = next(one for one in load_site(connection).series if one.quantity.slug == "pm25")
        point = ReferencePoint(series.id, at(0), 5.0, 0.1, 6.0, None, "meter", "", "us", at(0))
        add_reference_point(connection, point)
        settings = msgspec.structs.replace(series.settings, calibration_months=6.0)
        settle_field(connection, series, settings)
    booth.keeper.look(at(0) + 6 * month_us - 1)
    assert booth.lines() == []
    booth.keeper.look(at(0) + 6 * month_us + 1)
    assert [sort for sort, _ in booth.lines()] == [RANG]
    with booth.store.write() as connection:
        later = msgspec.structs.replace(point, time_us=at(0) + 6 * month_us, made_us=at(1))
        add_reference_point(connection, later)
    booth.keeper.look(at(0) + 6 * month_us + 2)
    assert [sort for sort, _ in booth.lines()] == [RANG, CLEARED]
    words = " ".join(piece.text for piece in sentence(due, "PM2.5")[0])
    assert words == "When PM2.5 at Glaze booth is due for calibration"
