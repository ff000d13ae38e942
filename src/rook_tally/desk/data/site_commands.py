"""Commands that arrange the site: each records what it did, and that is taken back."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from sqlalchemy.engine import Connection

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.unit_systems import UnitSystem
from rook_tally.desk.data.conflict import ConflictError
from rook_tally.desk.data.texts import tr
from rook_tally.desk.data.undo import UndoableResult
from rook_tally.store.alarms.change_undo import take_changes_back
from rook_tally.store.site import load_site, show_in_system
from rook_tally.store.site.places import (
    delete_place,
    make_place,
    merge_places,
    nest_place,
    order_places,
    rename_place,
    set_indoors,
)
from rook_tally.store.site.row_changes import RowChange, recording
from rook_tally.store.site.station_settings import settle_station


@dataclass(frozen=True, slots=True)
class PutBack:
    """Recorded changes shall be taken back; refused when somebody has changed them since."""

    words: str
    changes: tuple[RowChange, ...]

    def apply(self, connection: Connection) -> UndoableResult:
        """Take them back.

        Raises
        ------
        ConflictError
            When somebody has built upon them; nothing was changed then.
        """
        with recording(connection) as made:
            try:
                take_changes_back(connection, self.changes)
            except UsageError as error:
                raise ConflictError(str(error)) from error
        return UndoableResult(self.words, PutBack(self.words, made.changes))


def recorded(
    connection: Connection, words: str, change: Callable[[Connection], object]
) -> UndoableResult:
    """Change the site; what that did to the configuration is what undoing takes back."""
    with recording(connection) as made:
        change(connection)
    return UndoableResult(words, PutBack(words, made.changes))


@dataclass(frozen=True, slots=True)
class MakePlace:
    """A place shall be there."""

    name: str
    under: str = ""

    def apply(self, connection: Connection) -> UndoableResult:
        """Make it."""
        return recorded(
            connection,
            tr("place {0} made", self.name),
            lambda one: make_place(one, self.name, under=self.under),
        )


@dataclass(frozen=True, slots=True)
class RenamePlace:
    """A place shall be called otherwise, wherever it is named."""

    old: str
    new: str

    def apply(self, connection: Connection) -> UndoableResult:
        """Rename it."""
        return recorded(
            connection,
            tr("{0} renamed to {1}", self.old, self.new),
            lambda one: rename_place(one, self.old, self.new),
        )


@dataclass(frozen=True, slots=True)
class SetIndoors:
    """A place shall be indoors, or outdoors."""

    name: str
    indoors: bool

    def apply(self, connection: Connection) -> UndoableResult:
        """Say so."""
        words = tr("{0} is indoors") if self.indoors else tr("{0} is outdoors")
        return recorded(
            connection,
            words.format(self.name),
            lambda one: set_indoors(one, self.name, indoors=self.indoors),
        )


@dataclass(frozen=True, slots=True)
class NestPlace:
    """A place shall be in another one; in none with an empty name."""

    name: str
    under: str

    def apply(self, connection: Connection) -> UndoableResult:
        """Put it there."""
        words = (
            tr("{0} put into {1}", self.name, self.under)
            if self.under
            else tr("{0} taken out of the place it was in", self.name)
        )
        return recorded(connection, words, lambda one: nest_place(one, self.name, self.under))


@dataclass(frozen=True, slots=True)
class OrderPlaces:
    """Places shall stand in this order; `moved` says which one was moved."""

    names: tuple[str, ...]
    moved: str

    def apply(self, connection: Connection) -> UndoableResult:
        """Order them."""
        return recorded(
            connection, tr("{0} moved", self.moved), lambda one: order_places(one, self.names)
        )


@dataclass(frozen=True, slots=True)
class MergePlaces:
    """A place shall be part of another."""

    name: str
    into: str

    def apply(self, connection: Connection) -> UndoableResult:
        """Merge them."""
        return recorded(
            connection,
            tr("{0} merged into {1}", self.name, self.into),
            lambda one: merge_places(one, self.name, self.into),
        )


@dataclass(frozen=True, slots=True)
class DeletePlace:
    """A place at which nothing stands shall be deleted."""

    name: str

    def apply(self, connection: Connection) -> UndoableResult:
        """Delete it."""
        return recorded(
            connection, tr("{0} deleted", self.name), lambda one: delete_place(one, self.name)
        )


@dataclass(frozen=True, slots=True)
class SettleStation:
    """A station shall stand at a place, be of a kind and report at a cadence; None leaves each as
    it is."""

    key: str
    place: str | None = None
    kind: str | None = None
    cadence_s: float | None = None

    def apply(self, connection: Connection) -> UndoableResult:
        """Settle it.

        Raises
        ------
        UsageError
            When it is gone, or there is no such kind.
        """
        station = load_site(connection).station(self.key)
        if station is None:
            raise UsageError(
                tr("{0} was deleted meanwhile", self.key), kept=tr("nothing was changed")
            )
        return recorded(
            connection,
            tr("settings of {0} changed", self.key),
            lambda one: settle_station(
                one, station, place=self.place, kind=self.kind, cadence_s=self.cadence_s
            ),
        )


@dataclass(frozen=True, slots=True)
class ShowInSystem:
    """Every quantity shall be shown in the units of a system; `name` is what people call it."""

    system: UnitSystem
    name: str

    def apply(self, connection: Connection) -> UndoableResult:
        """Show them so."""
        return recorded(
            connection,
            tr("units set to {0}", self.name),
            lambda one: show_in_system(one, self.system),
        )
