"""`rook-tally group …`."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import typer

from rook_tally.cli.changing import changing
from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.named_series import Group
from rook_tally.store.maintenance import existing_store
from rook_tally.store.site import load_site
from rook_tally.store.workings import groups, remove_group, save_group


def list_groups(where: str, *, as_json: bool) -> None:
    """Print every group."""
    with existing_store(where) as store, store.read() as connection:
        found, site = groups(connection), load_site(connection)
    names = {one.id: f"{one.station.key} {one.field}" for one in site.series}
    if as_json:
        told = [
            {
                "name": one.name,
                "places": one.places,
                "series": [names[number] for number in one.series if number in names],
            }
            for one in found
        ]
        typer.echo(msgspec.json.encode(told).decode())
        return
    for one in found:
        held = [*one.places, *(names[number] for number in one.series if number in names)]
        typer.echo(f"{one.name:<20} {', '.join(held)}")


def set_group(where: str, name: str, places: Sequence[str]) -> None:
    """Make a group, or say what places are in it; series that are in it stay.

    Raises
    ------
    UsageError
        When there is no such place.
    """
    with changing(where) as connection:
        known = [one.name for one in load_site(connection).places]
        for one in places:
            if one not in known:
                raise UsageError(
                    f"there is no place {one!r}",
                    kept="no group was changed",
                    remedy="known: " + (", ".join(known) or "none yet"),
                )
        series = next((one.series for one in groups(connection) if one.name == name), ())
        save_group(connection, Group(name, tuple(dict.fromkeys(places)), series))
    typer.echo(f"{name}: {', '.join(places)}")


def remove(where: str, name: str) -> None:
    """Delete a group."""
    with changing(where) as connection:
        remove_group(connection, name)
    typer.echo(f"{name} is gone")
