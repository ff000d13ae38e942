"""Waits for the first message of a station whose door was just set up; without Qt."""

from __future__ import annotations

import msgspec

from rook_tally.core.door_settings import DoorSettings, ProbesSetting, door_name, running_door
from rook_tally.core.timestamps import SECOND_US
from rook_tally.desk.data.door_commands import InReach
from rook_tally.desk.data.newest_words import newest_of, newest_words
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.dialogs.texts import tr
from rook_tally.store.site import DoorState

_PATIENCE_US = 90 * SECOND_US


class AwaitedNews(msgspec.Struct, frozen=True):
    """The state of the wait in words, whether it has ended, and the sender to take in now."""

    words: str
    is_over: bool = False
    take_in: str = ""


class AwaitedStation:
    """Waits for a station, or for who is none yet, from the moment its door was saved."""

    def __init__(self, state: SiteState, settings: DoorSettings, station: str) -> None:
        self._state, self._settings, self.station = state, settings, station
        self._begun_us = state.clock()
        self._before = newest_of(state, station)

    def news(self, told: InReach) -> AwaitedNews:
        """Return the first reading, the sender that can be taken in, or the step that fails."""
        station = self.station
        if any(key == station for key, _ in told.stations):
            now = newest_of(self._state, station)
            if now and now != self._before:
                words = newest_words(self._state, station)
                return AwaitedNews(tr("First reading of {0}: {1}.", station, words), is_over=True)
        elif any(one.station == station for one in told.strays):
            return AwaitedNews(tr("{0} is heard.", station), is_over=True, take_in=station)
        return AwaitedNews(self._waiting(told))

    def _waiting(self, told: InReach) -> str:
        door = next((door for one, door in told.doors if one.settings == self._settings), None)
        if door is None:
            return tr(
                "{0} is saved, and no collector has opened it yet.", door_name(self._settings)
            )
        if door.state is not DoorState.OPEN:
            why = door.detail or door.state.value
            return tr("The door {0} is not open: {1}.", running_door(self._settings), why)
        if door.detail:
            return tr("The door {0} is open: {1}.", running_door(self._settings), door.detail)
        if self._state.clock() - self._begun_us > _PATIENCE_US:
            return tr(
                "The door is open, and {0} has said nothing. Is it switched on, and does it send "
                "there?",
                self.station,
            )
        return tr("The door is open. Waiting for the first message of {0} …", self.station)


def awaited_key(settings: DoorSettings, topic: str = "") -> str:
    """Whose message is awaited once a door is set up; empty where nobody is named. `topic` is one
    by whose example its pattern was made."""
    if isinstance(settings, ProbesSetting):
        return settings.only[0] if len(settings.only) == 1 else ""
    named = str(getattr(settings, "station", ""))
    pattern = str(getattr(settings, "pattern", ""))
    if named or not topic or "{station}" not in pattern:
        return named
    parts, levels = pattern.split("/"), topic.split("/")
    at = next((at for at, part in enumerate(parts) if part == "{station}"), None)
    return levels[at] if at is not None and at < len(levels) else ""
