"""`rook-tally site`."""

from __future__ import annotations

import msgspec
import typer

from rook_tally.core.errors import UsageError
from rook_tally.store import load_site, open_store, set_site


def print_site(where: str, *, as_json: bool) -> None:
    """Print the site's name and zone, as words or as one JSON object."""
    store = open_store(where, create=False)
    try:
        with store.read() as connection:
            site = load_site(connection)
    finally:
        store.close()
    if as_json:
        typer.echo(msgspec.json.encode({"name": site.name, "zone": site.zone}).decode())
    else:
        typer.echo(f"{site.name or 'no name yet'}, times in {site.zone}")


def change_site(where: str, *, name: str | None, zone: str | None) -> None:
    """Give the site another name or zone.

    Raises
    ------
    UsageError
        When neither is given, or there is no such zone.
    """
    if name is None and zone is None:
        raise UsageError(
            "nothing was said to change", remedy='give --name "…", --zone Europe/London, or both'
        )
    store = open_store(where)
    try:
        with store.write() as connection:
            site = load_site(connection)
            set_site(
                connection,
                name=site.name if name is None else name,
                zone=site.zone if zone is None else zone,
            )
    finally:
        store.close()
    print_site(where, as_json=False)
