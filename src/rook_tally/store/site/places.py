"""Places as people arrange them: made, renamed, nested, ordered, merged, deleted."""

from __future__ import annotations

from collections.abc import Sequence

import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.named_series import BUILT_IN_GROUPS, HERE, slug_of
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change
from rook_tally.store.site.configuration import Place, add_place, load_site
from rook_tally.store.site.place_names import rename_everywhere

_KEPT = "no place was changed"


def as_tree(places: Sequence[Place]) -> list[tuple[Place, int]]:
    """Places with how deep each is nested, those in a place behind it."""
    found: list[tuple[Place, int]] = []

    def follow(parent_id: int | None, depth: int) -> None:
        for one in places:
            if one.parent_id == parent_id:
                found.append((one, depth))
                follow(one.id, depth + 1)

    follow(None, 0)
    return found


def place_named(connection: Connection, name: str) -> Place:
    """The place of a name.

    Raises
    ------
    UsageError
        When there is none; it lists those there are.
    """
    site = load_site(connection)
    found = next((one for one in site.places if one.name == name), None)
    if found is None:
        known = ", ".join(one.name for one in site.places) or "none yet"
        raise UsageError(f"there is no place {name!r}", kept=_KEPT, remedy=f"known: {known}")
    return found


def make_place(connection: Connection, name: str, *, indoors: bool = True, under: str = "") -> None:
    """Make a place, in another one when that is named.

    Raises
    ------
    UsageError
        When the name is taken or cannot be one.
    """
    _check_name(connection, name, None)
    add_place(connection, name.strip(), indoors=indoors)
    if under:
        nest_place(connection, name.strip(), under)


def rename_place(connection: Connection, old: str, new: str) -> None:
    """Call a place otherwise, wherever it is named.

    Raises
    ------
    UsageError
        When there is none of it, or the new name is taken or cannot be one.
    """
    place = place_named(connection, old)
    _check_name(connection, new, place)
    name = new.strip()
    table = schema.place
    connection.execute(sa.update(table).where(table.c.id == place.id).values(name=name))
    rename_everywhere(connection, old, name)
    note_change(connection, Subject.SITE)


def set_indoors(connection: Connection, name: str, *, indoors: bool) -> None:
    """Say whether a place is indoors or outdoors: it decides which limits hold by themselves."""
    place = place_named(connection, name)
    table = schema.place
    connection.execute(sa.update(table).where(table.c.id == place.id).values(indoors=indoors))
    note_change(connection, Subject.SITE)


def nest_place(connection: Connection, name: str, under: str) -> None:
    """Put a place into another one; with an empty name into none.

    Raises
    ------
    UsageError
        When it would be in itself.
    """
    place, table = place_named(connection, name), schema.place
    around = place_named(connection, under) if under else None
    by_id = {one.id: one for one in load_site(connection).places}
    here = around
    while here is not None:
        if here.id == place.id:
            raise UsageError(
                f"{under} is in {name}", kept=_KEPT, remedy="take it out of there first"
            )
        here = None if here.parent_id is None else by_id.get(here.parent_id)
    parent_id = None if around is None else around.id
    connection.execute(sa.update(table).where(table.c.id == place.id).values(parent_id=parent_id))
    note_change(connection, Subject.SITE)


def order_places(connection: Connection, names: Sequence[str]) -> None:
    """Let places stand in this order; those not named follow as they stood."""
    places = [place_named(connection, one) for one in names]
    others = [one for one in load_site(connection).places if one.name not in names]
    table = schema.place
    for at, place in enumerate([*places, *others]):
        connection.execute(sa.update(table).where(table.c.id == place.id).values(position=at))
    note_change(connection, Subject.SITE)


def merge_places(connection: Connection, name: str, into: str) -> None:
    """Make a place part of another: stations, history and everything that names it go over.

    Raises
    ------
    UsageError
        When they are the same, or one is not there.
    """
    place, other = place_named(connection, name), place_named(connection, into)
    if place.id == other.id:
        raise UsageError("a place is itself already", kept=_KEPT, remedy="name two places")
    table, station, rule = schema.place, schema.station, schema.limit_rule
    rename_everywhere(connection, name, into)
    connection.execute(
        sa.update(station).where(station.c.place_id == place.id).values(place_id=other.id)
    )
    # Of two limits of one quantity those of the place that stays hold.
    connection.execute(sa.delete(rule).where(rule.c.place_id == place.id))
    above = other.parent_id if other.parent_id != place.id else place.parent_id
    connection.execute(sa.update(table).where(table.c.id == other.id).values(parent_id=above))
    connection.execute(
        sa.update(table)
        .where(table.c.parent_id == place.id, table.c.id != other.id)
        .values(parent_id=other.id)
    )
    connection.execute(sa.delete(table).where(table.c.id == place.id))
    note_change(connection, Subject.SITE)


def delete_place(connection: Connection, name: str) -> None:
    """Delete a place that nothing stands at.

    Raises
    ------
    UsageError
        When stations or places are in it, or something names it.
    """
    place, site = place_named(connection, name), load_site(connection)
    stations = [one.key for one in site.stations if one.place.id == place.id]
    inside = [one.name for one in site.places if one.parent_id == place.id]
    if stations or inside:
        held = ", ".join([*stations, *inside][:5])
        raise UsageError(
            f"{name} is not empty: {held}",
            kept=_KEPT,
            remedy="move these first, or merge the place into another",
        )
    table, rule = schema.place, schema.limit_rule
    left = sa.select(schema.station.c.key).where(schema.station.c.place_id == place.id)
    worked = connection.execute(left).scalars().first()
    if worked is not None:
        raise UsageError(
            f"{worked} is worked out at {name}",
            kept=_KEPT,
            remedy="let the working stand at another place, or merge the place into another",
        )
    connection.execute(sa.delete(rule).where(rule.c.place_id == place.id))
    connection.execute(sa.delete(table).where(table.c.id == place.id))
    note_change(connection, Subject.SITE)


def _check_name(connection: Connection, name: str, place: Place | None) -> None:
    slug = slug_of(name)
    if not slug or slug in (*BUILT_IN_GROUPS, HERE):
        raise UsageError(
            f"{name!r} cannot be a place's name",
            kept=_KEPT,
            remedy="choose one with letters or digits that no group has",
        )
    others = [one for one in load_site(connection).places if place is None or one.id != place.id]
    taken = next((one.name for one in others if slug_of(one.name) == slug), None)
    groups = connection.execute(sa.select(schema.place_group.c.name)).scalars()
    taken = taken or next((one for one in groups if slug_of(one) == slug), None)
    if taken is not None:
        raise UsageError(
            f"formulas could not tell {name!r} from {taken!r}",
            kept=_KEPT,
            remedy="choose another name",
        )
