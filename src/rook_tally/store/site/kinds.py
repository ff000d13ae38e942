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
    own = {
        row.slug: kind_from_toml(row.document)
        for row in connection.execute(sa.select(schema.kind).order_by(schema.kind.c.slug))
    }
    return KINDS | own


def keep_kind(connection: Connection, kind: Kind) -> None:
    """Keep a kind of one's own, in place of one of the same slug."""
    if kind.slug == "plain":
        raise UsageError("plain is any station and stays so", remedy="choose another slug")
    connection.execute(sa.delete(schema.kind).where(schema.kind.c.slug == kind.slug))
    connection.execute(sa.insert(schema.kind).values(slug=kind.slug, document=kind_to_toml(kind)))
    note_change(connection, Subject.SITE)


def kind_of_site(connection: Connection, slug: str) -> Kind:
    """The kind with this slug; UsageError listing the known ones when there is none."""
    known = kinds(connection)
    if slug not in known:
        raise UsageError(f"there is no kind {slug!r}", remedy="known kinds: " + ", ".join(known))
    return known[slug]
