"""What a backtest counts, on readings short enough to follow by eye."""

from __future__ import annotations

from collections.abc import Sequence
from zoneinfo import ZoneInfo

import numpy as np
import pytest
from msgspec.structs import replace

from rook_tally.core.alarms.backtest import (
    BacktestCounts,
    counts_of,
    judged,
    other_limits,
    ran_for,
    rings,
    silences,
)
from rook_tally.core.alarms.definitions import Guard, RunControl, Scope, Watch, WatchKind
from rook_tally.core.alarms.scope import WatchedSeries, at_limit, targets_of
from rook_tally.core.alarms.sentences import Part, sentence, short_words
from rook_tally.core.errors import UsageError
from rook_tally.core.hours_of_day import HoursOfDay
from rook_tally.core.quantities.levels import Level
from rook_tally.core.quantities.named_series import Group, NamedSeries
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.remarks import Remark
from rook_tally.core.series.readings import Readings, readings_from

MINUTE = 60_000_000
UTC = ZoneInfo("UTC")
DUST = NamedSeries(1, QUANTITIES["pm25"], "Glaze booth", True, "glaze-dust", "pm25", 60.0)
SHOP = NamedSeries(2, QUANTITIES["pm25"], "Shop", True, "shop-a", "pm25", 60.0)
SOMEBODY = NamedSeries(3, QUANTITIES["presence"], "Glaze booth", True, "glaze-eye", "on", 60.0)
GROUPS = (Group("Dusty work", places=("Glaze booth",)),)
WATCH = Watch(
    slug="glaze-dust",
    name="Glaze dust",
    sort=WatchKind.ABOVE,
    scope=Scope(quantity="pm25", place="Glaze booth"),
    limit=25,
    clear=18,
    unit="µg/m³",
    for_s=120,
    calm_s=120,
    level=Level.HIGH,
    tell=("this desktop", "the workshop"),
    run=RunControl(station="extractor", control="on", at_least_s=900, at_most_s=3600),
)


def _target(watch: Watch = WATCH) -> WatchedSeries:
    (found,) = targets_of(watch, [DUST, SHOP, SOMEBODY], GROUPS)
    return found


def _readings(values: Sequence[float]) -> Readings:
    return readings_from(np.arange(len(values)) * MINUTE, values)


DAY = _readings([5] * 10 + [30] * 5 + [20] * 3 + [10] * 10 + [40] + [5] * 31)


def _counts(
    target: WatchedSeries, readings: Readings = DAY, remarks: tuple[Remark, ...] = ()
) -> BacktestCounts:
    rows = judged(target, readings, [readings_from([0], [1.0])] * len(target.guards), remarks, UTC)
    terms = target.judge.terms
    return counts_of(
        rings(rows, terms),
        rows,
        terms,
        target.watch.run,
        start_us=0,
        end_us=60 * MINUTE,
        nuisance_s=600,
    )


def test_a_backtest_counts_rings_standing_and_what_a_control_would_have_run() -> None:
    told = _counts(_target())
    # Over 25 at 10, confirmed at 12; under 18 from 18 on, confirmed at 20.
    assert told.rang == 1
    assert told.standing_us == told.longest_us == 8 * MINUTE
    assert told.longest_at_us == 12 * MINUTE
    assert told.without_wait == 2
    assert told.nuisances == 1
    assert told.ran_us == 15 * MINUTE


def test_other_limits_are_round_and_hold_the_one_there_is() -> None:
    target = _target()
    assert other_limits(target, target.judge.terms.limit) == [15, 20, 25, 30, 35]
    lower = at_limit(target, 9.0, 9.0)
    assert _counts(lower).standing_us > _counts(target).standing_us


def test_guards_hours_and_remarks_keep_it_quiet() -> None:
    at_night = replace(WATCH, hours=HoursOfDay(begin_min=60, end_min=120))
    assert _counts(_target(at_night)).rang == 0
    minds = replace(WATCH, remark_s=600.0)
    swept = Remark("Swept the booth", 8 * MINUTE, place="Glaze booth")
    elsewhere = Remark("Sold a bowl", 8 * MINUTE, place="Shop")
    assert _counts(_target(minds), remarks=(elsewhere,)).rang == 1
    assert _counts(_target(minds), remarks=(swept,)).rang == 0


