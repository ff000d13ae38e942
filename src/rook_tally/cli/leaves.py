"""`rook-tally leaves`."""

from __future__ import annotations

import msgspec
import typer

from rook_tally.clock import now_us
from rook_tally.core.timestamps import rfc3339
from rook_tally.leaving.ways_out import summary, ways_out
from rook_tally.store.maintenance import existing_store


def print_leaves(where: str, *, as_json: bool) -> None:
    """Print every way out."""
    with existing_store(where) as store, store.read() as connection:
        told = ways_out(connection, now_us=now_us())
    if as_json:
        rows = [
            {
                "sort": one.sort.value,
                "name": one.name,
                "to": one.whom,
                "what": one.what,
                "on": one.is_on,
                "last": None if one.last_us is None else rfc3339(one.last_us),
                "count": one.count,
                "bytes": one.sent_bytes,
                "allowed_by": one.allowed_by,
                "allowed": None if one.allowed_us is None else rfc3339(one.allowed_us),
                "trouble": one.trouble,
            }
            for one in told
        ]
        typer.echo(msgspec.json.encode(rows).decode())
        return
    typer.echo(summary(told))
    for one in told:
        last = "never" if one.last_us is None else f"last {rfc3339(one.last_us)[:16]}"
        much = "" if one.sent_bytes is None else f", {one.sent_bytes} bytes"
        off = "" if one.is_on else "off, "
        by = f", allowed by {one.allowed_by}" if one.allowed_by else ""
        typer.echo(f"{one.sort:<13} {one.name:<24} {one.whom}")
        typer.echo(f"{'':<13} {one.what}: {off}{last}{much}{by}")
        if one.trouble:
            typer.echo(f"{'':<13} {one.trouble}")
