"""The model of the time rail: the site's worst level over a long stretch, where nothing was heard,
and the window that every view shows; decided without Qt."""

from __future__ import annotations

from collections.abc import Callable
from datetime import tzinfo

import msgspec
import numpy as np
from sqlalchemy.engine import Connection

from rook_tally.core.arrays import BoolArray, IntArray
from rook_tally.core.moment_words import moment_words
from rook_tally.core.quantities.levels import Level, Limits
from rook_tally.core.remarks import Remark
from rook_tally.core.series.envelope import Envelope
from rook_tally.core.ticks import TimeTick, time_ticks
from rook_tally.core.timestamps import DAY_US, HOUR_US, MINUTE_US, datetime_from_time_us
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.data.time_window import PRESETS, SHORTEST_US, TimeWindow
from rook_tally.desk.rail.texts import tr
from rook_tally.store.alarms import rings_between
from rook_tally.store.readings import envelopes, span_of
from rook_tally.store.site import Series, Site

COLUMNS = 336
_STEPS_US = (7 * DAY_US, 30 * DAY_US, 91 * DAY_US, 366 * DAY_US)
_ROUND_US = 10 * MINUTE_US


class RailRibbon(msgspec.Struct, frozen=True):
    """The site over [start, end): worst level and whether anything was heard in each column.

    `first_us` is the first moment of the archive; None in an empty store. `rings` are beginning,
    end and level of what rang.
    """

    start_us: int
    end_us: int
    worst: IntArray
    heard: BoolArray
    first_us: int | None
    rings: tuple[tuple[int, int, Level], ...] = ()


class RailQuery(msgspec.Struct, frozen=True):
    """The worst level over a stretch. A whole archive is asked for with `start_us` None."""

    site: Site
    start_us: int | None
    end_us: int

    def run(self, connection: Connection) -> RailRibbon:
        """The ribbon."""
        span = span_of(connection)
        first_us = None if span is None else span[0]
        start_us = self.start_us
        if start_us is None:
            start_us = min(first_us or self.end_us, self.end_us - _STEPS_US[0])
        worst = np.zeros(COLUMNS, dtype=np.int64)
        heard = np.zeros(COLUMNS, dtype=np.bool_)
        told = envelopes(connection, list(self.site.series), start_us, self.end_us, COLUMNS)
        for one in self.site.series:
            envelope = told[one.id]
            heard |= (envelope.count + envelope.suspect) > 0
            worst = np.maximum(worst, _levels(connection, one, envelope))
        rings = tuple(
            (ring.begin_us, self.end_us if ring.end_us is None else ring.end_us, ring.level)
            for several in rings_between(connection, start_us, self.end_us).values()
            for ring in several
        )
        return RailRibbon(start_us, self.end_us, worst, heard, first_us, rings)


def _levels(connection: Connection, one: Series, envelope: Envelope) -> IntArray:
    """The worst level in each column. By hours of the day they are found hour by hour."""
    hours = (envelope.end_us - envelope.start_us) // HOUR_US
    if not one.limits.by_hours or hours <= len(envelope):
        return _worse_side(one.limits, envelope)
    end_us = envelope.start_us + hours * HOUR_US
    fine = envelopes(connection, [one], envelope.start_us, end_us, hours)[one.id]
    worst = np.zeros(len(envelope), np.int64)
    column = np.arange(hours) * len(envelope) // hours
    np.maximum.at(worst, column, _worse_side(one.limits, fine))
    return worst


def _worse_side(limits: Limits, envelope: Envelope) -> IntArray:
    moments = envelope.centres_us
    lows, highs = limits.levels_at(moments, envelope.low), limits.levels_at(moments, envelope.high)
    return np.where(highs > lows, highs, lows)


