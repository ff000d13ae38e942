"""Requests: what a person wants done and a collector does; the answer stands in the same row."""

from __future__ import annotations

import enum
from collections.abc import Sequence
from typing import Any

import msgspec
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.timestamps import DAY_US
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change

_KEPT_US = 400 * DAY_US


class RequestKind(enum.Enum):
    """A kind of request."""

    CONTROL = "control"
    TAKE_IN = "adopt"
    PROPOSE = "propose"
    ACKNOWLEDGE = "acknowledge"
    SHELVE = "shelve"
    UNSHELVE = "unshelve"
    TRIAL = "trial"


class RequestState(enum.Enum):
    """The state of a request.

    `SENT` waits for the station's word; `UNCONFIRMED` means that none came in time, whether or not
    it was done; `OVERTAKEN` that something else was asked of the same control before.
    """

    ASKED = "asked"
    SENT = "sent"
    CONFIRMED = "confirmed"
    UNCONFIRMED = "not confirmed"
    REFUSED = "refused"
    OVERTAKEN = "overtaken"

    @property
    def is_open(self) -> bool:
        """True if anything is still to be done."""
        return self in (RequestState.ASKED, RequestState.SENT)


_OPEN = [one.value for one in RequestState if one.is_open]


class Request(msgspec.Struct, frozen=True):
    """A request: for what, by whom, and its answer.

    For a control `name` is its name and `value` what it shall be, for `for_s` if that is told: its
    station goes back by itself then. For a stray to take in `value` is the terms as JSON; a
    proposal comes as JSON in `answer`. For an alarm `station` is the watch, `name` the series'
    number (empty for all of it) and `value` an `AlarmWish` as JSON. `tries` counts how often it was
    sent, the last time at `tried_us`.
    """

    id: int
    asked_us: int
    who: str
    sort: RequestKind
    station: str
    name: str
    value: str
    state: RequestState
    tries: int
    tried_us: int | None
    answered_us: int | None
    answer: str
    for_s: float | None = None


class TakeInTerms(msgspec.Struct, frozen=True, omit_defaults=True):
    """A person's decisions about a stray sender. The key was made by the desk, which alone has it;
    here stand its hashes."""

    place: str | None = None
    kind: str | None = None
    indoors: bool = True
    cadence_s: float | None = None
    access_hash: str = ""
    broker_hash: str = ""
    fields: dict[str, tuple[str, str]] | None = None
    continues: dict[str, str] = {}


class AlarmWish(msgspec.Struct, frozen=True, omit_defaults=True):
    """The details of a request of an alarm: why, and until when it is to be shelved."""

    word: str = ""
    until_us: int | None = None


class StrayProposal(msgspec.Struct, frozen=True):
    """A proposal for a stray sender: quantity (empty when nothing is like it) and unit of each
    field beyond those of the kind; `newest` is the newest value of each field as it was sent."""

    is_station: bool
    kind: str
    cadence_s: float
    place: str
    fields: dict[str, tuple[str, str]]
    kind_fields: dict[str, tuple[str, str]]
    continues: dict[str, str]
    newest: dict[str, str] = {}


def create_request(
    connection: Connection,
    sort: RequestKind,
    station: str,
    name: str,
    value: str,
    *,
    who: str,
    now_us: int,
    for_s: float | None = None,
) -> int:
    """Ask for something; returns the request's number.

    What was asked of the same control before and is still open is overtaken by it.
    """
    table = schema.request
    connection.execute(
        sa.update(table)
        .where(
            table.c.station == station,
            table.c.name == name,
            table.c.sort == sort.value,
            table.c.state.in_(_OPEN),
        )
        .values(
            state=RequestState.OVERTAKEN.value,
            answered_us=now_us,
            answer="something else was asked since",
        )
    )
    inserted = connection.execute(
        sa.insert(table).values(
            asked_us=now_us,
            who=who,
            sort=sort.value,
            station=station,
            name=name,
            value=value,
            state=RequestState.ASKED.value,
            tries=0,
            answer="",
            for_s=for_s,
        )
    )
    note_change(connection, Subject.REQUESTS)
    assert inserted.inserted_primary_key is not None
    return int(inserted.inserted_primary_key[0])


def open_requests(connection: Connection) -> list[Request]:
    """Requests still to be carried out, oldest first."""
    table = schema.request
    return _requests(
        connection, sa.select(table).where(table.c.state.in_(_OPEN)).order_by(table.c.id)
    )


def request_numbered(connection: Connection, number: int) -> Request | None:
    """One request; None when it is not, or no longer, kept."""
    table = schema.request
    found = _requests(connection, sa.select(table).where(table.c.id == number))
    return found[0] if found else None


def newest_requests(
    connection: Connection, station: str | None = None, most: int = 50
) -> list[Request]:
    """The last requests, of one station or of all, newest first."""
    table = schema.request
    wanted = sa.select(table).order_by(table.c.id.desc()).limit(most)
    if station is not None:
        wanted = wanted.where(table.c.station == station)
    return _requests(connection, wanted)


def _requests(connection: Connection, wanted: sa.Select[Any]) -> list[Request]:
    return [
        Request(
            row.id,
            row.asked_us,
            row.who,
            RequestKind(row.sort),
            row.station,
            row.name,
            row.value,
            RequestState(row.state),
            row.tries,
            row.tried_us,
            row.answered_us,
            row.answer,
            row.for_s,
        )
        for row in connection.execute(wanted)
    ]


def note_sent(connection: Connection, request: Request, *, now_us: int) -> bool:
    """Note that a request goes out now. False when it was done with meanwhile, or another collector
    was faster."""
    table = schema.request
    done = connection.execute(
        sa.update(table)
        .where(table.c.id == request.id, table.c.state.in_(_OPEN), table.c.tries == request.tries)
        .values(state=RequestState.SENT.value, tries=table.c.tries + 1, tried_us=now_us)
    )
    note_change(connection, Subject.REQUESTS)
    return bool(done.rowcount)


def answer_requests(
    connection: Connection, numbers: Sequence[int], state: RequestState, answer: str, *, now_us: int
) -> None:
    """Write down what came of requests."""
    if not numbers:
        return
    table = schema.request
    connection.execute(
        sa.update(table)
        .where(table.c.id.in_(numbers))
        .values(state=state.value, answer=answer, answered_us=now_us)
    )
    note_change(connection, Subject.REQUESTS)


def withdraw_request(connection: Connection, number: int, *, now_us: int) -> None:
    """Take a request back that nobody has taken up yet."""
    table = schema.request
    connection.execute(
        sa.update(table)
        .where(table.c.id == number, table.c.state == RequestState.ASKED.value)
        .values(
            state=RequestState.REFUSED.value,
            answer="it was taken back before anybody took it up",
            answered_us=now_us,
        )
    )
    note_change(connection, Subject.REQUESTS)


def prune_requests(connection: Connection, *, now_us: int) -> None:
    """Drop what was answered more than a year ago."""
    table = schema.request
    connection.execute(
        sa.delete(table).where(table.c.asked_us < now_us - _KEPT_US, table.c.state.not_in(_OPEN))
    )
