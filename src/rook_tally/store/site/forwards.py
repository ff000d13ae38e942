"""Forwards as they are kept, and how far each has come."""

from __future__ import annotations

import msgspec
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.errors import UsageError
from rook_tally.core.forwards.definitions import Forward, checked_forward
from rook_tally.core.quantities.named_series import slug_of
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change

# Made once: msgspec falls over when two threads are the first to decode a type.
_DECODER = msgspec.json.Decoder(Forward)


class ForwardState(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """How far a forward has come, and who allowed it when.

    Everything before `at_us` has been sent, while it catches up; then (None) every notice up to
    `seq`. `trouble` says why the target does not take it, since when. One that was brought back
    after it was deleted knows nothing of that and begins anew. `steps`: of means, by series the
    end of the last step that was sent.
    """

    allowed_by: str = ""
    allowed_us: int = 0
    at_us: int | None = None
    seq: int = 0
    newest_us: int = 0
    steps: dict[int, int] = {}
    readings: int = 0
    sent_bytes: int = 0
    last_us: int = 0
    trouble: str = ""
    trouble_us: int = 0


_STATE = msgspec.json.Decoder(ForwardState)


def forwards(connection: Connection) -> list[tuple[Forward, ForwardState]]:
    """All forwards with how far they are. One of a newer program is passed over."""
    found = []
    for row in connection.execute(sa.select(schema.forward).order_by(schema.forward.c.id)):
        try:
            found.append((_DECODER.decode(row.document), _STATE.decode(row.state)))
        except msgspec.ValidationError:
            continue
    return found


def forward_called(connection: Connection, name: str) -> tuple[Forward, ForwardState]:
    """The forward of a name; UsageError listing the known ones when there is none."""
    known = forwards(connection)
    for one in known:
        if one[0].slug == slug_of(name):
            return one
    told = ", ".join(one.slug for one, _ in known) or "none yet"
    raise UsageError(f"there is no forward {name}", remedy=f"forwards: {told}")


def save_forward(
    connection: Connection, told: Forward, *, who: str, now_us: int, from_us: int | None = None
) -> bool:
    """Keep a forward; True if it replaces one. It sends what comes from now on, or all since
    `from_us`.

    Raises
    ------
    UsageError
        When it cannot be.
    """
    checked_forward(told)
    table = schema.forward
    before = {one.slug: state for one, state in forwards(connection)}.get(told.slug)
    begin_us = now_us if from_us is None else from_us
    state = ForwardState(allowed_by=who, allowed_us=now_us, at_us=begin_us)
    if before is not None and from_us is None:
        state = msgspec.structs.replace(before, trouble="", trouble_us=0)
    columns = {
        "document": msgspec.json.encode(told).decode(),
        "state": msgspec.json.encode(state).decode(),
    }
    if before is None:
        connection.execute(sa.insert(table).values(slug=told.slug, **columns))
    else:
        connection.execute(sa.update(table).where(table.c.slug == told.slug).values(**columns))
    note_change(connection, Subject.PAGE)
    return before is not None


def remove_forward(connection: Connection, name: str) -> Forward:
    """Delete a forward."""
    found, _ = forward_called(connection, name)
    connection.execute(sa.delete(schema.forward).where(schema.forward.c.slug == found.slug))
    note_change(connection, Subject.PAGE)
    return found


def without_secret(told: Forward) -> Forward:
    """A forward as others may read it."""
    return msgspec.structs.replace(told, secret="")


def with_secret_of(told: Forward, before: Forward | None) -> Forward:
    """A forward as a file tells it, with the secret of the one that is there where the file has
    none."""
    if before is None or told.secret:
        return told
    return msgspec.structs.replace(told, secret=before.secret)


def keep_state(connection: Connection, slug: str, state: ForwardState) -> None:
    """Write down how far a forward has come."""
    connection.execute(
        sa.update(schema.forward)
        .where(schema.forward.c.slug == slug)
        .values(state=msgspec.json.encode(state).decode())
    )
