"""The real site, driven by the same events: store, way in, workings, watches, keeper."""

from __future__ import annotations

import json
from zoneinfo import ZoneInfo

from rook_tally.alarming.alarm_clock import AlarmClock
from rook_tally.core.alarms.definitions import Scope, WatchKind
from rook_tally.core.alarms.definitions import Watch as RealWatch
from rook_tally.core.alarms.journal import JournalKind
from rook_tally.core.alarms.transitions import Alarm
from rook_tally.core.quantities.kinds import PLAIN
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.series.corrections import Correction
from rook_tally.core.series.envelope import Envelope
from rook_tally.core.series.readings import Quality, readings_from
from rook_tally.core.series.screening import screened
from rook_tally.core.series.spans import SpanStatistics
from rook_tally.core.workings.definitions import Working
from rook_tally.desk.ledger.series_summary import SeriesSummaryQuery
from rook_tally.intake.message import IntakeResult
from rook_tally.intake.message import Message as RealMessage
from rook_tally.intake.pipeline.batch_writer import receive
from rook_tally.intake.pipeline.clock_drift import Clocks
from rook_tally.intake.pipeline.resolve import IntakeSession
from rook_tally.store.alarms import alarms, journal, save_watch
from rook_tally.store.base import Store
from rook_tally.store.exchange.imports import bring_in, imports, take_back
from rook_tally.store.maintenance.thinning import thin
from rook_tally.store.readings import (
    Latest,
    envelopes,
    latest,
    overrule,
    overrulings,
    read_range,
    read_raw_range,
    seal_all,
    span_statistics,
    withdraw_overruling,
)
from rook_tally.store.site import (
    Series,
    add_correction,
    add_series,
    add_station,
    load_site,
    set_site,
)
from rook_tally.store.workings import (
    bind_workings,
    bound_workings,
    save_working,
    work_out_everything,
)
from tests.oracle import events as ev
from tests.oracle.model import Key, Silence, Watch

ALWAYS = 1 << 60
_TRANSITIONS = {
    JournalKind.RANG: "rang",
    JournalKind.RANG_LATE: "rang",
    JournalKind.CLEARED: "cleared",
    JournalKind.CLEARED_LATE: "cleared",
}
WORKINGS = {
    "twice": ("pm25", "pm25@kiln * 2"),
    "loud": ("sound_level", "mean(sound_level@kiln over 30 min)"),
    "blown": ("wind_direction", "mean(wind_direction@kiln over 30 min)"),
}
"""What is worked out: of which field, by which formula."""


