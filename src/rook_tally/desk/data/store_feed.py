"""From the store to the desk: one thread that reads a picture of the site and follows its changes.

No Qt in here: news are handed to a callback, which the window turns into a signal.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Collection
from typing import TypeAlias

import msgspec
from msgspec.structs import replace
from sqlalchemy.engine import Connection

from rook_tally.core.arrays import TimeArray
from rook_tally.core.errors import StoreError
from rook_tally.core.quantities.named_series import Group
from rook_tally.core.remarks import Remark
from rook_tally.core.series.envelope import Envelope
from rook_tally.core.timestamps import DAY_US, MINUTE_US, SECOND_US
from rook_tally.desk.data.clock import Clock
from rook_tally.desk.data.texts import tr
from rook_tally.store.alarms import ActiveAlarm, standing
from rook_tally.store.base import Change, ChangeTail, Store, Subject, stretches_to_work_out
from rook_tally.store.maintenance.backup_schedule import backup_schedule, last_backup
from rook_tally.store.readings import Latest, envelopes, latest, reading_news
from rook_tally.store.readings.query import report_times
from rook_tally.store.site import Collector, Series, Site, collectors, load_site, remarks
from rook_tally.store.workings import groups

POLL_S = 0.025
# After news the next are let gather: nobody reads figures that change forty times a second.
_AFTER_NEWS_S = 0.05
RIBBON_COLUMN_US = 15 * MINUTE_US
RIBBON_COLUMNS = DAY_US // RIBBON_COLUMN_US
HEARD_REPORTS = 24
_DOORS_LOOK_S = 5.0
# A sender's clock may be this far ahead and is still believed.
_AHEAD_US = 2 * MINUTE_US


class Copies(msgspec.Struct, frozen=True):
    """When the last daily copy was made, 0 for never, and why none has been since."""

    made_us: int
    trouble: str


class Picture(msgspec.Struct, frozen=True):
    """The whole site as it stands: sent first, and whenever its configuration changed.

    Attributes
    ----------
    latest : newest reading by series id
    ribbons : the last 24 hours by series id, columns of 15 minutes
    others_stand : the ribbons of all other series are as they were told before
    reports : by station id, moments of its last reports, (N,) int64
    """

    site: Site
    latest: dict[int, Latest]
    ribbons: dict[int, Envelope]
    reports: dict[int, TimeArray]
    collectors: list[Collector]
    remarks: list[Remark] = msgspec.field(default_factory=list)
    groups: list[Group] = msgspec.field(default_factory=list)
    alarms: tuple[ActiveAlarm, ...] = ()
    copies: Copies | None = None
    others_stand: bool = False


class NewReadings(msgspec.Struct, frozen=True):
    """Readings that came: the newest by series id, and ribbons of series that need more than it."""

    latest: dict[int, Latest]
    ribbons: dict[int, Envelope] = msgspec.field(default_factory=dict)


class NewDoors(msgspec.Struct, frozen=True):
    """The collectors' doors as they are now, and the room on the store's disk, if we can see it."""

    collectors: list[Collector]
    room_bytes: int | None = None
    copies: Copies | None = None


class MessagesChanged(msgspec.Struct, frozen=True):
    """Messages came, or strays came or went."""


class NewRemarks(msgspec.Struct, frozen=True):
    """Remarks were written, altered or deleted: all there are."""

    remarks: list[Remark]


class NewSheets(msgspec.Struct, frozen=True):
    """Sheets of the Wall, or who may look at their pages, were altered."""


class NewReports(msgspec.Struct, frozen=True):
    """Reports were described or written, or guidelines altered."""


class NewAlarms(msgspec.Struct, frozen=True):
    """An alarm rang, cleared or was seen to: all that stand."""

    alarms: tuple[ActiveAlarm, ...]


class StoreUnavailable(msgspec.Struct, frozen=True):
    """The store cannot be read at the moment; empty text when it can again."""

    text: str


News: TypeAlias = (
    Picture
    | NewReadings
    | NewDoors
    | MessagesChanged
    | NewRemarks
    | NewSheets
    | NewReports
    | NewAlarms
    | StoreUnavailable
)


def ribbon_window(now_us: int) -> tuple[int, int]:
    """The last 24 hours, ending with the quarter of an hour that now lies in."""
    end_us = (now_us // RIBBON_COLUMN_US + 1) * RIBBON_COLUMN_US
    return end_us - RIBBON_COLUMNS * RIBBON_COLUMN_US, end_us


def read_picture(connection: Connection, now_us: int, *, ribbons: bool = True) -> Picture:
    """The whole site as it stood at a moment; without ribbons it is read much faster."""
    site = load_site(connection)
    return Picture(
        site,
        latest(connection, until_us=now_us + _AHEAD_US),
        ribbons_before(connection, site.series, now_us) if ribbons else {},
        last_reports(connection, site, now_us),
        collectors(connection, now_us=now_us),
        remarks(connection),
        groups(connection),
        standing(connection),
        copies_in(connection),
    )


def copies_in(connection: Connection) -> Copies | None:
    """State of the daily copies; None where none are made."""
    if backup_schedule(connection) is None:
        return None
    last = last_backup(connection)
    return Copies(last.made_us, last.trouble)


def last_reports(connection: Connection, site: Site, now_us: int) -> dict[int, TimeArray]:
    """By station id, when it last reported before a moment: as often as a row's head shows."""
    first = {one.station.id: one.id for one in reversed(site.series)}
    spans = {
        station_id: (first[station_id], now_us - span_us)
        for station_id, span_us in reports_us(site).items()
        if station_id in first
    }
    told = report_times(connection, list(spans.values()), now_us + 1)
    return {station_id: told[series_id] for station_id, (series_id, _) in spans.items()}


