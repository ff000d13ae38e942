"""Doors: what is in reach, which are set up and how they stand; set up, changed, deleted, had
back."""

from __future__ import annotations

from dataclasses import dataclass

import msgspec
from sqlalchemy.engine import Connection

from rook_tally.core.door_settings import DoorSettings, door_name, running_door
from rook_tally.core.errors import UsageError
from rook_tally.core.in_reach import Reachable
from rook_tally.desk.data.conflict import check_base
from rook_tally.desk.data.texts import tr
from rook_tally.desk.data.undo import UndoableResult
from rook_tally.leaving.first_use import first_use
from rook_tally.store.site import Door, StrayGroup, announced, collectors, stray_groups
from rook_tally.store.site.discovered_stations import Announced
from rook_tally.store.site.door_settings import (
    DoorSetting,
    add_door,
    change_door,
    door_settings,
    remove_door,
)
from rook_tally.store.site.in_reach import in_reach
from rook_tally.store.site.places import station_places


class InReach(msgspec.Struct, frozen=True):
    """What is in reach, and the doors.

    Attributes
    ----------
    doors : those set up, each with how it stands; None where no collector says
    others : doors of collectors that nobody set up here, such as HTTP
    stations : their keys, each with its place
    """

    strays: tuple[StrayGroup, ...]
    announced: tuple[Announced, ...]
    found: tuple[Reachable, ...]
    doors: tuple[tuple[DoorSetting, Door | None], ...]
    others: tuple[Door, ...]
    stations: tuple[tuple[str, str], ...] = ()


NOTHING_IN_REACH = InReach((), (), (), (), ())


@dataclass(frozen=True, slots=True)
class InReachQuery:
    """Asks for all of it."""

    now_us: int

    def run(self, connection: Connection) -> InReach:
        """Read it."""
        running = [one for each in collectors(connection, now_us=self.now_us) for one in each.doors]
        by_name = {one.name: one for one in running}
        settings = door_settings(connection)
        named = {running_door(one.settings) for one in settings}
        return InReach(
            tuple(stray_groups(connection)),
            tuple(announced(connection)),
            in_reach(connection),
            tuple((one, by_name.get(running_door(one.settings))) for one in settings),
            tuple(one for one in running if one.name not in named),
            station_places(connection),
        )


@dataclass(frozen=True, slots=True)
class FirstUseQuery:
    """Asks what leaves for whom once a door is set up; empty where nothing new does."""

    settings: DoorSettings

    def run(self, connection: Connection) -> str:
        """Say it."""
        return first_use(connection, self.settings)


@dataclass(frozen=True, slots=True)
class SaveDoor:
    """A door shall be set up so; `before` is how it is set up now, None for a new one."""

    settings: DoorSettings
    before: DoorSettings | None = None

    def apply(self, connection: Connection) -> UndoableResult:
        """Set it up.

        Raises
        ------
        ConflictError
            When the door is not as `before` any more.
        UsageError
            When a door to the same is there already.
        """
        name = door_name(self.settings)
        there = door_settings(connection)
        if self.before is not None:
            found = next((one for one in there if one.settings == self.before), None)
            now = None if found is None else found.settings
            check_base(tr("the door {0}", name), self.before, now)
            assert found is not None
            change_door(connection, found.number, self.settings)
            words = tr("door {0} saved", name)
            return UndoableResult(words, SaveDoor(self.before, self.settings))
        if any(door_name(one.settings) == name for one in there):
            raise UsageError(
                tr("the door {0} is there already", name), remedy=tr("change that one")
            )
        add_door(connection, self.settings)
        return UndoableResult(tr("door {0} set up", name), RemoveDoor(self.settings))


@dataclass(frozen=True, slots=True)
class RemoveDoor:
    """A door shall be no more."""

    settings: DoorSettings

    def apply(self, connection: Connection) -> UndoableResult:
        """Delete it."""
        name = door_name(self.settings)
        found = [one for one in door_settings(connection) if one.settings == self.settings]
        if not found:
            raise UsageError(tr("the door {0} is not there any more", name))
        remove_door(connection, found[0].number)
        return UndoableResult(tr("door {0} deleted", name), SaveDoor(self.settings))
