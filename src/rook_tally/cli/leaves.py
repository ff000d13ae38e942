"""`rook-tally leaves`."""

from __future__ import annotations

import msgspec
import typer
from sqlalchemy.engine import Connection

from rook_tally.cli.changing import changing
from rook_tally.clock import now_us
from rook_tally.core.errors import UsageError
from rook_tally.core.timestamps import rfc3339
from rook_tally.core.ways_out import WayOutSort
from rook_tally.leaving.ways_out import SWITCHED_APART, WayOut, summary, ways_out
from rook_tally.login import login_name
from rook_tally.store.maintenance import existing_store
from rook_tally.store.site.closed_ways import switch_way
from rook_tally.store.site.forwards import forward_called, save_forward
from rook_tally.store.site.page_devices import page_setting, set_page


def switch(where: str, name: str, *, is_on: bool) -> None:
    """Switch every way out of that name on or off; a read key is revoked by its own command."""
    with changing(where) as connection:
        found = [one for one in ways_out(connection, now_us=now_us()) if one.name == name]
        if not found:
            raise UsageError(f"there is no way out {name}", remedy="see rook-tally leaves")
        for one in found:
            _switch_one(connection, one, is_on=is_on)
    typer.echo(f"{name}: {'on' if is_on else 'off'}")


def _switch_one(connection: Connection, one: WayOut, *, is_on: bool) -> None:
    if one.sort is WayOutSort.FORWARD:
        told, _ = forward_called(connection, one.name)
        changed = msgspec.structs.replace(told, is_on=is_on)
        save_forward(connection, changed, who=login_name(), now_us=now_us())
    elif one.sort is WayOutSort.PAGE:
        set_page(connection, msgspec.structs.replace(page_setting(connection), is_on=is_on))
    elif one.sort in SWITCHED_APART:
        switch_way(connection, one.sort, one.name, is_on=is_on)
    else:
        remedy = {WayOutSort.READ_KEY: "revoke it: rook-tally read-key revoke NAME"}
        raise UsageError(f"{one.name} has no switch", remedy=remedy.get(one.sort, ""))


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
