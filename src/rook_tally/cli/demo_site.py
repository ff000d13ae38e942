"""The pottery as a store: its site, its stations and their history."""

from __future__ import annotations

import multiprocessing
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor
from zoneinfo import ZoneInfo

from msgspec.structs import replace
from sqlalchemy.engine import Connection

from rook_tally.bench.calibrate import PointRow, new_point, record_of
from rook_tally.core.alarms.alarm_states import AlarmState
from rook_tally.core.alarms.journal import Entry, JournalKind
from rook_tally.core.alarms.online_detector import DetectorState
from rook_tally.core.alarms.transitions import Alarm
from rook_tally.core.comparing.calibration import CalibrationModel
from rook_tally.core.quantities.number_format import duration
from rook_tally.core.series.gaps import max_gap_s
from rook_tally.core.series.readings import Readings, readings_from
from rook_tally.core.series.screening import screened
from rook_tally.core.site_file.content import SitePart
from rook_tally.core.site_file.reading import site_from_toml
from rook_tally.core.timestamps import DAY_US, HOUR_US
from rook_tally.demo import hand_readings
from rook_tally.demo.history import FieldHistory, history
from rook_tally.demo.pottery import STATIONS, DemoStation, site_text
from rook_tally.demo.remarks import remarks_between
from rook_tally.store.alarms import all_targets, backtest_result, write_alarms, write_journal
from rook_tally.store.base import Store
from rook_tally.store.readings import SEALED_AFTER_US, History, append_sealed, history_of
from rook_tally.store.site import Series, add_correction, load_site, save_remark
from rook_tally.store.site.reference_points import add_reference_point
from rook_tally.store.site_file.importing import put_content
from rook_tally.store.workings import bound_workings, work_out_everything

_WHO = "potter"
_AROUND_S = 1800.0
_BEFORE_HISTORY = frozenset({SitePart.SITE, SitePart.KINDS, SitePart.PLACES, SitePart.STATIONS})
_JOURNAL_DAYS = 14.0
# Starting another process takes as long as making this many days.
_LONG_DAYS = 20.0


def make_demo_site(
    store: Store, *, end_us: int, days: float, progress: Callable[[float], None] | None = None
) -> None:
    """Fill an empty store with the pottery and its last days before a moment."""
    content = site_from_toml(site_text())
    with store.write() as connection:
        # What is worked out, watched and shown comes after the history that it is about.
        first = content.only(_BEFORE_HISTORY)
        put_content(connection, first, who=_WHO, now_us=end_us)
        series = {(one.station.key, one.field): one for one in load_site(connection).series}
        for remark in remarks_between(end_us - round(days * DAY_US), end_us):
            save_remark(connection, remark)
    tasks = [
        (one, {field.name: series[one.key, field.name] for field in one.reported}, end_us, days)
        for one in STATIONS
    ]
    for done, histories in enumerate(_made(tasks, days), start=1):
        with store.write() as connection:
            for history in histories:
                append_sealed(connection, history)
        if progress is not None:
            progress(done / len(tasks))
    with store.write() as connection:
        # Worked out in the background by whatever collector comes.
        put_content(connection, content, who=_WHO, now_us=end_us)
        # A site file is the whole of what is corrected, and this one corrects nothing.
        _calibrate(connection, end_us - round(days * DAY_US), end_us)
    _fill_journal(store, end_us - round(min(days, _JOURNAL_DAYS) * DAY_US), end_us)


def _calibrate(connection: Connection, start_us: int, end_us: int) -> None:
    """Enter each round with the hand meter as it was made: its points, then what they come to."""
    site = load_site(connection)
    series = next(
        one
        for one in site.series
        if (one.station.key, one.field) == (hand_readings.KEY, hand_readings.FIELD)
    )
    for round_ in hand_readings.hand_readings(start_us, end_us):
        now_us = round_[-1].time_us + HOUR_US
        for one in round_:
            row = PointRow(
                one.time_us, one.value, hand_readings.UNCERTAINTY, hand_readings.METER, ""
            )
            point, _ = new_point(connection, series, row, over_s=_AROUND_S, who=_WHO, now_us=now_us)
            add_reference_point(connection, point)
        record = record_of(connection, series, now_us=now_us, model=CalibrationModel.OFFSET)
        if record.proposal is not None:
            add_correction(
                connection,
                series.id,
                record.proposal,
                who=_WHO,
                why=f"{record.fit.n} reference points, {hand_readings.METER}",
                now_us=now_us,
                uncertainty=record.uncertainty,
            )


def _fill_journal(store: Store, start_us: int, end_us: int) -> None:
    """Write down what the watches would have rung, had they been there, and what stands."""
    with store.read() as connection:
        site = load_site(connection)
        targets, _ = all_targets(connection, site)
        zone = ZoneInfo(site.zone)
        found = [
            (target, backtest_result(connection, target, start_us, end_us, zone))
            for target in targets
        ]
    lines: list[Entry] = []
    standing: list[Alarm] = []
    for target, told in found:
        watch, series = target.watch, target.series
        for rang_us, cleared_us in told.pairs():
            line = Entry(
                rang_us,
                JournalKind.RANG,
                watch.slug,
                watch.name,
                series.place,
                series.id,
                watch.level,
            )
            lines.append(line)
            if cleared_us is not None:
                words = f"after {duration((cleared_us - rang_us) / 1e6)}"
                lines.append(
                    replace(line, time_us=cleared_us, sort=JournalKind.CLEARED, words=words)
                )
        if told.pairs():
            rang_us, cleared_us = told.pairs()[-1]
            is_over = cleared_us is not None
            # Somebody has seen what is over.
            state = AlarmState.NORMAL if is_over else AlarmState.UNACKNOWLEDGED
            step = DetectorState(end_us, rang_us=None if is_over else rang_us)
            standing.append(
                Alarm(watch.slug, series.id, step, state, watch.level, since_us=rang_us)
            )
    with store.write() as connection:
        write_journal(connection, sorted(lines, key=lambda line: line.time_us))
        write_alarms(connection, standing)


def work_out_demo(store: Store, *, now_us: int) -> None:
    """Work out everything that is due, at once, as a picture of it needs."""
    with store.read() as connection:
        bound = {
            series.id: (series, one.program)
            for series, one in bound_workings(connection, load_site(connection))
        }
    work_out_everything(store, bound, now_us=now_us)


_Task = tuple[DemoStation, dict[str, Series], int, float]


def _made(tasks: list[_Task], days: float) -> Iterator[list[History]]:
    """The histories of each station, on every core when they are long."""
    if days < _LONG_DAYS:
        yield from map(_histories, tasks)
        return
    with ProcessPoolExecutor(mp_context=multiprocessing.get_context("spawn")) as pool:
        yield from pool.map(_histories, tasks)


def _histories(task: _Task) -> list[History]:
    station, series, end_us, days = task
    return [
        history_of(
            series[told.field.name],
            _screened(told, series[told.field.name]),
            before_us=end_us - SEALED_AFTER_US,
        )
        for told in history(station, end_us, days)
    ]


def _screened(told: FieldHistory, series: Series) -> Readings:
    unit = series.quantity.unit(told.field.unit)
    raw = readings_from(told.time_us, told.value if unit is None else unit.to_base(told.value))
    gap_s = max_gap_s(series.station.cadence_s)
    return Readings(raw.time_us, raw.value, screened(raw, series.quantity, max_gap_s=gap_s))
