"""The two tables of a station's page: its fields, and the tape of its messages; without Qt."""

from __future__ import annotations

import math
import re

import msgspec

from rook_tally.core.moment_words import day_words
from rook_tally.core.quantities.display_unit import DisplayUnit
from rook_tally.core.quantities.levels import Level
from rook_tally.core.quantities.number_format import figure
from rook_tally.core.series.corrections import correction_text
from rook_tally.core.timestamps import datetime_from_time_us
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.stations.queries import StationPage
from rook_tally.desk.stations.texts import tr
from rook_tally.store.site import MessageLogEntry, Series

_TIME_MEMBER = re.compile(r'"time":"[^"]*",?|(?<=[{,])"time":[0-9.]+,?')


class TapeRow(msgspec.Struct, frozen=True):
    """A message: when, what it said, what became of it, and how far that is from fine."""

    time: str
    body: str
    fate: str
    level: Level
    decoded: str = ""


class FieldRow(msgspec.Struct, frozen=True):
    """A field of a station: name on the wire, what it becomes, its newest value, its day, what is
    believable, its correction."""

    name: str
    becomes: str
    now: str
    day: str
    believable: str
    correction: str

    @property
    def cells(self) -> tuple[str, ...]:
        """The row from left to right."""
        return (self.name, self.becomes, self.now, self.day, self.believable, self.correction)


def tape_row(state: SiteState, line: MessageLogEntry) -> TapeRow:
    """The row of a message."""
    level = Level.SETTLED
    if line.suspect:
        level = Level.RAISED
    if line.stray or line.refused or (line.why and not (line.kept or line.duplicate)):
        level = Level.HIGH
    arrived = datetime_from_time_us(line.arrived_us).astimezone(state.zone)
    exactly = f"{arrived:%H:%M:%S}.{arrived.microsecond // 1000:03}"
    return TapeRow(exactly, _body_text(line), line.fate, level, line.decoded)


def field_row(state: SiteState, one: Series, page: StationPage | None) -> FieldRow:
    """The row of a field; before the page is there without its day and its corrections."""
    quantity, told = one.quantity, one.shown
    newest = state.latest.get(one.id)
    day = None if page is None else page.days.get(one.id)
    unit = f", {told.symbol}" if told.symbol else ""
    corrections = [] if page is None else page.corrections.get(one.id, [])
    correction = "none"
    if corrections:
        newest_one = corrections[-1].correction
        since = datetime_from_time_us(newest_one.from_us).astimezone(state.zone)
        words = correction_text(newest_one, told)
        correction = tr("{0} since {1}", words, day_words(since))
    return FieldRow(
        one.field,
        f"{quantity.name}{unit}{_set_aside(one)}",
        "" if newest is None else told.text(newest.value),
        ""
        if day is None or math.isnan(day.low)
        else _span_text(told, day.low, day.high, told.decimals),
        _span_text(told, *quantity.believable, 0),
        correction,
    )


def _set_aside(one: Series) -> str:
    if one.settings.left_out:
        return tr(" (left out)")
    return tr(" (hidden)") if one.settings.hidden else ""


def _body_text(line: MessageLogEntry) -> str:
    """A message's beginning on one line; bytes that are no text in hexadecimal."""
    try:
        text = " ".join(line.body.decode().split())
    except UnicodeDecodeError:
        return line.decoded or line.body.hex(" ")
    if text[:1] not in "{[":
        return text
    # Blanks and the time, which stands before it, take the room of what is interesting.
    return _TIME_MEMBER.sub("", text.replace('": ', '":').replace(', "', ',"'))


def _span_text(told: DisplayUnit, low: float, high: float, decimals: int) -> str:
    return f"{figure(told.value(low), decimals)} – {figure(told.value(high), decimals)}"
