"""Finding by a few letters: places, stations, series, remarks and commands; without Qt."""

from __future__ import annotations

import enum
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import TypeAlias

from rook_tally.core.moment_words import moment_words
from rook_tally.core.remarks import Remark
from rook_tally.core.timestamps import datetime_from_time_us
from rook_tally.desk.data.actions import Action, key_words
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.data.text_match import folded
from rook_tally.desk.data.texts import tr
from rook_tally.store.site import Place, Series, Station

MOST = 40


class FoundKind(enum.Enum):
    """A kind of finding, in the order they are listed."""

    PLACE = "place"
    STATION = "station"
    SERIES = "series"
    REMARK = "remark"
    COMMAND = "command"


FindTarget: TypeAlias = Place | Station | Series | Remark | Action


@dataclass(frozen=True, slots=True)
class FoundItem:
    """One thing that fits: `detail` stands dim beside it, `keys` at the end of the line."""

    sort: FoundKind
    words: str
    detail: str
    keys: str
    target: FindTarget


def found(letters: str, state: SiteState, commands: Sequence[Action]) -> list[FoundItem]:
    """Whatever holds all the words typed, best first: words that begin so before those that merely
    hold it. Nothing typed lists the commands."""
    words = folded(letters).split()
    if not words:
        return [one for one in _everything(state, commands) if one.sort is FoundKind.COMMAND][:MOST]
    fitting = []
    for at, one in enumerate(_everything(state, commands)):
        text = folded(f"{one.words} {one.detail} {one.sort.value}")
        if all(word in text for word in words):
            begins = text.split()
            missed = sum(not any(part.startswith(word) for part in begins) for word in words)
            not_first = not text.startswith(words[0])
            fitting.append(((missed, not_first, at), one))
    return [one for _, one in sorted(fitting, key=lambda pair: pair[0])[:MOST]]


def _everything(state: SiteState, commands: Sequence[Action]) -> Iterator[FoundItem]:
    site = state.site
    for place in site.places:
        where = tr("indoors") if place.indoors else tr("outdoors")
        yield FoundItem(FoundKind.PLACE, place.name, where, "", place)
    for station in site.stations:
        yield FoundItem(FoundKind.STATION, station.key, station.place.name, "", station)
    for one in site.series:
        name = f"{one.station.place.name} {one.quantity.name}"
        yield FoundItem(FoundKind.SERIES, name, one.station.key, "", one)
    for remark in reversed(state.remarks):
        moment = datetime_from_time_us(remark.start_us).astimezone(state.zone)
        about = f", {remark.place}" if remark.place else ""
        yield FoundItem(
            FoundKind.REMARK,
            remark.text,
            f"{moment_words(moment, weekday=True)}{about}",
            "",
            remark,
        )
    for command in commands:
        yield FoundItem(
            FoundKind.COMMAND,
            command.words,
            tr(command.section.value),
            key_words(command.keys),
            command,
        )
