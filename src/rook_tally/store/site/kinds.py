"""The kinds a site knows: those that come with the program, and its own."""

from __future__ import annotations

import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.kind_files import kind_from_toml, kind_to_toml
from rook_tally.core.quantities.kinds import KINDS, Kind
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change


def kinds(connection: Connection) -> dict[str, Kind]:
    """All kinds by slug; the site's own win over ours of the same slug."""
    return KINDS | own_kinds(connection)


def own_kinds(connection: Connection) -> dict[str, Kind]:
    """The site's own kinds by slug."""
    return {
        row.slug: kind_from_toml(row.document)
        for row in connection.execute(sa.select(schema.kind).order_by(schema.kind.c.slug))
    }


def delete_kind(connection: Connection, slug: str) -> None:
    """Delete a kind of one's own; stations of it go on with the fields they have."""
    connection.execute(sa.delete(schema.kind).where(schema.kind.c.slug == slug))
    note_change(connection, Subject.SITE)


def keep_kind(connection: Connection, kind: Kind) -> None:
    """Keep a kind of one's own, in place of one of the same slug.

    Raises
    ------
    UsageError
        When it is the plain one, or a formula of its layout cannot be meant.
    """
    if kind.slug == "plain":
        raise UsageError("plain is any station and stays so", remedy="choose another slug")
    if kind.layout is not None:
        # Loaded late: a window reads kinds at its start, and keeps none.
        from rook_tally.core.workings.message_formulas import formulas_of

        formulas_of(kind.layout)
    connection.execute(sa.delete(schema.kind).where(schema.kind.c.slug == kind.slug))
    connection.execute(sa.insert(schema.kind).values(slug=kind.slug, document=kind_to_toml(kind)))
    note_change(connection, Subject.SITE)


def kind_of_site(connection: Connection, slug: str) -> Kind:
    """The kind with this slug; UsageError listing the known ones when there is none."""
    known = kinds(connection)
    if slug not in known:
        raise UsageError(f"there is no kind {slug!r}", remedy="known kinds: " + ", ".join(known))
    return known[slug]
