"""`rook-tally gateway`."""

from __future__ import annotations

import msgspec
import typer

from rook_tally.cli.changing import changing
from rook_tally.clock import now_us
from rook_tally.core.timestamps import rfc3339
from rook_tally.login import login_name
from rook_tally.store.maintenance import existing_store
from rook_tally.store.site import load_site
from rook_tally.store.site.gateway_keys import add_gateway_key, gateway_keys, revoke_gateway_key


def make_key(where: str, name: str) -> None:
    """Make a gateway's key and print it."""
    with changing(where, makes_store=True) as connection:
        key = add_gateway_key(connection, name, who=login_name(), now_us=now_us())
    typer.echo(
        f"The key of the gateway {name}, shown this once; its station wall comes in as {name}.wall",
        err=True,
    )
    typer.echo(key)


def list_gateways(where: str, *, as_json: bool) -> None:
    """Print every gateway."""
    with existing_store(where) as store, store.read() as connection:
        told = gateway_keys(connection)
        stations = [one.key for one in load_site(connection).stations]
    rows = [
        {
            "name": one.name,
            "stations": [key for key in stations if key.startswith(f"{one.name}.")],
            "made": rfc3339(one.made_us),
            "by": one.who,
        }
        for one in told
    ]
    if as_json:
        typer.echo(msgspec.json.encode(rows).decode())
        return
    for row in rows:
        behind = ", ".join(row["stations"]) or "no station taken in yet"
        typer.echo(f"{row['name']:<24} {behind}")


def revoke_key(where: str, name: str) -> None:
    """Revoke a gateway's key."""
    with changing(where) as connection:
        typer.echo(f"{revoke_gateway_key(connection, name).name}: revoked")
