"""`rook-tally wall list`, `export`, `read`."""

from __future__ import annotations

from pathlib import Path

import msgspec
import typer

from rook_tally.cli.changing import changing
from rook_tally.core.errors import UsageError
from rook_tally.core.wall.files import sheets_from_toml, sheets_to_toml
from rook_tally.store.maintenance import existing_store
from rook_tally.store.site import load_site, save_sheet, sheet_called, sheets
from rook_tally.store.workings import groups
from rook_tally.wall.pane_resolver import resolved


def list_sheets(where: str, *, as_json: bool) -> None:
    """Print every sheet, and what of it is not there."""
    with existing_store(where) as store, store.read() as connection:
        site, in_groups = load_site(connection), groups(connection)
        told = [(one, resolved(one, site, in_groups)) for one in sheets(connection)]
    if as_json:
        rows = [
            {
                "slug": sheet.slug,
                "name": sheet.name,
                "panes": len(sheet.panes),
                "turns": sheet.turns,
                "troubles": [one.trouble for one in panes if one.trouble],
            }
            for sheet, panes in told
        ]
        typer.echo(msgspec.json.encode(rows).decode())
        return
    for sheet, panes in told:
        turns = "turns" if sheet.turns else "takes no turn"
        typer.echo(f"{sheet.slug:<24} {len(sheet.panes):>2} panes, {turns:<14} {sheet.name}")
        for one in panes:
            if one.trouble:
                typer.echo(f"  {one.trouble}")


def export(where: str, name: str) -> None:
    """Print sheets as TOML."""
    with existing_store(where) as store, store.read() as connection:
        told = [sheet_called(connection, name)] if name else sheets(connection)
    typer.echo(sheets_to_toml(told), nl=False)


def read(where: str, file: Path) -> None:
    """Keep the sheets of a file, all or none."""
    try:
        text = file.read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError) as error:
        raise UsageError(f"{file} cannot be read: {error}", kept="no sheet was changed") from error
    told = sheets_from_toml(text)
    with changing(where) as connection:
        for one in told:
            replaced = save_sheet(connection, one) is not None
            typer.echo(f"{one.name}: {'replaced' if replaced else 'new'}, {len(one.panes)} panes")