def test_a_guard_that_is_off_keeps_it_quiet_and_a_dead_one_does_not() -> None:
    watch = replace(WATCH, guards=(Guard(scope=Scope(quantity="presence")),))
    target = _target(watch)
    assert target.guards[0].series is SOMEBODY
    off = readings_from(np.arange(60) * MINUTE, np.zeros(60))
    rows = judged(target, DAY, [off], (), UTC)
    assert len(rings(rows, target.judge.terms)) == 0
    dead = readings_from([], [])
    rows = judged(target, DAY, [dead], (), UTC)
    assert len(rings(rows, target.judge.terms)) == 1


def test_any_place_of_a_group_has_a_state_of_its_own() -> None:
    series = [DUST, SHOP, SOMEBODY]
    anywhere = replace(WATCH, scope=Scope(quantity="pm25", group="indoors"))
    assert [one.series.place for one in targets_of(anywhere, series, GROUPS)] == [
        "Glaze booth",
        "Shop",
    ]
    dusty = replace(WATCH, scope=Scope(quantity="pm25", group="Dusty work"))
    assert [one.series.id for one in targets_of(dusty, series, GROUPS)] == [1]
    gone = replace(WATCH, scope=Scope(quantity="pm25", place="Attic"))
    assert targets_of(gone, series, GROUPS) == []
    with pytest.raises(UsageError, match="no group Attics"):
        targets_of(replace(WATCH, scope=Scope(quantity="pm25", group="Attics")), series, GROUPS)


@pytest.mark.parametrize(
    ("changed", "why"),
    [
        ({"unit": "°C"}, "no unit of PM2.5"),
        ({"clear": 30.0}, "clear beyond the limit"),
        ({"sort": WatchKind.RISING}, "needs a time to look over"),
        ({"sort": WatchKind.OUTSIDE, "low": 25.0}, "is empty"),
        ({"for_s": -1.0}, "cannot be negative"),
        ({"sort": WatchKind.UNUSUAL, "window_s": 60.0}, "least spread"),
        ({"sort": WatchKind.SILENT, "hours": HoursOfDay(days=(0,))}, "minds no guards, hours"),
    ],
)
def test_what_cannot_be_meant_is_said(changed: dict[str, object], why: str) -> None:
    with pytest.raises(UsageError, match=why):
        targets_of(replace(WATCH, **changed), [DUST], GROUPS)


def test_silence_is_of_a_station_and_of_any_word() -> None:
    watch = Watch(
        slug="quiet",
        name="Quiet",
        sort=WatchKind.SILENT,
        scope=Scope(station="glaze-dust"),
        silent_s=300,
    )
    (target,) = targets_of(watch, [DUST, SHOP], GROUPS)
    heard = readings_from(np.array([0, 1, 20]) * MINUTE, [1.0, 1.0, 1.0])
    assert silences(target, heard, now_us=24 * MINUTE).tolist() == [[6 * MINUTE, 20 * MINUTE]]


def test_a_control_runs_on_where_its_least_time_reaches_the_next_ring() -> None:
    run = RunControl(station="a", control="b", at_least_s=600, at_most_s=1200)
    found = np.array([[0, 60], [5 * 60, 6 * 60], [60 * 60, 120 * 60]]) * 1_000_000
    # 0–15 min in one, then twenty minutes of the last hour.
    assert ran_for(found, run, start_us=0, end_us=180 * MINUTE) == 35 * MINUTE


def test_the_sentence_says_all_and_each_part_can_be_named() -> None:
    lines = sentence(WATCH, "PM2.5")
    text = [" ".join(piece.text for piece in line) for line in lines]
    assert text[0] == "When PM2.5 at Glaze booth stays above 25 µg/m³ for 2 min"
    assert text[1] == "no other condition always whatever is remarked severity high"
    assert text[2] == (
        "Tell this desktop and the workshop ; repeat never ; unacknowledged, tell others never"
    )
    assert text[3].startswith(
        "Run extractor until it is under 18 µg/m³ for 2 min , at least 15 min"
    )
    parts = {piece.part for line in lines for piece in line}
    assert {Part.LIMIT, Part.CLEAR, Part.TELL, Part.CONTROL, Part.AT_MOST} <= parts
    assert short_words(WATCH, "PM2.5") == "PM2.5 over 25 µg/m³ at Glaze booth"
