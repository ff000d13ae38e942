"""`rook-tally plan list|put|rename|remove|hang|unhang|where`."""

from __future__ import annotations

import os
import re
from pathlib import Path

import msgspec
import typer

from rook_tally.cli.changing import changing
from rook_tally.cli.selectors import station_named
from rook_tally.clock import now_us
from rook_tally.core.errors import UsageError
from rook_tally.core.plans import checked_picture
from rook_tally.store.maintenance import existing_store
from rook_tally.store.site import load_site
from rook_tally.store.site.plans import (
    describe_where,
    hang,
    keep_picture,
    put_plan,
    remove_plan,
    rename_plan,
    unhang,
)

_AT = re.compile(r"\s*([\d.]+)\s*[,;]\s*([\d.]+)\s*")


def list_plans(where: str, *, as_json: bool) -> None:
    """Print the plans and what hangs on them."""
    with existing_store(where) as store, store.read() as connection:
        site = load_site(connection)
    keys = {one.id: one.key for one in (*site.stations, *site.retired)}
    told = [
        {
            "plan": one.name,
            "width": one.width,
            "height": one.height,
            "stations": {
                keys[number]: [round(at, 4) for at in place]
                for number, place in one.marks.items()
                if number in keys
            },
        }
        for one in site.plans
    ]
    if as_json:
        typer.echo(msgspec.json.encode(told).decode())
        return
    for plan in site.plans:
        typer.echo(f"{plan.name}, {plan.width} × {plan.height}")
        for number, (x, y) in plan.marks.items():
            typer.echo(f"  {keys.get(number, '?'):24} {x:.3f},{y:.3f}")


def put(where: str, name: str, file: Path) -> None:
    """Make a plan, or give it another picture."""
    body = _picture(file)
    with changing(where) as connection:
        put_plan(connection, name, body, now_us=now_us())
    picture = checked_picture(body)
    typer.echo(f"{name} is a plan of {picture.width} × {picture.height}")


def rename(where: str, old: str, new: str) -> None:
    """Call a plan otherwise."""
    with changing(where) as connection:
        rename_plan(connection, old, new)
    typer.echo(f"{old} is called {new} now")


def remove(where: str, name: str) -> None:
    """Remove a plan."""
    with changing(where) as connection:
        remove_plan(connection, name)
    typer.echo(f"{name} is removed")


def hang_station(where: str, key: str, plan: str, at: str) -> None:
    """Let a station hang on a plan.

    Raises
    ------
    UsageError
        When `at` is no two numbers.
    """
    found = _AT.fullmatch(at)
    try:
        place = None if found is None else (float(found[1]), float(found[2]))
    except ValueError:
        place = None
    if place is None:
        raise UsageError(f"{at!r} is no place on a plan", remedy="such as 0.25,0.6")
    with changing(where) as connection:
        station = station_named(load_site(connection), key)
        hang(connection, plan, station.id, place)
    typer.echo(f"{key} hangs on {plan}")


def unhang_station(where: str, key: str, plan: str) -> None:
    """Take a station off a plan."""
    with changing(where) as connection:
        unhang(connection, plan, station_named(load_site(connection), key).id)
    typer.echo(f"{key} is off {plan}")


def say_where(where: str, key: str, words: str, photograph: Path | None) -> None:
    """Say where a station hangs; a photograph that is there stays unless another is given."""
    body = None if photograph is None else _picture(photograph)
    with changing(where) as connection:
        station = station_named(load_site(connection), key)
        number = station.photograph_id
        if body is not None:
            number = keep_picture(connection, checked_picture(body), now_us=now_us())
        describe_where(connection, station.id, words=words, photograph=number)
    typer.echo(f"{key}: {words}")


def _picture(file: Path) -> bytes:
    # Loaded late: no other command needs Qt for what it does.
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from PySide6.QtGui import QGuiApplication

    from rook_tally.desk.parts.picture_file import picture_of_file

    application = QGuiApplication.instance() or QGuiApplication(["rook-tally"])
    try:
        return picture_of_file(file)
    finally:
        del application
