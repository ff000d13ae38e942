"""`rook-tally station …`."""

from __future__ import annotations

import typer

from rook_tally.core.kinds import kind_named
from rook_tally.store import add_station, open_store


def add(
    where: str, key: str, *, place: str, kind: str, cadence_s: float | None, indoors: bool
) -> None:
    """Add a station and print its access key alone on the last line."""
    chosen = kind_named(kind)
    store = open_store(where)
    try:
        with store.write() as connection:
            access_key = add_station(
                connection, key, place=place, kind=chosen, indoors=indoors, cadence_s=cadence_s
            )
    finally:
        store.close()
    typer.echo(f"{key} at {place}, {chosen.name}. Its access key, shown this once:", err=True)
    typer.echo(access_key)
