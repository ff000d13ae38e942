"""Commands of the Stations view: requests of controls, strays to take in, keys, notes."""

from __future__ import annotations

from dataclasses import dataclass

import msgspec
from sqlalchemy.engine import Connection

from rook_tally.core.errors import UsageError
from rook_tally.desk.data.conflict import check_base
from rook_tally.desk.data.undo import UndoableResult
from rook_tally.desk.stations.texts import tr, tr_count
from rook_tally.login import login_name
from rook_tally.store.site import (
    Request,
    RequestKind,
    Station,
    TakeInTerms,
    add_station,
    create_request,
    describe_station,
    dismiss_strays,
    kinds,
    load_site,
    renew_access_key,
    request_numbered,
    restore_strays,
    withdraw_request,
)
from rook_tally.store.site.firmware import signing_key


@dataclass(frozen=True, slots=True)
class RequestControl:
    """A control shall be something; answers with the request's number."""

    station: Station
    name: str
    value: str
    now_us: int

    def apply(self, connection: Connection) -> int:
        """Ask for it."""
        control = self.station.kind.control(self.name)
        if control is None:
            raise UsageError(f"{self.station.key} has no control {self.name}")
        return create_request(
            connection,
            RequestKind.CONTROL,
            self.station.key,
            self.name,
            control.value_from(self.value),
            who=login_name(),
            now_us=self.now_us,
        )


@dataclass(frozen=True, slots=True)
class AskProposal:
    """Ask for a proposal of what a stray sender is; returns the request's number."""

    key: str
    now_us: int

    def apply(self, connection: Connection) -> int:
        """Ask for it."""
        return create_request(
            connection, RequestKind.PROPOSE, self.key, "", "", who=login_name(), now_us=self.now_us
        )


@dataclass(frozen=True, slots=True)
class RequestTakeIn:
    """A stray sender shall be a station; answers with the request's number."""

    key: str
    terms: TakeInTerms
    now_us: int

    def apply(self, connection: Connection) -> int:
        """Ask for it."""
        document = msgspec.json.encode(self.terms).decode()
        return create_request(
            connection,
            RequestKind.TAKE_IN,
            self.key,
            "",
            document,
            who=login_name(),
            now_us=self.now_us,
        )


@dataclass(frozen=True, slots=True)
class AddStation:
    """A station shall be there before it says anything; answers with its access key, this once."""

    key: str
    place: str
    kind: str
    indoors: bool

    def apply(self, connection: Connection) -> str:
        """Add it."""
        known = kinds(connection)
        return add_station(
            connection, self.key, place=self.place, kind=known[self.kind], indoors=self.indoors
        )


@dataclass(frozen=True, slots=True)
class RenewKey:
    """A station shall have another access key; answers with it, this once."""

    station: Station

    def apply(self, connection: Connection) -> str:
        """Make it."""
        return renew_access_key(connection, self.station)


@dataclass(frozen=True, slots=True)
class StationNotes:
    """Notes on a station, and its position in degrees."""

    notes: str
    latitude: float | None
    longitude: float | None


def notes_of(station: Station) -> StationNotes:
    """Return the notes and the position of a station."""
    return StationNotes(station.notes, station.latitude, station.longitude)


@dataclass(frozen=True, slots=True)
class StationNotesQuery:
    """Asks what is said of a station now; None when it is there no more."""

    station: Station

    def run(self, connection: Connection) -> StationNotes | None:
        """Look it up."""
        found = (one for one in load_site(connection).stations if one.id == self.station.id)
        return next((notes_of(one) for one in found), None)


@dataclass(frozen=True, slots=True)
class Describe:
    """Save what is said of a station; refused when it is not as it was (`base`) any more."""

    station: Station
    told: StationNotes
    base: StationNotes

    def apply(self, connection: Connection) -> UndoableResult:
        """Write it down."""
        words = tr("notes on {0}", self.station.key)
        check_base(words, self.base, StationNotesQuery(self.station).run(connection))
        told = self.told
        describe_station(
            connection,
            self.station,
            notes=told.notes,
            latitude=told.latitude,
            longitude=told.longitude,
        )
        return UndoableResult(words, Describe(self.station, self.base, told))


@dataclass(frozen=True, slots=True)
class DismissStrays:
    """Nobody wants what a sender has sent astray."""

    station: str | None

    def apply(self, connection: Connection) -> UndoableResult:
        """Take its messages out; undone they are back."""
        rows = dismiss_strays(connection, self.station)
        who = self.station or tr("unnamed senders")
        return UndoableResult(
            tr_count(len(rows), "a message of {1} dismissed", "{0} messages of {1} dismissed", who),
            RestoreStrays(self.station, tuple(rows)),
        )


@dataclass(frozen=True, slots=True)
class RestoreStrays:
    """Messages that were dismissed shall be back."""

    station: str | None
    rows: tuple[dict[str, object], ...]

    def apply(self, connection: Connection) -> UndoableResult:
        """Write them."""
        restore_strays(connection, self.rows)
        who = self.station or tr("unnamed senders")
        return UndoableResult(
            tr_count(
                len(self.rows), "a message of {1} is back", "{0} messages of {1} are back", who
            ),
            DismissStrays(self.station),
        )


@dataclass(frozen=True, slots=True)
class WithdrawRequest:
    """A request shall not be carried out any more."""

    number: int
    now_us: int

    def apply(self, connection: Connection) -> None:
        """Take it back, unless somebody has taken it up."""
        withdraw_request(connection, self.number, now_us=self.now_us)


@dataclass(frozen=True, slots=True)
class RequestQuery:
    """The state of a request."""

    number: int

    def run(self, connection: Connection) -> Request | None:
        """The request as it stands."""
        return request_numbered(connection, self.number)


@dataclass(frozen=True, slots=True)
class Choices:
    """The choices for a new station: kinds by slug, places."""

    kinds: dict[str, str]
    places: list[str]


@dataclass(frozen=True, slots=True)
class ChoicesQuery:
    """The choices when a sender is taken in."""

    def run(self, connection: Connection) -> Choices:
        """The choices."""
        return Choices(
            {slug: one.name for slug, one in kinds(connection).items()},
            [one.name for one in load_site(connection).places],
        )


@dataclass(frozen=True, slots=True)
class FirmwareKeyQuery:
    """Asks for the public half of the site's key; empty before it has one."""

    def run(self, connection: Connection) -> str:
        """Read it."""
        key = signing_key(connection)
        return "" if key is None else key.public
