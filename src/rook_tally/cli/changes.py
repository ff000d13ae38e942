"""`rook-tally changes`."""

from __future__ import annotations

import re
from zoneinfo import ZoneInfo

import msgspec
import typer
from msgspec.structs import replace

from rook_tally.clock import now_us
from rook_tally.core.timestamps import datetime_from_time_us, rfc3339
from rook_tally.login import login_name
from rook_tally.store.alarms.change_undo import undo_change
from rook_tally.store.maintenance import existing_store
from rook_tally.store.site import load_site
from rook_tally.store.site.change_history import configuration_changes
from rook_tally.store.site.row_changes import RowChange

_USER = re.compile(r"(\w+://)[^/@\"]*@")


def list_changes(where: str, *, most: int, as_json: bool) -> None:
    """Print the last changes, the newest first."""
    with existing_store(where) as store, store.read() as connection:
        found = configuration_changes(connection, most=most)
        zone = ZoneInfo(load_site(connection).zone)
    if as_json:
        told = [
            {
                "change": one.id,
                "at": rfc3339(one.time_us),
                "who": one.who,
                "what": one.words,
                "rows": [_shown(row) for row in one.changes],
                "undone_by": one.undone_by,
            }
            for one in found
        ]
        typer.echo(msgspec.json.encode(told).decode())
        return
    for one in found:
        at = datetime_from_time_us(one.time_us).astimezone(zone).strftime("%Y-%m-%d %H:%M:%S")
        taken_back = "" if one.undone_by is None else f"  (taken back by {one.undone_by})"
        typer.echo(f"{one.id:>5}  {at}  {one.who:<12} {one.words}{taken_back}")
    if not found:
        typer.echo("nothing was changed yet")


def undo(where: str, number: int) -> None:
    """Take one change back."""
    with existing_store(where) as store, store.write() as connection:
        made = undo_change(connection, number, who=login_name(), now_us=now_us())
    typer.echo(f"change {number} is taken back, by change {made}")


def _shown(change: RowChange) -> RowChange:
    """A row's change without the hashes of access keys and passwords in addresses."""

    def shown(columns: dict[str, object] | None) -> dict[str, object] | None:
        if columns is None:
            return None
        told = {name: value for name, value in columns.items() if not name.endswith("_hash")}
        if change.table == "door_setting":
            told = {name: _USER.sub(r"\1", str(value)) for name, value in told.items()}
        return told

    return replace(change, before=shown(change.before), after=shown(change.after))
