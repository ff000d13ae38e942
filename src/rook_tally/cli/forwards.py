"""`rook-tally forward`."""

from __future__ import annotations

from zoneinfo import ZoneInfo

import msgspec
import typer

from rook_tally.cli.changing import changing
from rook_tally.cli.first_use import ask_first
from rook_tally.cli.moments import moment_us
from rook_tally.clock import now_us
from rook_tally.core.alarms.files import seconds_of
from rook_tally.core.errors import UsageError
from rook_tally.core.forwards.definitions import Forward, ForwardForm, ForwardKind, checked_forward
from rook_tally.core.quantities.named_series import slug_of
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.timestamps import rfc3339
from rook_tally.leaving.first_use import first_use
from rook_tally.login import login_name
from rook_tally.store.maintenance import existing_store
from rook_tally.store.site import load_site
from rook_tally.store.site.forwards import (
    ForwardState,
    forward_called,
    forwards,
    remove_forward,
    save_forward,
)


class ForwardWords(msgspec.Struct, frozen=True):
    """A forward as options have it."""

    slug: str
    kind: ForwardKind | None
    address: str
    places: tuple[str, ...]
    quantities: tuple[str, ...]
    form: ForwardForm
    raw: bool
    every: str
    user: str
    secret: str
    from_: str


def add_forward(where: str, told: ForwardWords, *, is_sure: bool) -> None:
    """Keep a forward; the first use of a new way out is asked about."""
    try:
        every_s = seconds_of(told.every) if told.every else None
    except ValueError as error:
        raise UsageError(f"--every: {error}", remedy="as in 5min") from None
    is_mqtt = told.address.startswith(("mqtt:", "mqtts:"))
    guessed = ForwardKind.MQTT if is_mqtt else ForwardKind.HTTP
    forward = Forward(
        slug=slug_of(told.slug),
        kind=told.kind or guessed,
        address=told.address,
        places=told.places,
        quantities=told.quantities,
        form=told.form,
        raw=told.raw,
        every_s=every_s,
        user=told.user,
        secret=told.secret,
    )
    with existing_store(where) as store, store.read() as connection:
        site = load_site(connection)
        known = {one.name for one in site.places}
        told_first = first_use(connection, forward)
    quantities = dict.fromkeys((*QUANTITIES, *(one.quantity.slug for one in site.series)))
    for one in told.quantities:
        if one not in quantities:
            raise UsageError(
                f"there is no quantity {one}", remedy=f"quantities: {', '.join(quantities)}"
            )
    for place in told.places:
        if place not in known:
            raise UsageError(
                f"there is no place {place}", remedy=f"places: {', '.join(sorted(known))}"
            )
    # What cannot be is refused before anybody is asked about it.
    checked_forward(forward)
    ask_first([told_first] if told_first else [], is_sure=is_sure)
    what = forward.what or "everything that is measured"
    asked_us, zone = now_us(), ZoneInfo(site.zone)
    from_us = moment_us(told.from_, now_us=asked_us, zone=zone) if told.from_ else None
    with changing(where) as connection:
        replaced = save_forward(
            connection, forward, who=login_name(), now_us=asked_us, from_us=from_us
        )
    typer.echo(f"{forward.slug}: {'replaced' if replaced else 'new'}, {what} to {forward.host}")


def forward_row(one: Forward, state: ForwardState) -> dict[str, object]:
    """A forward without its secret, and how far it is."""
    return {
        "name": one.slug,
        "kind": one.kind.value,
        "address": one.address,
        "on": one.is_on,
        "places": list(one.places),
        "quantities": list(one.quantities),
        "form": one.form.value,
        "raw": one.raw,
        "every_s": one.every_s,
        "readings": state.readings,
        "bytes": state.sent_bytes,
        "last": rfc3339(state.last_us) if state.last_us else None,
        "up_to": rfc3339(state.newest_us) if state.newest_us else None,
        "catching_up": state.at_us is not None,
        "trouble": state.trouble,
        "since": rfc3339(state.trouble_us) if state.trouble else None,
        "allowed_by": state.allowed_by,
        "allowed": rfc3339(state.allowed_us),
    }


def list_forwards(where: str, *, as_json: bool) -> None:
    """Print every forward."""
    with existing_store(where) as store, store.read() as connection:
        told = forwards(connection)
    if as_json:
        typer.echo(msgspec.json.encode([forward_row(*one) for one in told]).decode())
        return
    for one, state in told:
        row = forward_row(one, state)
        how = f"{state.readings} readings, up to {row['up_to'] or 'none yet'}"
        typer.echo(f"{one.slug:<20} {one.address:<40} {'' if one.is_on else 'off, '}{how}")
        if state.trouble:
            typer.echo(f"  not taken since {row['since']}: {state.trouble}")


def switch_forward(where: str, name: str, *, is_on: bool) -> None:
    """Switch a forward on or off; it goes on where it was."""
    with changing(where) as connection:
        told, _ = forward_called(connection, name)
        changed = msgspec.structs.replace(told, is_on=is_on)
        save_forward(connection, changed, who=login_name(), now_us=now_us())
    typer.echo(f"{told.slug}: {'on' if is_on else 'off'}")


def delete_forward(where: str, name: str) -> None:
    """Delete a forward."""
    with changing(where) as connection:
        typer.echo(f"{remove_forward(connection, name).slug}: gone")
