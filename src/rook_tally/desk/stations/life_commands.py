"""Commands about what becomes of a station: another key or box, elsewhere, out of use, removed."""

from __future__ import annotations

import enum
from dataclasses import dataclass

from sqlalchemy.engine import Connection

from rook_tally.core.moment_words import day_words
from rook_tally.core.timestamps import datetime_from_time_us
from rook_tally.desk.data.site_commands import recorded
from rook_tally.desk.data.undo import SavedResult, UndoableResult
from rook_tally.desk.stations.texts import tr
from rook_tally.login import login_name
from rook_tally.store.exchange.station_moves import move_from, rejoin, replace_station
from rook_tally.store.site import load_site
from rook_tally.store.site.configuration import zone_named
from rook_tally.store.site.station_lives import (
    KEPT_REMOVED,
    any_station,
    end_maintenance,
    maintain_station,
    put_into_use,
    remove_station,
    removed_stations,
    rename_station,
    restore_station,
    retire_station,
)


class LifeStep(enum.Enum):
    """A step that needs no more to be said than the station."""

    RETIRE = "retire"
    USE = "use"
    REMOVE = "remove"
    RESTORE = "restore"


@dataclass(frozen=True, slots=True)
class ChangeLife:
    """A step shall be done with a station."""

    step: LifeStep
    key: str
    now_us: int

    def apply(self, connection: Connection) -> UndoableResult:
        """Do it."""
        key, now_us = self.key, self.now_us
        if self.step is LifeStep.RESTORE:
            words = tr("{0} restored", key)
            return recorded(connection, words, lambda one: restore_station(one, key))
        station = any_station(load_site(connection), key)
        if self.step is LifeStep.RETIRE:
            words = tr("{0} taken out of use", key)
            return recorded(
                connection, words, lambda one: retire_station(one, station, now_us=now_us)
            )
        if self.step is LifeStep.USE:
            words = tr("{0} put into use", key)
            return recorded(connection, words, lambda one: put_into_use(one, station))
        return recorded(
            connection,
            tr("{0} removed", key),
            lambda one: remove_station(one, station, now_us=now_us),
        )


@dataclass(frozen=True, slots=True)
class MaintainStation:
    """A station shall be under maintenance until a moment; with None it is done."""

    key: str
    to_us: int | None
    now_us: int

    def apply(self, connection: Connection) -> UndoableResult:
        """Do it."""
        station = any_station(load_site(connection), self.key)
        to_us, now_us = self.to_us, self.now_us
        if to_us is None:
            words = tr("{0} is expected to report again", self.key)
            return recorded(
                connection, words, lambda one: end_maintenance(one, station, now_us=now_us)
            )
        return recorded(
            connection,
            tr("{0} under maintenance", self.key),
            lambda one: maintain_station(one, station, from_us=now_us, to_us=to_us),
        )


@dataclass(frozen=True, slots=True)
class RenameStation:
    """A station shall go by another key."""

    key: str
    new: str

    def apply(self, connection: Connection) -> UndoableResult:
        """Rename it."""
        station = any_station(load_site(connection), self.key)
        return recorded(
            connection,
            tr("{0} renamed to {1}", self.key, self.new),
            lambda one: rename_station(one, station, self.new),
        )


@dataclass(frozen=True, slots=True)
class MoveStation:
    """A station shall stand at another place from a moment on."""

    key: str
    place: str
    from_us: int
    now_us: int

    def apply(self, connection: Connection) -> UndoableResult:
        """Move it."""
        station = any_station(load_site(connection), self.key)
        past = move_from(connection, station, self.place, self.from_us, now_us=self.now_us)
        return UndoableResult(
            tr(
                "{0} stands at {1}; its readings until then stay with {2}",
                self.key,
                self.place,
                past,
            ),
            RejoinStation(past, self),
        )


@dataclass(frozen=True, slots=True)
class RejoinStation:
    """A station that was moved from a moment on shall be where it was, with all its readings."""

    past: str
    moved: MoveStation

    def apply(self, connection: Connection) -> UndoableResult:
        """Put it back."""
        site = load_site(connection)
        station, past = any_station(site, self.moved.key), any_station(site, self.past)
        rejoin(connection, station, past)
        words = tr("{0} is where it was", self.moved.key)
        return UndoableResult(words, self.moved)


@dataclass(frozen=True, slots=True)
class ReplaceStation:
    """Another box shall take the place of a station; answers with its key and access key, if it has
    none yet."""

    key: str
    new: str
    now_us: int

    def apply(self, connection: Connection) -> SavedResult[tuple[str, str] | None]:
        """Replace it; where the new box has told something already, nothing takes that back."""
        site = load_site(connection)
        station, is_known = any_station(site, self.key), site.station(self.new) is not None
        access_key = ""

        def replace(one: Connection) -> None:
            nonlocal access_key
            access_key = replace_station(
                one, station, self.new, who=login_name(), now_us=self.now_us
            )

        done = recorded(connection, tr("{0} replaced by {1}", self.key, self.new), replace)
        told = (self.new, access_key) if access_key else None
        return SavedResult(done.words, None if is_known else done.inverse, told)


@dataclass(frozen=True, slots=True)
class PutAway:
    """A station that is out of use, or was removed and can be had back; `words` say since when."""

    key: str
    is_removed: bool
    words: str


@dataclass(frozen=True, slots=True)
class PutAwayQuery:
    """The stations that are out of use or were removed."""

    def run(self, connection: Connection) -> tuple[PutAway, ...]:
        """Look them up."""
        site = load_site(connection)
        zone = zone_named(site.zone)

        def day(time_us: int) -> str:
            return day_words(datetime_from_time_us(time_us).astimezone(zone), year=True)

        retired = [
            PutAway(
                one.key,
                is_removed=False,
                words=tr("{0}, out of use since {1}", one.place.name, day(one.retired_us or 0)),
            )
            for one in site.retired
        ]
        kept_us = round(KEPT_REMOVED.total_seconds() * 1e6)
        removed = [
            PutAway(
                key,
                is_removed=True,
                words=tr("removed; deleted for good on {0}", day(at_us + kept_us)),
            )
            for key, at_us in removed_stations(connection).items()
        ]
        return (*retired, *removed)
