"""`rook-tally place …`."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import typer

from rook_tally.cli.changing import changing
from rook_tally.store.maintenance import existing_store
from rook_tally.store.site import Place, Site, load_site
from rook_tally.store.site.places import (
    as_tree,
    delete_place,
    make_place,
    merge_places,
    nest_place,
    order_places,
    rename_place,
    set_indoors,
)


def list_places(where: str, *, as_json: bool) -> None:
    """Print all places, each within the one it is in."""
    with existing_store(where) as store, store.read() as connection:
        site = load_site(connection)
    names = {one.id: one.name for one in site.places}
    if as_json:
        told = [
            {
                "place": one.name,
                "under": None if one.parent_id is None else names[one.parent_id],
                "indoors": one.indoors,
                "stations": _stations_at(site, one),
            }
            for one in site.places
        ]
        typer.echo(msgspec.json.encode(told).decode())
        return
    for one, depth in as_tree(site.places):
        where_it_is = "" if one.indoors else "outdoors  "
        typer.echo(
            f"{'  ' * depth + one.name:<32} {where_it_is}{', '.join(_stations_at(site, one))}"
        )


def _stations_at(site: Site, place: Place) -> list[str]:
    return [one.key for one in site.stations if one.place.id == place.id]


def add(where: str, name: str, *, under: str, indoors: bool) -> None:
    """Make a place."""
    with changing(where, makes_store=True) as connection:
        make_place(connection, name, indoors=indoors, under=under)
    typer.echo(f"{name.strip()} is a place now")


def rename(where: str, old: str, new: str) -> None:
    """Rename a place."""
    with changing(where) as connection:
        rename_place(connection, old, new)
    typer.echo(f"{old} is called {new.strip()} now, wherever it was named")


def move(where: str, name: str, under: str) -> None:
    """Put a place into another one, or out of it."""
    with changing(where) as connection:
        nest_place(connection, name, under)
    typer.echo(f"{name} is in {under} now" if under else f"{name} is in no other place now")


def settle(where: str, name: str, *, indoors: bool) -> None:
    """Say whether a place is indoors."""
    with changing(where) as connection:
        set_indoors(connection, name, indoors=indoors)
    typer.echo(f"{name} is {'indoors' if indoors else 'outdoors'} now")


def order(where: str, names: Sequence[str]) -> None:
    """Let places stand in this order."""
    with changing(where) as connection:
        order_places(connection, names)
        told = [one.name for one in load_site(connection).places]
    typer.echo(", ".join(told))


def merge(where: str, name: str, into: str) -> None:
    """Make a place part of another."""
    with changing(where) as connection:
        merge_places(connection, name, into)
    typer.echo(f"{name} is part of {into} now")


def remove(where: str, name: str) -> None:
    """Delete an empty place."""
    with changing(where) as connection:
        delete_place(connection, name)
    typer.echo(f"{name} is deleted")
