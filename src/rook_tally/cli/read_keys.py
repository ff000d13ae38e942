"""`rook-tally read-key`."""

from __future__ import annotations

import msgspec
import typer

from rook_tally.cli.changing import changing
from rook_tally.clock import now_us
from rook_tally.core.errors import UsageError
from rook_tally.core.timestamps import rfc3339
from rook_tally.login import login_name
from rook_tally.store.maintenance import existing_store
from rook_tally.store.site import load_site
from rook_tally.store.site.read_keys import ReadScope, add_read_key, read_keys, revoke_read_key
from rook_tally.store.workings import groups


def make_key(where: str, name: str, places: tuple[str, ...], in_groups: tuple[str, ...]) -> None:
    """Make a key and print it."""
    with changing(where) as connection:
        known = {one.name for one in load_site(connection).places}
        named = {one.name for one in groups(connection)}
        for kind, wanted, there in (("place", places, known), ("group", in_groups, named)):
            for one in wanted:
                if one not in there:
                    raise UsageError(
                        f"there is no {kind} {one}",
                        kept="no key was made",
                        remedy=f"{kind}s: {', '.join(sorted(there)) or 'none'}",
                    )
        scope = ReadScope(places, in_groups)
        key = add_read_key(connection, name, scope, who=login_name(), now_us=now_us())
    typer.echo("The read key, shown this once; it is sent as Authorization: Bearer <key>", err=True)
    typer.echo(key)


def list_keys(where: str, *, as_json: bool) -> None:
    """Print every key."""
    with existing_store(where) as store, store.read() as connection:
        told = read_keys(connection)
    if as_json:
        rows = [
            {
                "name": one.name,
                "places": list(one.scope.places),
                "groups": list(one.scope.groups),
                "made": rfc3339(one.made_us),
                "by": one.who,
                "used": None if one.used_us is None else rfc3339(one.used_us),
                "requests": one.requests,
                "bytes": one.sent_bytes,
            }
            for one in told
        ]
        typer.echo(msgspec.json.encode(rows).decode())
        return
    for one in told:
        what = ", ".join((*one.scope.places, *one.scope.groups)) or "everything"
        used = "never asked" if one.used_us is None else f"last asked {rfc3339(one.used_us)[:16]}"
        typer.echo(
            f"{one.name:<24} {what:<30} {used}, {one.requests} times, {one.sent_bytes} bytes"
        )


def revoke_key(where: str, name: str) -> None:
    """Revoke a key."""
    with changing(where) as connection:
        typer.echo(f"{revoke_read_key(connection, name).name}: revoked")
