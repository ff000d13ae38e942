"""`rook-tally site export|plan|read`."""

from __future__ import annotations

from pathlib import Path

import msgspec
import typer

from rook_tally.cli.changing import changing
from rook_tally.cli.first_use import ask_first
from rook_tally.clock import now_us
from rook_tally.core.site_file.content import SiteContent, SitePart
from rook_tally.core.site_file.reading import site_from_toml
from rook_tally.core.site_file.ready_made import READY_MADE, ready_made
from rook_tally.core.site_file.writing import site_to_toml
from rook_tally.leaving.first_use import first_uses
from rook_tally.login import login_name
from rook_tally.store.maintenance import existing_store, open_store
from rook_tally.store.site_file.exporting import content_of, write_site_file
from rook_tally.store.site_file.importing import put_content, text_of
from rook_tally.store.site_file.planning import plan_of


def export(where: str, target: Path | None, parts: list[SitePart], *, secrets: bool) -> None:
    """Write everything that is configured, into a file or out."""
    with existing_store(where) as store, store.read() as connection:
        content = content_of(connection, secrets=secrets)
    if parts:
        content = content.only(frozenset(parts))
    if target is None:
        typer.echo(site_to_toml(content), nl=False)
        return
    write_site_file(content, target)
    typer.echo(f"the site is in {target}")


def plan(where: str, file: str, parts: list[SitePart], *, as_json: bool) -> None:
    """Print what reading a file would change."""
    content = _content(file, parts)
    with open_store(where) as store, store.write() as connection:
        lines = plan_of(connection, content, who=login_name(), now_us=now_us())
    if as_json:
        told = [{"sort": one.sort.value, "words": one.words} for one in lines]
        typer.echo(msgspec.json.encode(told).decode())
        return
    for one in lines:
        typer.echo(one.words)
    if not lines:
        typer.echo("it says what the site is; nothing would change")


def read(where: str, file: str, parts: list[SitePart], *, is_sure: bool) -> None:
    """Bring the site to what a file says; new ways out of this machine are asked about."""
    content = _content(file, parts)
    with open_store(where) as store, store.read() as connection:
        ask_first(first_uses(connection, content), is_sure=is_sure)
    with changing(where, makes_store=True) as connection:
        lines = plan_of(connection, content, who=login_name(), now_us=now_us())
        put_content(connection, content, who=login_name(), now_us=now_us())
    typer.echo(f"{len(lines)} things changed; `rook-tally changes undo` takes it back as one")


def list_ready_made() -> None:
    """Print the site files that come with the program."""
    for name, words in READY_MADE.items():
        typer.echo(f"{name:<12} {words}")


def _content(file: str, parts: list[SitePart]) -> SiteContent:
    if file in READY_MADE and not Path(file).exists():
        text = ready_made(file)
    else:
        text = text_of(Path(file))
    content = site_from_toml(text)
    return content.only(frozenset(parts)) if parts else content
