"""Trying a pattern of topics on what a broker hands out, and showing how messages are read."""

from __future__ import annotations

import threading

import typer

from rook_tally.core.errors import DecodeError, UsageError
from rook_tally.intake.decode import DecodeSettings, decoded
from rook_tally.intake.message import Decoded, Message
from rook_tally.intake.topics import TopicPattern


def try_topics(read: TopicPattern, broker: str, for_s: float) -> None:
    """Listen to everything at a broker and show what the pattern makes of it."""
    import paho.mqtt.client as mqtt
    from paho.mqtt.enums import CallbackAPIVersion

    from rook_tally.intake.addresses import OutsideBroker, broker_from

    chosen = broker_from(broker)
    if not isinstance(chosen, OutsideBroker):
        raise UsageError(f"{broker!r} names no broker", remedy="write mqtt://HOST:PORT")
    counts = {True: 0, False: 0}

    def on_message(_client: mqtt.Client, _data: object, message: mqtt.MQTTMessage) -> None:
        names = read.names_in(message.topic)
        counts[names is not None] += 1
        if names is None:
            typer.echo(f"{message.topic}  does not fit")
            return
        body = bytes(message.payload)
        told = "  ".join(f"{name}: {word}" for name, word in names.items())
        show_message(
            f"{message.topic}  {told}  {body[:120].decode('utf-8', 'replace')}",
            Message("mqtt", message.topic, body, 0),
            DecodeSettings(names.get("field")),
        )

    client = mqtt.Client(CallbackAPIVersion.VERSION2)
    if chosen.user is not None:
        client.username_pw_set(chosen.user, chosen.password)
    if chosen.tls:
        client.tls_set()
    client.on_connect = lambda one, *_: one.subscribe("#")
    client.on_message = on_message
    try:
        client.connect(chosen.endpoint.host, chosen.endpoint.port)
    except OSError as error:
        raise UsageError(
            f"no broker answers at {chosen.endpoint}: {error.strerror or error}",
            remedy="name another with --broker",
        ) from None
    client.loop_start()
    threading.Event().wait(for_s)
    client.disconnect()
    client.loop_stop()
    typer.echo(f"{counts[True]} messages fit, {counts[False]} do not", err=True)


def show_message(raw: str, message: Message, hints: DecodeSettings) -> None:
    """A message and what would be read in it."""
    typer.echo(raw)
    try:
        content: Decoded = decoded(message, hints)
    except DecodeError as error:
        typer.echo(f"    {error}")
        return
    for item in content.items:
        typer.echo(f"    {item.field} = {item.value}{' ' + item.unit if item.unit else ''}")
    for word in content.said:
        typer.echo(f"    {word.name}: {word.value}")
    for refusal in content.refused:
        typer.echo(f"    refused: {refusal.why}")
