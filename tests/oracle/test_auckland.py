"""A person in Auckland sets their station's clock wrong, restarts the collector and imports last
year's file: what they see is what their calculator says."""

from __future__ import annotations

from datetime import datetime, timedelta
from itertools import pairwise
from pathlib import Path
from zoneinfo import ZoneInfo

import pytest

from rook_tally.alarming.alarm_clock import AlarmClock
from rook_tally.core.alarms.definitions import Scope, Watch, WatchKind
from rook_tally.desk.ledger.series_summary import SeriesSummaryQuery
from rook_tally.intake.files.file_import import imported_file
from rook_tally.store.alarms import save_watch
from rook_tally.store.base import Store
from rook_tally.store.readings import latest, span_statistics
from rook_tally.store.site import set_site
from tests.ways_in import WayIn

AUCKLAND = ZoneInfo("Pacific/Auckland")
S = 1_000_000
MINUTE = 60 * S


def local(text: str) -> int:
    """A moment as the clock on their wall says it."""
    return round(datetime.fromisoformat(text).replace(tzinfo=AUCKLAND).timestamp()) * S


def test_the_figures_are_those_of_their_calculator(store: Store, tmp_path: Path) -> None:
    with store.write() as connection:
        set_site(connection, name="Shed", zone="Pacific/Auckland")
    way = WayIn(store, "shed")
    series = way.begin("temperature", "shed")
    begin = local("2026-11-23 00:00")
    with store.write() as connection:
        save_watch(
            connection,
            Watch(
                slug="quiet",
                name="Quiet",
                sort=WatchKind.SILENT,
                scope=Scope(station="shed"),
                silent_s=600.0,
            ),
            now_us=begin,
        )
    keeper = AlarmClock(store, since_us=begin)
    readings: dict[int, float] = {}
    for minute in range(12 * 60):
        now = begin + minute * MINUTE
        value = 15.0 + minute // 60  # a degree an hour
        # From six to seven its clock is an hour slow; then somebody sets it right.
        said = now - 60 * MINUTE if 360 <= minute < 420 else now
        way.told(said, now + S, "shed", temperature=value)
        readings[said] = value
        if minute == 300:
            way.restart()
            keeper = AlarmClock(store, since_us=now)
        keeper.look(now + 2 * S)
    with store.read() as connection:
        newest = latest(connection)[series.id]
        account = SeriesSummaryQuery(series, newest, now + 5 * S, AUCKLAND).run(connection)
    facts = {one.name: one for one in account.facts}
    # What they wrote down by hand: each minute's value, and a straight line to the next.
    held = sorted(readings.items())
    pairs = [(a, b) for a, b in pairwise(held) if b[0] - a[0] <= 180 * S]
    weight = sum(b[0] - a[0] for a, b in pairs)
    mean = sum((a[1] + b[1]) / 2 * (b[0] - a[0]) for a, b in pairs) / weight
    assert float(facts["Mean today"].value) == pytest.approx(mean, abs=0.005)
    assert (facts["Highest today"].value, facts["Highest today"].remark) == ("26.0", "11:00")
    assert (facts["Lowest today"].value, facts["Lowest today"].remark) == ("15.0", "00:00")
    with store.read() as connection:
        assert keeper.troubles == {}
        assert connection.exec_driver_sql("SELECT count(*) FROM journal").scalar_one() == 0

    # Last year's file, in local time, over the night their clocks went back (6 April 2025).
    night = datetime(2025, 4, 6, 0, 0, tzinfo=AUCKLAND)
    first = round(night.timestamp()) * S
    moments = [first + quarter * 15 * MINUTE for quarter in range(25 * 4)]
    rows = [
        (datetime.fromtimestamp(moment // S, AUCKLAND), 10.0 + quarter % 7)
        for quarter, moment in enumerate(moments)
    ]
    file = tmp_path / "last-year.csv"
    text = "".join(f"{when:%Y-%m-%d %H:%M},{value}\n" for when, value in rows)
    file.write_text("time,temperature\n" + text)
    done = imported_file(store, file, "shed", columns={}, time_column=None, zone=None, now_us=now)
    assert (done.readings, done.refused) == (100, ())
    after = (
        round((night.replace(tzinfo=None) + timedelta(days=1)).replace(tzinfo=AUCKLAND).timestamp())
        * S
    )
    assert after - first == 25 * 60 * MINUTE
    with store.read() as connection:
        told = span_statistics(connection, series, first, after)
        assert latest(connection)[series.id] == newest
    # A quarter of an hour apart, from a station that speaks each minute: each stands for a minute.
    assert told.count == 100
    assert told.mean == pytest.approx(sum(value for _, value in rows) / 100)
    keeper.look(now + 6 * S)
    with store.read() as connection:
        assert connection.exec_driver_sql("SELECT count(*) FROM journal").scalar_one() == 0
