"""Places as people arrange them: made, renamed, nested, ordered, merged, deleted."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.named_series import BUILT_IN_GROUPS, HERE, slug_of
from rook_tally.core.site_file.content import PlaceEntry
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change
from rook_tally.store.site.configuration import add_place
from rook_tally.store.site.place_names import rename_everywhere
from rook_tally.store.site.site import WORKED_KIND, Place
from rook_tally.store.site.site_reading import load_site, places_of

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
    places = places_of(connection).values()
    found = next((one for one in places if one.name == name), None)
    if found is None:
        known = ", ".join(one.name for one in places) or "none yet"
        raise UsageError(f"there is no place {name!r}", kept=_KEPT, remedy=f"known: {known}")
    return found


def make_place(connection: Connection, name: str, *, indoors: bool = True, under: str = "") -> None:
    """Make a place, in another one when that is named.

    Raises
    ------
    UsageError
        When the name is taken or cannot be one.
    """
    _check_name(connection, name, _slugs_of(connection, None))
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
    _check_name(connection, new, _slugs_of(connection, place))
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
    by_id = places_of(connection)
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
    there = {one.name: one for one in places_of(connection).values()}
    for name in names:
        if name not in there:
            place_named(connection, name)  # it says which there are
    order = [*names, *(one for one in there if one not in names)]
    _update(connection, {there[one].id: {"position": at} for at, one in enumerate(order)})
    note_change(connection, Subject.SITE)


def arrange_places(connection: Connection, wanted: Sequence[PlaceEntry]) -> None:
    """Let these places be as told, and stand in this order: those that are new are made, others
    stay behind them. All are read once, since a site may have hundreds.

    Raises
    ------
    UsageError
        When a name is taken or cannot be one, or a place would be in itself.
    """
    before = {one.name: one for one in places_of(connection).values()}
    slugs = {slug_of(one): one for one in before}
    for one in wanted:
        if one.name not in before:
            _check_name(connection, one.name, slugs)
            slugs[slug_of(one.name)] = one.name
            add_place(connection, one.name, indoors=not one.outdoors)
    places = {one.name: one for one in places_of(connection).values()}
    inside = {one.name: "" for one in places.values()}
    names = {one.id: one.name for one in places.values()}
    inside |= {one.name: names.get(one.parent_id or 0, "") for one in places.values()}
    inside |= {one.name: one.inside for one in wanted}
    _check_tree(inside)
    order = [one.name for one in wanted]
    order += [one for one in places if one not in set(order)]
    is_outdoors = {one.name: one.outdoors for one in wanted}
    is_ordered = list(places) == order
    changed: dict[int, dict[str, object]] = {}
    for position, name in enumerate(order):
        place = places[name]
        parent_id = places[inside[name]].id if inside[name] else None
        indoors = not is_outdoors.get(name, not place.indoors)
        if (place.parent_id, place.indoors) != (parent_id, indoors):
            changed[place.id] = {"parent_id": parent_id, "indoors": indoors}
        if not is_ordered:
            changed.setdefault(place.id, {})["position"] = position
    if changed:
        _update(connection, changed)
        note_change(connection, Subject.SITE)


def _check_tree(inside: Mapping[str, str]) -> None:
    for name in inside:
        here, seen = name, {name}
        while inside[here]:
            here = inside[here]
            if here not in inside:
                raise UsageError(f"{name} is in {here}, which there is not", kept=_KEPT)
            if here in seen:
                raise UsageError(
                    f"{here} is in {name}", kept=_KEPT, remedy="take it out of there first"
                )
            seen.add(here)


def _update(connection: Connection, rows: Mapping[int, Mapping[str, object]]) -> None:
    table = schema.place
    for number, values in rows.items():
        connection.execute(sa.update(table).where(table.c.id == number).values(**values))


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


def _slugs_of(connection: Connection, but: Place | None) -> dict[str, str]:
    """The names that places have, by how formulas write them; without those of one place."""
    return {slug_of(one.name): one.name for one in places_of(connection).values() if one != but}


def _check_name(connection: Connection, name: str, taken_by: Mapping[str, str]) -> None:
    slug = slug_of(name)
    if not slug or slug in (*BUILT_IN_GROUPS, HERE):
        raise UsageError(
            f"{name!r} cannot be a place's name",
            kept=_KEPT,
            remedy="choose one with letters or digits that no group has",
        )
    groups = connection.execute(sa.select(schema.place_group.c.name)).scalars()
    taken = taken_by.get(slug) or next((one for one in groups if slug_of(one) == slug), None)
    if taken is not None:
        raise UsageError(
            f"formulas could not tell {name!r} from {taken!r}",
            kept=_KEPT,
            remedy="choose another name",
        )


def station_places(connection: Connection) -> tuple[tuple[str, str], ...]:
    """The keys of the stations in use, each with its place, without reading the whole site."""
    station, place = schema.station, schema.place
    rows = connection.execute(
        sa.select(station.c.key, place.c.name)
        .join(place, place.c.id == station.c.place_id)
        .where(station.c.retired_us.is_(None), station.c.kind != WORKED_KIND)
        .order_by(station.c.key)
    )
    return tuple((row.key, row.name) for row in rows)
