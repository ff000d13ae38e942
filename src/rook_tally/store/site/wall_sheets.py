"""Sheets of the Wall as they are kept."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.named_series import slug_of
from rook_tally.core.wall.definitions import WallSheet
from rook_tally.core.wall.tiling import trouble_of
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change

# Made once: msgspec falls over when two threads are the first to decode a type.
_WALL_SHEET_DECODER = msgspec.json.Decoder(WallSheet)


def sheets(connection: Connection) -> list[WallSheet]:
    """All sheets in their order. One of a newer program is passed over; it stays as it is."""
    table = schema.sheet
    found = []
    for row in connection.execute(sa.select(table.c.document).order_by(table.c.position)):
        try:
            found.append(_WALL_SHEET_DECODER.decode(row.document))
        except msgspec.ValidationError:
            continue
    return found


def save_sheet(
    connection: Connection, sheet: WallSheet, *, instead_of: str = ""
) -> WallSheet | None:
    """Write a sheet down, in place of the one with its slug or of `instead_of`; returns that one.

    Raises
    ------
    UsageError
        When its panes are no tiling, or its name is taken or empty.
    """
    if not sheet.slug or sheet.slug != slug_of(sheet.slug) or not sheet.name.strip():
        raise UsageError(
            f"{sheet.slug or sheet.name!r} cannot be a sheet's name",
            kept="no sheet was changed",
            remedy="use letters or digits; the slug in lower case, with hyphens",
        )
    trouble = trouble_of(sheet.areas)
    if trouble:
        raise UsageError(f"{sheet.name}: {trouble}", kept="no sheet was changed")
    table = schema.sheet
    known = {one.slug: one for one in sheets(connection)}
    replaced = instead_of or sheet.slug
    if sheet.slug != replaced and sheet.slug in known:
        raise UsageError(f"there is a sheet {sheet.slug} already", remedy="choose another name")
    before = known.get(replaced)
    values = {"slug": sheet.slug, "document": msgspec.json.encode(sheet).decode()}
    if before is None:
        last = connection.execute(sa.select(sa.func.max(table.c.position))).scalar()
        # A document of a newer program holds the name too, though we cannot read it.
        connection.execute(sa.delete(table).where(table.c.slug == sheet.slug))
        connection.execute(sa.insert(table).values(position=(last or 0) + 1, **values))
    else:
        connection.execute(sa.update(table).where(table.c.slug == replaced).values(**values))
    note_change(connection, Subject.SHEETS)
    return before


def remove_sheet(connection: Connection, slug: str) -> WallSheet:
    """Take a sheet away; returns it, so that it can come back.

    Raises
    ------
    UsageError
        When there is none such.
    """
    found = sheet_called(connection, slug)
    connection.execute(sa.delete(schema.sheet).where(schema.sheet.c.slug == found.slug))
    note_change(connection, Subject.SHEETS)
    return found


def sheet_called(connection: Connection, name: str) -> WallSheet:
    """The sheet of a name or slug; UsageError listing the known ones when there is none."""
    known = sheets(connection)
    wanted = slug_of(name)
    for one in known:
        if wanted in (one.slug, slug_of(one.name)):
            return one
    told = ", ".join(one.slug for one in known) or "none yet"
    raise UsageError(f"there is no sheet {name}", remedy=f"sheets: {told}")


def order_sheets(connection: Connection, slugs: Sequence[str]) -> None:
    """Put the sheets into this order; those not named stay behind them."""
    table = schema.sheet
    rest = [one.slug for one in sheets(connection) if one.slug not in slugs]
    for position, slug in enumerate([*slugs, *rest], start=1):
        connection.execute(sa.update(table).where(table.c.slug == slug).values(position=position))
    note_change(connection, Subject.SHEETS)
