"""`rook-tally way …`."""

from __future__ import annotations

import threading
import time
from pathlib import Path

import typer

from rook_tally import clock
from rook_tally.cli.changing import changing
from rook_tally.cli.first_use import ask_first
from rook_tally.core.alarms.channels import (
    Channel,
    ChannelKind,
    Security,
    checked_way,
    with_secrets_of,
)
from rook_tally.core.alarms.edits import hours_of
from rook_tally.core.alarms.files import minutes_of
from rook_tally.core.errors import StoreError, UsageError
from rook_tally.leaving.first_use import first_use
from rook_tally.login import login_name
from rook_tally.store.alarms import OutState, remove_channel, save_channel, ways
from rook_tally.store.alarms.channel_trial import channel_trial, put_channel_trial
from rook_tally.store.maintenance import existing_store, open_store
from rook_tally.store.site.heartbeat import working_collectors

_PATIENCE_S, _LOOK_EVERY_S = 60.0, 0.2


def list_ways(where: str) -> None:
    """Print the ways of telling."""
    with existing_store(where) as store, store.read() as connection:
        known = ways(connection)
    for one in known:
        told = {
            ChannelKind.MAIL: f"{', '.join(one.to)} by {one.host}",
            ChannelKind.WEBHOOK: one.url,
            ChannelKind.MQTT: one.topic,
        }.get(one.sort, "")
        typer.echo(f"{one.name:<24} {one.sort.value:<10} {told}".rstrip())


def remove_a_way(where: str, name: str) -> None:
    """Take a way of telling away."""
    with changing(where) as connection:
        remove_channel(connection, name)
    typer.echo(f"{name} is gone")


def add(
    where: str,
    name: str,
    *,
    mail: str | None,
    sender: str,
    to: list[str],
    user: str,
    security: Security,
    port: int,
    webhook: str | None,
    mqtt: str | None,
    secret_file: Path | None,
    quiet: str,
    digest: str,
    is_sure: bool,
) -> None:
    """Set up a channel, or change the one of that name.

    Raises
    ------
    UsageError
        When not one of mail, webhook and MQTT is told, or something cannot be meant.
    """
    chosen = [one for one in (mail, webhook, mqtt) if one is not None]
    if len(chosen) != 1:
        raise UsageError(
            "a channel is one of mail, a webhook and an MQTT topic",
            remedy="give --mail SERVER, --webhook URL or --mqtt TOPIC",
        )
    try:
        digest_min = minutes_of(digest) if digest else None
    except ValueError as error:
        raise UsageError(str(error)) from error
    channel = Channel(
        name=name,
        sort=ChannelKind.MAIL if mail else ChannelKind.WEBHOOK if webhook else ChannelKind.MQTT,
        quiet=hours_of(quiet),
        digest_min=digest_min,
        host=mail or "",
        port=port,
        security=security,
        user=user,
        sender=sender,
        to=tuple(to),
        url=webhook or "",
        topic=mqtt or "",
    )
    if secret_file is not None:
        channel = channel.with_secret(_secret_in(secret_file))
    # What cannot be is refused before anybody is asked about it.
    checked_way(channel)
    with open_store(where) as store, store.read() as connection:
        ask_first([told for told in [first_use(connection, channel)] if told], is_sure=is_sure)
    with changing(where, makes_store=True) as connection:
        if secret_file is None:
            before = next((one for one in ways(connection) if one.name == name), None)
            channel = with_secrets_of(channel, before)
        save_channel(connection, channel)
    typer.echo(f"{name} is set up; `rook-tally way test {name!r}` tries it")


def _secret_in(file: Path) -> str:
    """The password or secret in a file, or with - as it comes in: never on the command line, where
    others could read it."""
    try:
        text = typer.get_text_stream("stdin").read() if str(file) == "-" else file.read_text()
    except (OSError, UnicodeDecodeError) as error:
        raise UsageError(f"{file} cannot be read: {error}", kept="nothing was changed") from error
    return text.strip()


def test(where: str, name: str) -> None:
    """Send a test by a channel, and wait for what becomes of it.

    Raises
    ------
    StoreError
        When it could not be told, or no collector runs that would.
    """
    with existing_store(where) as store:
        with store.write() as connection:
            if not working_collectors(connection, now_us=clock.now_us()):
                raise StoreError(
                    "no collector runs, and nobody else tells anybody",
                    kept="nothing was sent",
                    remedy="start one: rook-tally collect",
                )
            key = put_channel_trial(connection, name, who=login_name(), now_us=clock.now_us())
        until, pause = time.monotonic() + _PATIENCE_S, threading.Event()
        while time.monotonic() < until:
            with store.read() as connection:
                item = channel_trial(connection, key)
            if item is not None and item.state is OutState.DONE:
                typer.echo(f"{name}: told. {item.answer}".strip())
                return
            if item is not None and (item.state is not OutState.WAITING or item.answer):
                raise StoreError(
                    f"{name}: not told, {item.answer}",
                    kept="it is tried again" if item.state is OutState.WAITING else "",
                    remedy="look at the channel's settings",
                )
            pause.wait(_LOOK_EVERY_S)
    raise StoreError(
        f"{name}: nobody has told it in {_PATIENCE_S:g} s", remedy="look at the collector's log"
    )
