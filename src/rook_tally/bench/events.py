"""Moments at which something happened: a switch, a pin, a span, an alarm, a level passed."""

from __future__ import annotations

import enum
import re

import msgspec
import numpy as np
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.bench.naming import reference_of, series_named
from rook_tally.bench.texts import tr
from rook_tally.core.alarms.journal import JournalKind
from rook_tally.core.arrays import TimeArray
from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.number_input import typed_number
from rook_tally.core.quantities.quantity import QuantityScale
from rook_tally.core.series.exceedances import spells
from rook_tally.core.series.gaps import max_gap_s
from rook_tally.store.alarms import watches
from rook_tally.store.base import schema
from rook_tally.store.readings import read_range
from rook_tally.store.site import Series, Site
from rook_tally.store.site.remarks import remarks


class EventKind(enum.StrEnum):
    """What the moments come from; its value is how a command says it."""

    ON = "on"
    OFF = "off"
    PIN = "pin"
    SPAN = "span"
    ALARM = "alarm"
    ABOVE = "above"
    BELOW = "below"


class EventSource(msgspec.Struct, frozen=True):
    """What happens: of a series when it goes on or off or past a level (in the unit shown), a pin
    or span by its words, an alarm by the slug of its watch."""

    kind: EventKind
    name: str
    level: float | None = None

    @property
    def text(self) -> str:
        """As a command says it; `source_from` reads it."""
        if self.kind in (EventKind.ABOVE, EventKind.BELOW):
            sign = ">" if self.kind is EventKind.ABOVE else "<"
            return f"{self.name}{sign}{self.level:g}"
        return f"{self.kind.value}:{self.name}"


class Events(msgspec.Struct, frozen=True):
    """The (E,) moments of a source within a stretch, rising, and what to call them."""

    source: EventSource
    title: str
    times_us: TimeArray
    place: str = ""


_PAST = re.compile(r"(.+?)\s*([<>])\s*([-−+\d.,\s]+)")


def source_from(text: str) -> EventSource:
    """Read a source as a command says it: `on:state@mill`, `pin:kiln opened`, `alarm:co2-shop`,
    `co2@shop>900`.

    Raises
    ------
    UsageError
        For words that are none of these.
    """
    kind, colon, name = text.partition(":")
    if colon and kind.strip() in set(EventKind) - {EventKind.ABOVE, EventKind.BELOW}:
        if not name.strip():
            raise UsageError(f"{text!r} does not say what", remedy=_REMEDY)
        return EventSource(EventKind(kind.strip()), name.strip())
    past = _PAST.fullmatch(text.strip())
    if past is not None:
        level = typed_number(past[3])
        which = EventKind.ABOVE if past[2] == ">" else EventKind.BELOW
        return EventSource(which, past[1].strip(), level)
    raise UsageError(f"{text!r} is no event", remedy=_REMEDY)


_REMEDY = "say on:SERIES, off:SERIES, pin:WORDS, span:WORDS, alarm:WATCH or SERIES>NUMBER"


def events_of(
    connection: Connection, site: Site, source: EventSource, start_us: int, end_us: int
) -> Events:
    """When a source happened within [start, end).

    Raises
    ------
    UsageError
        When there is no such series, pin, span or watch.
    """
    if source.kind in (EventKind.PIN, EventKind.SPAN):
        return _of_remarks(connection, source, start_us, end_us)
    if source.kind is EventKind.ALARM:
        return _of_alarms(connection, source, start_us, end_us)
    series = series_named(site, source.name)
    gap_s, cadence_s = max_gap_s(series.station.cadence_s), series.station.cadence_s
    readings = read_range(connection, series.id, start_us - round(gap_s * 1e6), end_us)
    place, name = series.station.place.name, series.quantity.name
    if source.kind in (EventKind.ON, EventKind.OFF):
        good = readings.good
        times, on = readings.time_us[good], readings.value[good] >= 0.5
        if source.kind is EventKind.OFF:
            on = ~on
        begins = np.flatnonzero(on[1:] & ~on[:-1]) + 1
        # What was on before a gap and is on after it did not begin then.
        begins = begins[times[begins] - times[begins - 1] <= round(gap_s * 1e6)]
        found = times[begins]
        title = (
            tr("{0} {1} goes on", place, name)
            if source.kind is EventKind.ON
            else tr("{0} {1} goes off", place, name)
        )
    else:
        assert source.level is not None
        base = float(series.shown.unit.to_base(source.level))
        past = spells(
            readings,
            threshold=base,
            max_gap_s=gap_s,
            cadence_s=cadence_s,
            direction="above" if source.kind is EventKind.ABOVE else "below",
            merge_s=2 * cadence_s,
        )
        found = past.start_us[~past.cut_start]
        sign = tr("passes") if source.kind is EventKind.ABOVE else tr("falls below")
        title = f"{place} {name} {sign} {series.shown.limit_text(base)} {series.shown.symbol}"
    found = found[(found >= start_us) & (found < end_us)]
    return Events(source, title.rstrip(), found, place)


def _of_remarks(connection: Connection, source: EventSource, start_us: int, end_us: int) -> Events:
    wanted = source.name.casefold()
    of_kind = [one for one in remarks(connection) if one.is_span is (source.kind is EventKind.SPAN)]
    same = [one for one in of_kind if one.text.casefold() == wanted]
    same = same or [one for one in of_kind if wanted in one.text.casefold()]
    if not same:
        known = ", ".join(sorted({one.text for one in of_kind})[:12]) or "none yet"
        raise UsageError(
            f"no {source.kind.value} says {source.name!r}", remedy=f"there are: {known}"
        )
    times = [one.start_us for one in same if start_us <= one.start_us < end_us]
    places = {one.place or "" for one in same}
    written = same[-1].text
    title = (
        tr("“{0}” begins", written)
        if source.kind is EventKind.SPAN
        else tr("“{0}” is pinned", written)
    )
    return Events(
        source, title, np.array(sorted(times), np.int64), places.pop() if len(places) == 1 else ""
    )


def _of_alarms(connection: Connection, source: EventSource, start_us: int, end_us: int) -> Events:
    watch = next((one for one in watches(connection) if source.name in (one.slug, one.name)), None)
    if watch is None:
        known = ", ".join(one.slug for one in watches(connection)) or "none yet"
        raise UsageError(f"there is no watch {source.name!r}", remedy=f"there are: {known}")
    table = schema.journal
    rows = connection.execute(
        sa.select(table.c.time_us)
        .where(
            table.c.watch == watch.slug,
            table.c.sort.in_([JournalKind.RANG.value, JournalKind.RANG_LATE.value]),
            table.c.time_us >= start_us,
            table.c.time_us < end_us,
        )
        .order_by(table.c.time_us)
    ).scalars()
    return Events(source, tr("{0} rings", watch.name), np.array(list(rows), np.int64))


def known_sources(connection: Connection, site: Site) -> list[EventSource]:
    """What could be asked about: every state, every word of pins and spans, every watch."""
    found = [
        EventSource(EventKind.ON, reference_of(one)) for one in site.series_shown if is_state(one)
    ]
    told: dict[tuple[EventKind, str], int] = {}
    for remark in remarks(connection):
        key = (EventKind.SPAN if remark.is_span else EventKind.PIN, remark.text)
        told[key] = told.get(key, 0) + 1
    found += [EventSource(kind, text) for (kind, text), times in told.items() if times > 1]
    return found + [EventSource(EventKind.ALARM, one.slug) for one in watches(connection)]


def is_state(series: Series) -> bool:
    """True if a series is on or off."""
    return series.quantity.scale is QuantityScale.STATE
