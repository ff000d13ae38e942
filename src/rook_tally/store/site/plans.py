"""Plans in the store: their pictures, where stations hang, photographs of that."""

from __future__ import annotations

import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.errors import UsageError
from rook_tally.core.plans import KeptPicture, Plan, checked_mark, checked_picture
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change

_KEPT = "nothing was changed"


def plans_of(connection: Connection) -> tuple[Plan, ...]:
    """All plans in their order, with where stations hang on each."""
    plan, mark = schema.plan, schema.plan_mark
    marks: dict[int, dict[int, tuple[float, float]]] = {}
    for row in connection.execute(sa.select(mark)):
        marks.setdefault(row.plan_id, {})[row.station_id] = (row.x, row.y)
    rows = connection.execute(sa.select(plan).order_by(plan.c.position, plan.c.id))
    return tuple(
        Plan(row.id, row.name, row.picture_id, row.width, row.height, marks.get(row.id, {}))
        for row in rows
    )


def plan_named(connection: Connection, name: str) -> Plan:
    """The plan of a name.

    Raises
    ------
    UsageError
        When there is none; it lists those there are.
    """
    several = plans_of(connection)
    found = next((one for one in several if one.name == name), None)
    if found is None:
        known = ", ".join(one.name for one in several) or "none yet"
        raise UsageError(f"there is no plan {name!r}", kept=_KEPT, remedy=f"known: {known}")
    return found


def picture_numbered(connection: Connection, number: int) -> bytes | None:
    """A picture that is kept; None when it is not there any more."""
    table = schema.picture
    found = connection.execute(sa.select(table.c.body).where(table.c.id == number)).scalar()
    return None if found is None else bytes(found)


def keep_picture(connection: Connection, picture: KeptPicture, *, now_us: int) -> int:
    """Keep a picture; its id. The same one again is kept once."""
    table = schema.picture
    same = sa.select(table.c.id).where(table.c.body == picture.body)
    known = connection.execute(same).scalar()
    if known is not None:
        return int(known)
    inserted = connection.execute(sa.insert(table).values(body=picture.body, kept_us=now_us))
    key = inserted.inserted_primary_key
    assert key is not None
    return int(key[0])


def put_plan(connection: Connection, name: str, body: bytes, *, now_us: int) -> None:
    """Make a plan of a picture, or give the one of that name another; what hangs on it stays.

    Raises
    ------
    UsageError
        When the name is empty, or the picture cannot be kept.
    """
    name = name.strip()
    if not name:
        raise UsageError("a plan needs a name", kept=_KEPT, remedy="such as Ground floor")
    picture, table = checked_picture(body), schema.plan
    values = {
        "picture_id": keep_picture(connection, picture, now_us=now_us),
        "width": picture.width,
        "height": picture.height,
    }
    if not connection.execute(
        sa.update(table).where(table.c.name == name).values(**values)
    ).rowcount:
        count = connection.execute(sa.select(sa.func.count()).select_from(table)).scalar_one()
        connection.execute(sa.insert(table).values(name=name, position=count, **values))
    note_change(connection, Subject.SITE)


def rename_plan(connection: Connection, old: str, new: str) -> None:
    """Call a plan otherwise.

    Raises
    ------
    UsageError
        When there is none of it, or the name is taken or empty.
    """
    plan, table, name = plan_named(connection, old), schema.plan, new.strip()
    if not name or any(one.name == name and one.id != plan.id for one in plans_of(connection)):
        raise UsageError(
            f"{new!r} cannot be its name", kept=_KEPT, remedy="choose one that is free"
        )
    connection.execute(sa.update(table).where(table.c.id == plan.id).values(name=name))
    note_change(connection, Subject.SITE)


def remove_plan(connection: Connection, name: str) -> None:
    """Remove a plan; the stations on it stay.

    Raises
    ------
    UsageError
        When there is none of that name.
    """
    plan, table, mark = plan_named(connection, name), schema.plan, schema.plan_mark
    connection.execute(sa.delete(mark).where(mark.c.plan_id == plan.id))
    connection.execute(sa.delete(table).where(table.c.id == plan.id))
    note_change(connection, Subject.SITE)


def hang(connection: Connection, plan: str, station_id: int, at: tuple[float, float]) -> None:
    """Let a station hang somewhere on a plan.

    Raises
    ------
    UsageError
        When there is no such plan, or that lies beside it.
    """
    found, (x, y), mark = plan_named(connection, plan), checked_mark(*at), schema.plan_mark
    is_it = mark.c.plan_id == found.id, mark.c.station_id == station_id
    if not connection.execute(sa.update(mark).where(*is_it).values(x=x, y=y)).rowcount:
        connection.execute(
            sa.insert(mark).values(plan_id=found.id, station_id=station_id, x=x, y=y)
        )
    note_change(connection, Subject.SITE)


def unhang(connection: Connection, plan: str, station_id: int) -> None:
    """Take a station off a plan.

    Raises
    ------
    UsageError
        When it does not hang there.
    """
    found, mark = plan_named(connection, plan), schema.plan_mark
    if not connection.execute(
        sa.delete(mark).where(mark.c.plan_id == found.id, mark.c.station_id == station_id)
    ).rowcount:
        raise UsageError(f"it does not hang on {plan}", kept=_KEPT)
    note_change(connection, Subject.SITE)


def describe_where(
    connection: Connection, station_id: int, *, words: str, photograph: int | None
) -> None:
    """Say where a station hangs, with a photograph of that."""
    table = schema.station
    connection.execute(
        sa.update(table)
        .where(table.c.id == station_id)
        .values(hangs=words.strip(), photograph_id=photograph)
    )
    note_change(connection, Subject.SITE)


def forget_pictures(connection: Connection, before_us: int) -> int:
    """Delete pictures kept before a moment that nothing shows any more; how many those were."""
    table = schema.picture
    shown = sa.union(
        sa.select(schema.plan.c.picture_id),
        sa.select(schema.station.c.photograph_id).where(
            schema.station.c.photograph_id.is_not(None)
        ),
    )
    return connection.execute(
        sa.delete(table).where(table.c.kept_us < before_us, table.c.id.not_in(shown))
    ).rowcount
