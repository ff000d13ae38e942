"""Listening for a moment to all topics of a broker, to show what could be taken in."""

from __future__ import annotations

import asyncio
import uuid
from collections.abc import Callable

import msgspec
import paho.mqtt.client as mqtt
from paho.mqtt.enums import CallbackAPIVersion, MQTTProtocolVersion
from paho.mqtt.reasoncodes import ReasonCode

from rook_tally.core.errors import DoorError
from rook_tally.intake.addresses import OutsideBroker
from rook_tally.intake.doors.mqtt import client_tls, why_not

_MOST = 200
_MOST_MESSAGES = 2_000
_LONGEST = 4_000


class HeardTopic(msgspec.Struct, frozen=True):
    """A topic and the last message on it, cut where it is long."""

    topic: str
    body: bytes


async def topics_heard(
    broker: OutsideBroker, for_s: float, is_ours: Callable[[str], bool]
) -> list[HeardTopic]:
    """Topics on which something is said within some seconds, or was said to be kept; `is_ours` are
    those that are taken in already. A broker that says too much is heard for a shorter time.

    Raises
    ------
    DoorError
        When it cannot be reached, does not let us in, or its certificates cannot be used.
    """
    found: dict[str, bytes] = {}
    enough = asyncio.Event()
    loop = asyncio.get_running_loop()
    count = 0
    refused = ""
    is_in = False

    def on_connect(
        client: mqtt.Client, _data: object, _flags: object, reason: ReasonCode, _more: object
    ) -> None:
        nonlocal refused, is_in
        if reason.is_failure:
            refused = str(reason)
            loop.call_soon_threadsafe(enough.set)
            return
        is_in = True
        client.subscribe("#", 0)

    def on_message(_client: mqtt.Client, _data: object, message: mqtt.MQTTMessage) -> None:
        nonlocal count
        count += 1
        if count > _MOST_MESSAGES or len(found) >= _MOST:
            if not loop.is_closed():
                loop.call_soon_threadsafe(enough.set)
            return
        if not message.topic.startswith("$") and not is_ours(message.topic):
            found[message.topic] = bytes(message.payload[:_LONGEST])

    client = mqtt.Client(
        CallbackAPIVersion.VERSION2,
        client_id=f"rook-tally-listens-{uuid.uuid4().hex[:8]}",
        protocol=MQTTProtocolVersion.MQTTv311,
        clean_session=True,
    )
    if broker.user is not None:
        client.username_pw_set(broker.user, broker.password)
    if broker.tls:
        client.tls_set_context(client_tls(broker))
    client.on_connect = on_connect
    client.on_message = on_message
    try:
        client.connect_async(broker.endpoint.host, broker.endpoint.port)
        client.loop_start()
        try:
            async with asyncio.timeout(for_s):
                await enough.wait()
        except TimeoutError:
            pass
        client.disconnect()
    except (OSError, ValueError) as error:
        raise DoorError(f"the broker at {broker.endpoint} cannot be asked: {error}") from None
    finally:
        await asyncio.to_thread(client.loop_stop)
    if refused:
        raise DoorError(
            f"the broker at {broker.endpoint} refused us: {refused}",
            remedy="give the name and the password it knows",
        )
    if not is_in:
        raise DoorError(await asyncio.to_thread(why_not, broker), remedy="is it there?")
    return [HeardTopic(topic, body) for topic, body in sorted(found.items())]