def reports_us(site: Site) -> dict[int, int]:
    """Start of the shown reports, by station id."""
    return {one.id: round((HEARD_REPORTS + 2) * one.cadence_s * SECOND_US) for one in site.stations}


def ribbons_before(
    connection: Connection, series: Collection[Series], now_us: int
) -> dict[int, Envelope]:
    """The day before a moment, by series id."""
    return envelopes(connection, list(series), *ribbon_window(now_us), RIBBON_COLUMNS)


class StoreFeed:
    """Reads the store in a thread of its own and hands news to a callback in that thread."""

    def __init__(self, store: Store, *, clock: Clock) -> None:
        self._store = store
        self._clock = clock
        self._listener: Callable[[News], None] | None = None
        self._unheard: list[News] = []
        self._handing_over = threading.Lock()
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._run, name="feed", daemon=True)
        self._series: dict[int, Series] = {}
        self._newest: dict[int, int] = {}
        self._ribbon_end_us = 0

    def start(self) -> None:
        """Begin; the first news is a `Picture`. It may be read before anybody listens."""
        self._thread.start()

    def deliver_to(self, listener: Callable[[News], None]) -> None:
        """Hand news to this callback from now on, those that came before first."""
        with self._handing_over:
            self._listener = listener
            for news in self._unheard:
                listener(news)
            self._unheard.clear()

    def _on_news(self, news: News) -> None:
        with self._handing_over:
            if self._listener is None:
                self._unheard.append(news)
            else:
                self._listener(news)

    def stop(self) -> None:
        """End the thread and wait for it."""
        self._stop.set()
        if self._thread.is_alive():
            self._thread.join()

    def _run(self) -> None:
        tail: ChangeTail | None = None
        is_troubled = False
        doors_looked_us = 0
        while True:
            pause_s = POLL_S
            try:
                if tail is None:
                    # Made before the first look, so that nothing falls between the two.
                    tail = ChangeTail(self._store)
                    self._send_picture()
                elif tail.has_news():
                    self._follow(tail.changes())
                    pause_s = _AFTER_NEWS_S
                elif ribbon_window(self._clock())[1] != self._ribbon_end_us:
                    self._send_picture()
                if self._clock() - doors_looked_us > _DOORS_LOOK_S * SECOND_US:
                    # A collector that died wrote nothing about it.
                    doors_looked_us = self._clock()
                    self._send_doors()
                if is_troubled:
                    is_troubled = False
                    self._on_news(StoreUnavailable(""))
            except Exception as error:  # noqa: BLE001 - a window that hears no more looks well
                is_troubled = True
                self._on_news(StoreUnavailable(_trouble_words(error)))
                if tail is not None:
                    # What follows a server does not outlive it: begin anew once it is back.
                    tail.close()
                    tail = None
            if self._stop.wait(1.0 if is_troubled else pause_s):
                break
        if tail is not None:
            tail.close()

    def _send_picture(self, begun: list[Change] | None = None) -> None:
        """The whole site; where only series have begun, with the ribbons of these and of those that
        the same changes tell readings of. Of thousands they take longer than all else."""
        now_us = self._clock()
        is_first = self._ribbon_end_us == 0
        is_same_day = ribbon_window(now_us)[1] == self._ribbon_end_us
        with self._store.read() as connection:
            if begun is None or not is_same_day:
                picture = read_picture(connection, now_us, ribbons=not is_first)
            else:
                picture = read_picture(connection, now_us, ribbons=False)
                moved = {one.series_id for one in begun if one.subject is Subject.READINGS}
                told = [
                    one
                    for one in picture.site.series
                    if one.id not in self._series or one.id in moved
                ]
                ribbons = ribbons_before(connection, told, now_us)
                picture = replace(picture, ribbons=ribbons, others_stand=True)
        self._series = {one.id: one for one in picture.site.series}
        self._newest = {series_id: one.time_us for series_id, one in picture.latest.items()}
        self._ribbon_end_us = ribbon_window(now_us)[1]
        self._on_news(picture)
        if is_first:
            # What is and how fresh it is comes first; the day behind it follows at once.
            with self._store.read() as connection:
                ribbons = ribbons_before(connection, picture.site.series, now_us)
            self._on_news(NewReadings({}, ribbons))

    def _send_doors(self) -> None:
        with self._store.read() as connection:
            at_work = collectors(connection, now_us=self._clock())
            copies = copies_in(connection)
        self._on_news(NewDoors(at_work, self._store.room_bytes(), copies))

    def _follow(self, changes: list[Change]) -> None:
        subjects = {change.subject for change in changes}
        # What was worked out again shows in every view, also where it shows the past.
        if Subject.SITE in subjects or (Subject.WORKINGS in subjects and self._is_all_worked_out()):
            self._send_picture()
        elif Subject.SERIES in subjects:
            self._send_picture(changes)
        elif Subject.READINGS in subjects:
            self._send_readings(changes)
        if Subject.DOORS in subjects:
            self._send_doors()
        if Subject.REMARKS in subjects:
            with self._store.read() as connection:
                self._on_news(NewRemarks(remarks(connection)))
        if subjects & {Subject.ALARMS, Subject.WATCHES}:
            with self._store.read() as connection:
                self._on_news(NewAlarms(standing(connection)))
        if subjects & {Subject.SHEETS, Subject.PAGE}:
            self._on_news(NewSheets())
        if Subject.REPORTS in subjects:
            self._on_news(NewReports())
        if subjects & {Subject.TAPE, Subject.STRAYS, Subject.REQUESTS}:
            self._on_news(MessagesChanged())

    def _is_all_worked_out(self) -> bool:
        with self._store.read() as connection:
            return not stretches_to_work_out(connection)

    def _send_readings(self, changes: list[Change]) -> None:
        now_us = self._clock()
        mine = [one for one in changes if one.series_id in self._series]
        with self._store.read() as connection:
            told = reading_news(connection, mine, self._newest, until_us=now_us + _AHEAD_US)
            involved = [self._series[one] for one in told.involved]
            ribbons = ribbons_before(connection, involved, now_us) if involved else {}
        self._newest.update({series_id: one.time_us for series_id, one in told.newest.items()})
        self._on_news(NewReadings(told.newest, ribbons))


def _trouble_words(error: Exception) -> str:
    if isinstance(error, StoreError):
        return str(error)
    # Loaded late: it takes as long as a tenth of a start.
    import structlog

    structlog.get_logger(__name__).error("feed_failed", exc_info=error)
    return tr("a fault of ours: {0}; the log says more", repr(error))
