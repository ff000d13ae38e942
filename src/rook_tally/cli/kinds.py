"""`rook-tally kind …`."""

from __future__ import annotations

from pathlib import Path

import typer

from rook_tally.cli.changing import changing
from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.kind_files import kind_from_toml, kind_to_toml
from rook_tally.core.quantities.kinds import KINDS
from rook_tally.store.maintenance import open_store
from rook_tally.store.site import keep_kind, kind_of_site, kinds


def list_kinds(where: str) -> None:
    """Print every kind with its fields."""
    with open_store(where) as store, store.read() as connection:
        known = kinds(connection)
    for one in known.values():
        own = "" if one.slug in KINDS and one == KINDS[one.slug] else ", your own"
        fields = " ".join(field.name for field in one.fields) or "any quantity by its slug"
        typer.echo(f"{one.slug:<18} {one.name}, every {one.cadence_s:g} s{own}: {fields}")


def export_kind(where: str, slug: str) -> None:
    """Print a kind as TOML."""
    with open_store(where) as store, store.read() as connection:
        typer.echo(kind_to_toml(kind_of_site(connection, slug)), nl=False)


def read_kind(where: str, file: Path) -> None:
    """Keep the kind a TOML file describes."""
    try:
        text = file.read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError) as error:
        raise UsageError(f"{file} cannot be read: {error}", remedy="name another file") from None
    kind = kind_from_toml(text)
    with changing(where, makes_store=True) as connection:
        keep_kind(connection, kind)
    typer.echo(f"{kind.slug}: {kind.name}, {len(kind.fields)} fields")
