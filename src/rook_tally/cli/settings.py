"""`rook-tally setting …`."""

from __future__ import annotations

import msgspec
import typer

from rook_tally.cli.changing import changing
from rook_tally.store.maintenance import open_store
from rook_tally.store.maintenance.settings_table import SETTINGS, change_setting


def list_settings(where: str, *, as_json: bool) -> None:
    """Print every setting, what it is and what it says."""
    with open_store(where) as store, store.read() as connection:
        told = [(one, one.read(connection)) for one in SETTINGS]
    if as_json:
        values = {one.name: value for one, value in told}
        typer.echo(msgspec.json.encode(values).decode())
        return
    for one, value in told:
        shown = f"{value:g}" if isinstance(value, float) else value
        typer.echo(f"{one.name:<16} {shown or '-':<12} {one.words}")


def set_setting(where: str, name: str, value: str) -> None:
    """Give a setting another value."""
    with changing(where, makes_store=True) as connection:
        change_setting(connection, name, value)
    typer.echo(f"{name} is {value or 'empty'} now")