class World:
    """A site of the stations `kiln` and `shop` with every field begun, two watches, workings."""

    def __init__(
        self, store: Store, watch: Watch, silence: Silence, *, cadence_s: float, zone: str
    ) -> None:
        self.store = store
        self.directories = [(IntakeSession(), Clocks()), (IntakeSession(), Clocks())]
        self.keeper = AlarmClock(store, since_us=0)
        self.answers: list[IntakeResult] = []
        self.stations = 0
        self.now_us = 0
        self.withdrawn: list[tuple[Series, int]] = []
        with store.write() as connection:
            set_site(connection, name="Oracle", zone=zone)
            for key in ("kiln", "shop"):
                add_station(connection, key, place=key, kind=PLAIN, cadence_s=cadence_s)
            site = load_site(connection)
            for station in site.stations:
                for slug in ("pm25", "temperature", "sound_level", "wind_direction", "contact"):
                    quantity = QUANTITIES[slug]
                    add_series(
                        connection,
                        station,
                        field=slug,
                        quantity=quantity,
                        unit=quantity.base.symbol,
                    )
            for slug, (_, formula) in WORKINGS.items():
                save_working(connection, Working(slug=slug, name=slug, formula=formula))
            bind_workings(connection)
            save_watch(
                connection,
                RealWatch(
                    slug="dust",
                    name="Dust",
                    sort=WatchKind.ABOVE,
                    scope=Scope(quantity="pm25", place="kiln"),
                    unit="µg/m³",
                    limit=watch.limit,
                    clear=watch.clear,
                    for_s=watch.on_s,
                    calm_s=watch.off_s,
                ),
                now_us=silence.armed_us,
            )
            save_watch(
                connection,
                RealWatch(
                    slug="quiet",
                    name="Quiet",
                    sort=WatchKind.SILENT,
                    scope=Scope(station="kiln"),
                    silent_s=silence.after_s,
                ),
                now_us=silence.armed_us,
            )

    def series(self, key: Key) -> Series:
        with self.store.read() as connection:
            return next(
                one
                for one in load_site(connection).series
                if (one.station.key, one.field) == key and not one.station.is_worked_out
            )

    def happen(self, event: ev.Event) -> None:
        """Let the real thing go through an event."""
        match event:
            case ev.Message():
                self.now_us = max(self.now_us, event.arrived_us)
                self._arrives(event)
            case ev.Correct():
                self._correct(event)
            case ev.Overrule():
                self._overrule(event)
            case ev.TakeBackOverruling():
                if self.withdrawn:
                    series, number = self.withdrawn.pop()
                    with self.store.write() as connection:
                        withdraw_overruling(connection, series, number)
            case ev.Import():
                self._import(event)
            case ev.UndoImport():
                with self.store.write() as connection:
                    known = imports(connection)
                    if known:
                        several = {one.id: one for one in load_site(connection).series}
                        take_back(connection, known[0].id, several)
            case ev.Seal():
                with self.store.read() as connection:
                    several = {one.id: one for one in load_site(connection).series}
                seal_all(self.store, several, now_us=event.now_us)
            case ev.Thin():
                with self.store.read() as connection:
                    reporting = [
                        one for one in load_site(connection).series if not one.station.is_worked_out
                    ]
                thin(self.store, reporting, event.before_us, remove=True)
            case ev.Restart():
                self.directories[0] = (IntakeSession(), Clocks())
                self.keeper = AlarmClock(self.store, since_us=0)
            case ev.OtherCollector():
                self.directories.reverse()
            case ev.Configure():
                self.stations += 1
                with self.store.write() as connection:
                    add_station(
                        connection, f"extra-{self.stations}", place="shop", kind=PLAIN, cadence_s=60
                    )
            case ev.Look():
                self.keeper.look(event.now_us)

    def _arrives(self, event: ev.Message) -> None:
        rows = [
            {value.field: value.number}
            | ({} if value.time_us is None else {"time": value.time_us / 1e6})
            for value in event.values
        ]
        message = RealMessage(
            "http", "127.0.0.1", json.dumps(rows).encode(), event.arrived_us, station=event.station
        )
        self.answers += receive(self.store, *self.directories[0], [message])

    def _correct(self, event: ev.Correct) -> None:
        series = self.series(event.series)
        made = Correction(event.from_us, event.gain, event.offset)
        with self.store.write() as connection:
            add_correction(connection, series.id, made, who="W", why="", now_us=event.from_us)

    def _overrule(self, event: ev.Overrule) -> None:
        series = self.series(event.series)
        said = Quality.GOOD if event.good else Quality.SET_ASIDE
        with self.store.write() as connection:
            number = overrule(connection, series, event.from_us, event.to_us, said, who="W", why="")
        self.withdrawn.append((series, number))

    def overlaps(self, event: ev.Overrule) -> bool:
        """True if part of that stretch was spoken of: a person is refused then."""
        with self.store.read() as connection:
            known = overrulings(connection, self.series(event.series).id)
        return any(one.from_us < event.to_us and one.to_us > event.from_us for one in known)

    def _import(self, event: ev.Import) -> None:
        series = self.series(event.series)
        last = {time: value for time, value in event.rows if time <= event.now_us + 120 * ev.S}
        times = sorted(last)
        raw = readings_from(times, [last[time] for time in times])
        gap_s = max(3 * series.station.cadence_s, 90)
        told = readings_from(times, raw.value, screened(raw, series.quantity, max_gap_s=gap_s))
        bring_in(self.store, "a.csv", [(series, told)], now_us=event.now_us)

    # What is said

    def settle(self) -> None:
        """Let all that is due be worked out."""
        with self.store.write() as connection:
            bind_workings(connection)
        with self.store.read() as connection:
            several = bound_workings(connection, load_site(connection))
        work_out_everything(
            self.store, {one.id: (one, bound.program) for one, bound in several}, now_us=self.now_us
        )

    def newest(self, key: Key) -> Latest | None:
        with self.store.read() as connection:
            return latest(connection, [self.series(key).id]).get(self.series(key).id)

    def readings(self, key: Key, start: int = 0, end: int = ALWAYS) -> list[tuple[int, float, int]]:
        with self.store.read() as connection:
            found = read_raw_range(connection, self.series(key).id, start, end)
        return list(
            zip(found.time_us.tolist(), found.value.tolist(), found.quality.tolist(), strict=True)
        )

    def statistics(self, key: Key, start: int, end: int) -> SpanStatistics:
        with self.store.read() as connection:
            return span_statistics(connection, self.series(key), start, end)

    def envelope(self, key: Key, start: int, end: int, columns: int) -> Envelope:
        series = self.series(key)
        with self.store.read() as connection:
            return envelopes(connection, [series], start, end, columns)[series.id]

    def account(self, key: Key, now: int) -> dict[str, str]:
        """What the Ledger's side panel says of a series: its lines by name; none without one."""
        newest = self.newest(key)
        if newest is None:
            return {}
        with self.store.read() as connection:
            zone = ZoneInfo(load_site(connection).zone)
            told = SeriesSummaryQuery(self.series(key), newest, now, zone).run(connection)
        return {one.name: one.value for one in told.facts}

    def worked(self, slug: str) -> dict[int, float]:
        with self.store.read() as connection:
            one = next(
                one
                for one in load_site(connection).series
                if one.station.is_worked_out and one.quantity.slug == slug
            )
            found = read_range(connection, one.id, 0, ALWAYS)
        return dict(zip(found.time_us.tolist(), found.value.tolist(), strict=True))

    def alarm(self, slug: str) -> Alarm | None:
        with self.store.read() as connection:
            known = alarms(connection)
        return next((one for (name, _), one in known.items() if name == slug), None)

    def transitions(self, slug: str) -> list[tuple[str, int]]:
        """What the journal says a watch did, oldest first."""
        with self.store.read() as connection:
            lines = journal(connection, watch=slug, most=10_000)
        return [
            (_TRANSITIONS[one.sort], one.time_us)
            for one in reversed(lines)
            if one.sort in _TRANSITIONS
        ]


def zone_named(name: str) -> ZoneInfo:
    """The zone both sides use."""
    return ZoneInfo(name)
