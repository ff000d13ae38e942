"""Guidelines: those that come with the program, and own ones."""

from __future__ import annotations

import msgspec
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.guidelines import GUIDELINES, Guideline, checked_guideline
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change

# Made once: msgspec falls over when two threads are the first to decode a type.
_DECODER = msgspec.json.Decoder(Guideline)


def own_guidelines(connection: Connection) -> list[Guideline]:
    """Those that people wrote, in their order. One of a newer program is passed over."""
    table = schema.guideline
    found = []
    for document in connection.execute(sa.select(table.c.document).order_by(table.c.id)).scalars():
        try:
            found.append(_DECODER.decode(document))
        except msgspec.ValidationError:
            continue
    return found


def guidelines(connection: Connection) -> list[Guideline]:
    """All of them; an own one of the same slug stands in place of ours."""
    own = own_guidelines(connection)
    taken = {one.slug for one in own}
    return [*(one for one in GUIDELINES if one.slug not in taken), *own]


def save_guideline(connection: Connection, told: Guideline) -> Guideline | None:
    """Keep a guideline; returns the own one it replaces.

    Raises
    ------
    UsageError
        When it cannot be.
    """
    checked_guideline(told)
    table = schema.guideline
    before = next((one for one in own_guidelines(connection) if one.slug == told.slug), None)
    connection.execute(sa.delete(table).where(table.c.slug == told.slug))
    document = msgspec.json.encode(told).decode()
    connection.execute(sa.insert(table).values(slug=told.slug, document=document))
    note_change(connection, Subject.REPORTS)
    return before


def remove_guideline(connection: Connection, slug: str) -> Guideline:
    """Delete an own guideline; returns it.

    Raises
    ------
    UsageError
        When there is none such, or it comes with the program.
    """
    found = next((one for one in own_guidelines(connection) if one.slug == slug), None)
    if found is None:
        is_ours = any(one.slug == slug for one in GUIDELINES)
        raise UsageError(
            f"{slug} comes with the program" if is_ours else f"there is no own guideline {slug}",
            kept="nothing was deleted",
        )
    connection.execute(sa.delete(schema.guideline).where(schema.guideline.c.slug == slug))
    note_change(connection, Subject.REPORTS)
    return found
