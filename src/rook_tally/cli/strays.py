"""`rook-tally strays` and `take-in`."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import msgspec
import typer

from rook_tally.clock import now_us
from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.number_format import age
from rook_tally.core.timestamps import SECOND_US, rfc3339
from rook_tally.intake.take_in import StraySender, stray_senders, take_in
from rook_tally.store.base import Store
from rook_tally.store.maintenance import existing_store, open_store
from rook_tally.store.site import StrayBounds, dismiss_strays, set_stray_bounds
from rook_tally.store.site.unassigned_messages import name_strays, unname_strays


def print_strays(where: str, *, as_json: bool) -> None:
    """Say who is astray, why, and what each seems to be."""
    with existing_store(where) as store, store.read() as connection:
        senders = stray_senders(connection)
    if as_json:
        typer.echo(msgspec.json.encode([_told(one) for one in senders]).decode())
    elif not senders:
        typer.echo("nothing is astray")
    for one in [] if as_json else senders:
        _print(one)


def _told(one: StraySender) -> dict[str, Any]:
    return {
        "station": one.station,
        "door": one.door,
        "address": one.address,
        "messages": one.count,
        "first": rfc3339(one.first_us),
        "last": rfc3339(one.last_us),
        "why": one.why,
        "is_station": one.is_station,
        "kind": one.kind.slug,
        "cadence_s": one.cadence_s,
        "fields": [
            {
                "field": guess.name,
                "quantity": guess.quantity.slug if guess.quantity else None,
                "unit": guess.unit,
                "newest": one.newest.get(guess.name),
                "continues": one.continues[guess.name].name
                if guess.name in one.continues
                else None,
            }
            for guess in one.fields
        ],
    }


def _print(one: StraySender) -> None:
    ago = age((now_us() - one.last_us) / SECOND_US)
    who = one.station or f"unnamed, at {one.address}"
    typer.echo(f"{who}: {one.count} messages by {one.door}, the last {ago} ago: {one.why}")
    if not one.is_station and one.kind.fields:
        typer.echo(f"    seems to be: {one.kind.name} ({one.kind.slug})")
    for guess in one.fields:
        if guess.name in one.continues:
            meaning = f"goes on where {one.continues[guess.name].name} stopped, perhaps"
        elif guess.quantity is None:
            meaning = "unknown; say what it is with --map"
        else:
            meaning = f"{guess.quantity.slug} in {guess.unit or 'no unit'}, perhaps"
        newest = one.newest.get(guess.name, "")
        said = f" (says {newest})" if newest else ""
        typer.echo(f"    {guess.name}{said}: {meaning}")
    if one.station:
        told = "" if one.is_station else ' --place "…"'
        typer.echo(f"    rook-tally take-in {one.station}{told}")


def take_in_sender(
    where: str,
    key: str,
    *,
    place: str | None,
    kind: str | None,
    indoors: bool,
    cadence_s: float | None,
    maps: list[str],
    continues: list[str],
    unnamed_from: str | None = None,
) -> None:
    """Make a sender a station, or mend its fields; its kept messages become readings. With
    `unnamed_from` those that came from there without a name; `all` for wherever they came from."""
    with open_store(where) as store, _named(store, key, unnamed_from):
        done = take_in(
            store,
            key,
            place=place,
            kind=kind,
            indoors=indoors,
            cadence_s=cadence_s,
            mapping=dict(map(mapped_field, maps)) if maps or continues else None,
            continues=dict(map(_continued, continues)),
        )
    typer.echo(f"{key}: {done.kept} readings out of what was waiting", err=True)
    if done.waiting:
        typer.echo(f"{done.waiting} messages still wait; see why with rook-tally strays", err=True)
    if done.access_key is not None:
        typer.echo("its access key, shown this once:", err=True)
        typer.echo(done.access_key)


@contextmanager
def _named(store: Store, key: str, address: str | None) -> Iterator[None]:
    """Let unnamed messages be this sender's; when it is not taken in they are nobody's again."""
    if address is None:
        yield
        return
    with store.write() as connection:
        ids = name_strays(connection, None if address == "all" else address, key)
    if not ids:
        raise UsageError(
            f"nothing came from {address} without a name", remedy="see rook-tally strays"
        )
    try:
        yield
    except BaseException:
        with store.write() as connection:
            unname_strays(connection, ids)
        raise


def mapped_field(text: str) -> tuple[str, tuple[str, str]]:
    """`FIELD=QUANTITY[:UNIT]` in its parts; the unit may be empty."""
    field, _, meaning = text.partition("=")
    quantity, _, unit = meaning.partition(":")
    if not field or not quantity:
        raise UsageError(
            f"--map {text!r} says nothing", remedy="write FIELD=QUANTITY or FIELD=QUANTITY:UNIT"
        )
    return field, (quantity, unit)


def _continued(text: str) -> tuple[str, str]:
    new, _, old = text.partition("=")
    if not new or not old:
        raise UsageError(f"--continue {text!r} says nothing", remedy="write NEW=OLD")
    return new, old


def bound_strays(where: str, *, most_mb: float, most_days: float) -> None:
    """Say how much of the strays is kept from now on."""
    with existing_store(where) as store, store.write() as connection:
        set_stray_bounds(connection, StrayBounds(round(most_mb * 1e6), most_days))
    typer.echo(f"strays are kept up to {most_mb:g} MB and {most_days:g} days")


def drop(where: str, sender: str | None, *, unnamed: bool) -> None:
    """Drop what a sender, or nobody by name, has sent astray.

    Raises
    ------
    UsageError
        When nobody was told, or nothing of them is there.
    """
    if (sender is None) is not unnamed:
        raise UsageError("drop whose?", remedy="give a sender, or --unnamed")
    with existing_store(where) as store, store.write() as connection:
        rows = dismiss_strays(connection, sender)
    who = sender or "unnamed senders"
    if not rows:
        raise UsageError(f"nothing of {who} is astray", remedy="see rook-tally strays")
    typer.echo(f"{len(rows)} messages of {who} dropped")
