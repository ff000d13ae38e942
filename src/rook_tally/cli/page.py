"""`rook-tally page …`: sheets on the local network, links, devices."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import segno
import typer

from rook_tally import clock
from rook_tally.cli.changing import changing
from rook_tally.core.quantities.number_format import age
from rook_tally.core.timestamps import rfc3339
from rook_tally.intake.addresses import endpoint_from
from rook_tally.store.base import Store
from rook_tally.store.maintenance import existing_store
from rook_tally.store.site import (
    PageSetting,
    add_page_device,
    collectors,
    page_devices,
    page_setting,
    revoke_page_device,
    set_page,
)
from rook_tally.wall.links import link_to, own_address


def _now_us() -> int:
    return clock.now_us()


def switch_on(where: str, address: str, names: Sequence[str] = ()) -> None:
    """Switch the page on."""
    endpoint = endpoint_from(address)
    with changing(where) as connection:
        setting = PageSetting(True, endpoint.host, endpoint.port, tuple(names))
        set_page(connection, setting)
    typer.echo(f"the sheets are served at {endpoint}, to look at only, for devices with a link")
    with existing_store(where) as store:
        _say_who_serves(store)


def _say_who_serves(store: Store) -> None:
    with store.read() as connection:
        if not collectors(connection, now_us=_now_us()):
            typer.echo("no collector runs; they are served as soon as one does")


def switch_off(where: str) -> None:
    """Switch the page off."""
    with changing(where) as connection:
        before = page_setting(connection)
        set_page(connection, msgspec.structs.replace(before, is_on=False))
    typer.echo("the sheets are served no longer")


def make_link(where: str, device: str) -> None:
    """Print a new link and its code."""
    with changing(where) as connection:
        setting = page_setting(connection)
        key = add_page_device(connection, device, now_us=_now_us())
    with existing_store(where) as store:
        link = link_to(own_address(setting.host), _port(store, setting), key)
        segno.make(link, error="m").terminal(border=2, compact=True)
        if not setting.is_on:
            typer.echo("nothing is served yet: switch it on with rook-tally page on")
        typer.echo(link)


def _port(store: Store, setting: PageSetting) -> int:
    """The port it is served at: that of the setting, or the free one that was found for 0."""
    if setting.port:
        return setting.port
    with store.read() as connection:
        for collector in collectors(connection, now_us=_now_us()):
            for door in collector.doors:
                if door.name == "page":
                    return endpoint_from(door.address).port
    return setting.port


def list_devices(where: str, *, as_json: bool) -> None:
    """Print whether it is served, and to whom."""
    with existing_store(where) as store, store.read() as connection:
        setting, devices = page_setting(connection), page_devices(connection)
    if as_json:
        rows = [
            {
                "name": one.name,
                "made": rfc3339(one.made_us),
                "seen": None if one.seen_us is None else rfc3339(one.seen_us),
            }
            for one in devices
        ]
        told = {"on": setting.is_on, "host": setting.host, "port": setting.port, "devices": rows}
        typer.echo(msgspec.json.encode(told).decode())
        return
    typer.echo(f"served at {setting.host}:{setting.port}" if setting.is_on else "not served")
    for one in devices:
        seen_us = one.seen_us
        seen = (
            "never looked" if seen_us is None else f"looked {age((_now_us() - seen_us) / 1e6)} ago"
        )
        typer.echo(f"{one.name:<24} {seen}")


def revoke(where: str, device: str) -> None:
    """Take a device's link away."""
    with changing(where) as connection:
        revoke_page_device(connection, device)
    typer.echo(f"{device} is let in no longer")
