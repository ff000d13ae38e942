"""Workings, groups and limits written down and deleted.

Who changes a working, a group or what the site has binds all workings anew (`bind_workings`).
"""

from __future__ import annotations

import msgspec
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.levels import Limits
from rook_tally.core.quantities.limit_rules import LimitScope
from rook_tally.core.quantities.named_series import Group
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.workings.definitions import Working
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change
from rook_tally.store.site.limit_rules import limits_set_for, set_limits_of
from rook_tally.store.workings.binding import bind_workings, end_series
from rook_tally.store.workings.stored_workings import working_named, workings


def save_working(
    connection: Connection, working: Working, *, instead_of: str = "", may_wait: bool = False
) -> None:
    """Write a working down, in place of the one with its slug or of `instead_of`. One that
    `may_wait` is worked out once what it names is there.

    Raises
    ------
    FormulaError
        When it cannot be worked out, with the place of the mistake.
    UsageError
        When its name is taken or stands for a quantity.
    """
    write_working(connection, working, instead_of=instead_of)
    troubles = bind_workings(connection)
    if working.slug in troubles and not may_wait:
        raise troubles[working.slug]


def write_working(connection: Connection, working: Working, *, instead_of: str = "") -> None:
    """Write a working down as `save_working` does, to be bound by the caller when all are written.

    Raises
    ------
    FormulaError
        When its formula cannot be read, or workings would rest on each other in a circle.
    UsageError
        When its name is taken or stands for a quantity.
    """
    from rook_tally.core.workings.dependencies import checked_order

    table = schema.working
    known = workings(connection)
    slugs = {one.slug for one in known}
    replaced = instead_of or working.slug
    if working.slug in QUANTITIES or not working.slug.isidentifier():
        raise UsageError(
            f"{working.slug!r} cannot be a working's name in formulas",
            remedy="choose one of letters, digits and _ that no quantity has",
        )
    if working.slug != replaced and working.slug in slugs:
        raise UsageError(f"there is a working {working.slug} already", remedy="choose another name")
    others = [one for one in known if one.slug != replaced]
    checked_order([*others, working])
    document = msgspec.json.encode(working).decode()
    found = connection.execute(
        sa.update(table)
        .where(table.c.slug == replaced)
        .values(slug=working.slug, document=document)
    ).rowcount
    if not found:
        position = max([0, *connection.execute(sa.select(table.c.position)).scalars()]) + 1
        connection.execute(
            sa.insert(table).values(slug=working.slug, document=document, position=position)
        )
    note_change(connection, Subject.WORKINGS)


def limits_set(connection: Connection, scope: LimitScope) -> Limits | None:
    """What is set for just this, measured or worked out; None when nothing is."""
    if scope.working:
        return working_named(connection, scope.working).limits
    return limits_set_for(connection, scope)


def set_limits(connection: Connection, scope: LimitScope, limits: Limits | None) -> Limits | None:
    """Set limits of what is measured or worked out, or with None take back what was set; returns
    what was set before.

    Raises
    ------
    UsageError
        When there is nothing such.
    """
    if not scope.working:
        return set_limits_of(connection, scope, limits)
    working = working_named(connection, scope.working)
    limits = None if limits is None else limits.in_zone("")
    save_working(connection, msgspec.structs.replace(working, limits=limits), may_wait=True)
    return working.limits


def remove_working(connection: Connection, slug: str) -> Working:
    """Take a working away with what it gave; returns it, so that it can come back.

    Raises
    ------
    UsageError
        When there is none such.
    """
    found = working_named(connection, slug)
    table = schema.working
    number = connection.execute(sa.select(table.c.id).where(table.c.slug == slug)).scalar_one()
    worked = schema.worked.c
    for series_id in (
        connection.execute(sa.select(worked.series_id).where(worked.working_id == number))
        .scalars()
        .all()
    ):
        end_series(connection, series_id)
    connection.execute(sa.delete(table).where(table.c.id == number))
    note_change(connection, Subject.SITE)
    note_change(connection, Subject.WORKINGS)
    bind_workings(connection)
    return found


def save_group(connection: Connection, group: Group, *, instead_of: str = "") -> None:
    """Write a group down, in place of the one of its name or of `instead_of`.

    Raises
    ------
    UsageError
        When it cannot be called so, or would take the name of another group.
    """
    from rook_tally.core.quantities.named_series import BUILT_IN_GROUPS, slug_of

    if not slug_of(group.name) or slug_of(group.name) in BUILT_IN_GROUPS:
        raise UsageError(f"{group.name!r} cannot be a group's name", remedy="choose another")
    table = schema.place_group
    if instead_of not in ("", group.name):
        taken = sa.select(table.c.name).where(table.c.name == group.name)
        if connection.execute(taken).first() is not None:
            raise UsageError(
                f"there is a group {group.name} already",
                kept=f"{instead_of} was left as it is",
                remedy="choose another name",
            )
    connection.execute(sa.delete(table).where(table.c.name.in_([group.name, instead_of])))
    document = msgspec.json.encode((group.places, group.series)).decode()
    connection.execute(sa.insert(table).values(name=group.name, document=document))
    note_change(connection, Subject.SITE)
    bind_workings(connection)


def remove_group(connection: Connection, name: str) -> None:
    """Take a group away; what refers to it is a gap from then on."""
    table = schema.place_group
    if not connection.execute(sa.delete(table).where(table.c.name == name)).rowcount:
        raise UsageError(f"there is no group {name}", remedy="see the list again")
    note_change(connection, Subject.SITE)
    bind_workings(connection)