class RailModel:
    """The rail over a `SiteState`. `changed` callbacks run when it has to be drawn anew."""

    def __init__(self, state: SiteState) -> None:
        self._state = state
        self.ribbon: RailRibbon | None = None
        self.shows_all = False
        self._alarm_moves = 0
        self.changed: list[Callable[[], None]] = []
        state.window_moved.append(self._tell)
        state.remarks_changed.append(self._tell)

    def _tell(self) -> None:
        for changed in self.changed:
            changed()

    @property
    def window(self) -> TimeWindow:
        """The window of time that every view shows."""
        return self._state.window

    @property
    def zone(self) -> tzinfo:
        """The site's."""
        return self._state.zone

    def question(self) -> RailQuery:
        """The query for now: at least a week, and as far back as the window reaches."""
        now_us = self._state.clock()
        end_us = (now_us // _ROUND_US + 1) * _ROUND_US
        if self.shows_all:
            return RailQuery(self._state.site, None, end_us)
        back_us = end_us - self.window.start_us
        span_us = next((one for one in _STEPS_US if one >= back_us), None)
        return RailQuery(self._state.site, None if span_us is None else end_us - span_us, end_us)

    def is_to_be_asked(self) -> bool:
        """True if what is shown is not what should be."""
        wanted = self.question()
        if self.ribbon is None or self._alarm_moves != self._state.alarm_moves:
            return True
        if wanted.end_us != self.ribbon.end_us:
            return True
        if wanted.start_us is not None:
            return wanted.start_us != self.ribbon.start_us
        first_us = self.ribbon.first_us
        return first_us is not None and first_us < self.ribbon.start_us

    def take(self, ribbon: RailRibbon) -> None:
        """An answer."""
        self.ribbon = ribbon
        self._alarm_moves = self._state.alarm_moves
        self._tell()

    @property
    def remarks_kept(self) -> list[Remark]:
        """All remarks: another list whenever one was altered."""
        return self._state.remarks

    @property
    def remarks(self) -> list[Remark]:
        """Remarks that lie on the rail."""
        return [one for one in self._state.remarks if one.touches(*self.bounds)]

    def show_all(self, shows_all: bool) -> None:
        """The whole archive, or the last stretch that holds the window."""
        self.shows_all = shows_all
        self._tell()

    @property
    def bounds(self) -> tuple[int, int]:
        """First and last moment of the rail."""
        if self.ribbon is not None:
            return self.ribbon.start_us, self.ribbon.end_us
        now_us = self._state.clock()
        return now_us - _STEPS_US[0], now_us

    def ticks(self, most: int) -> list[TimeTick]:
        """Marks of the rail."""
        first_day = self._state.site.settings.week_begins.number
        return time_ticks(*self.bounds, self.zone, most, first_day=first_day)

    def move_to(self, start_us: int) -> None:
        """Put the window's beginning at a moment, its length unchanged; at now it is live."""
        window = self.window
        self._show(window.moved(start_us - window.start_us, self._state.clock()))

    def stretch(self, *, start_us: int | None = None, end_us: int | None = None) -> None:
        """Put one end of the window somewhere; the other stays. An end at now is live."""
        window, now_us = self.window, self._state.clock()
        start = window.start_us if start_us is None else start_us
        end = window.end_us if end_us is None else min(end_us, now_us)
        if start_us is not None:
            start = min(start, end - SHORTEST_US)
        else:
            end = max(end, start + SHORTEST_US)
        is_live = window.is_live if end_us is None else end >= now_us
        self._show(TimeWindow(start, end, is_live))

    def go_live(self) -> None:
        """Back to now, the window's length unchanged."""
        self._state.show_last(self.window.span_us)

    def show_last(self, span_us: int) -> None:
        """The last so much time, live."""
        self._state.show_last(span_us)

    def go_to(self, text: str) -> None:
        """Show the moment or day a person typed: a moment at the end of the window, a day whole.

        Raises
        ------
        UsageError
            When it cannot be read, or lies ahead.
        """
        # Loaded late: most people drag.
        from rook_tally.core.time_input import typed_time

        now_us = self._state.clock()
        told = typed_time(text, now_us=now_us, zone=self.zone)
        if told.is_day:
            end_us = min(told.end_us, now_us)
            self._show(TimeWindow(told.start_us, end_us, is_live=told.end_us > now_us))
        elif told.start_us >= now_us:
            self.go_live()
        else:
            span_us = self.window.span_us
            self._show(TimeWindow(told.start_us - span_us, told.start_us, is_live=False))

    def show_everything(self) -> None:
        """The whole archive in the window."""
        first_us = None if self.ribbon is None else self.ribbon.first_us
        now_us = self._state.clock()
        self._state.show_last(now_us - first_us if first_us is not None else DAY_US)

    def _show(self, window: TimeWindow) -> None:
        self._state.show_window(window)

    def span_words(self) -> str:
        """The window's length in words, and that it is live."""
        window = self.window
        named = next((text for text, span in PRESETS if span == window.span_us), None)
        words = named or _length(window.span_us)
        return tr("last {0}", words) if window.is_live else words

    def moment_words(self) -> str:
        """The moment shown, when it is not now."""
        moment = datetime_from_time_us(self._state.now_us).astimezone(self.zone)
        return moment_words(moment, weekday=True, year=True)


def _length(span_us: int) -> str:
    if span_us >= 2 * DAY_US:
        return tr("{0:.0f} days", span_us / DAY_US)
    if span_us >= 2 * HOUR_US:
        return f"{span_us / HOUR_US:.0f} h"
    return tr("{0} min", max(1, round(span_us / MINUTE_US)))
