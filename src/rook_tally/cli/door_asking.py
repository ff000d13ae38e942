"""Asks an address, a device or a broker once, as the door of those settings would."""

from __future__ import annotations

import asyncio
from collections.abc import Sequence
from typing import TYPE_CHECKING

import msgspec

from rook_tally import clock
from rook_tally.core.door_settings import BrokerSetting, ModbusSetting, PollSetting, SerialSetting
from rook_tally.core.quantities.modbus_map import ModbusRegister
from rook_tally.intake.message import Message
from rook_tally.store.base import Store
from rook_tally.store.site import newest_messages

if TYPE_CHECKING:
    from rook_tally.intake.doors.topics_heard import HeardTopic

_EXAMPLES = 20
_HEARD_S, _LINES_S = 4.0, 6.0


def last_lines(store: Store, settings: SerialSetting) -> list[str]:
    """The last lines of a port: from the message log, or listened to where none is there.

    Raises
    ------
    DoorError
        When none is there and the port cannot be opened.
    """
    with store.read() as connection:
        tape = newest_messages(connection, settings.station, most=_EXAMPLES)
    bodies = [one.body for one in tape if one.door == "serial" and one.address == settings.path]
    if not bodies:
        from rook_tally.intake.doors.serial_trial import lines_heard

        bodies = asyncio.run(lines_heard(settings, _LINES_S))
    return [one.decode("utf-8", "replace") for one in bodies]


async def asked_once(settings: PollSetting) -> Message:
    """The answer of an address, over whatever it speaks.

    Raises
    ------
    DoorError
        When it cannot be reached, or answers with an error.
    """
    if settings.url.startswith("coap:"):
        from rook_tally.intake.doors.coap_client import coap_polled

        return await coap_polled(settings, clock.now_us)
    from rook_tally.intake.doors.poll import polled, polling_session

    async with polling_session(settings.url) as session:
        return await polled(session, settings, lambda: clock.now_us())


async def heard_at(settings: BrokerSetting) -> list[HeardTopic]:
    """Listen to a broker for some seconds, and return what is said there.

    Raises
    ------
    DoorError
        When it cannot be reached, or does not let us in.
    """
    from rook_tally.intake.doors.further_broker import outside_broker
    from rook_tally.intake.doors.topics_heard import topics_heard

    return await topics_heard(outside_broker(settings), _HEARD_S, lambda _: False)


def with_port(settings: ModbusSetting) -> ModbusSetting:
    """The same with the usual port where none is told."""
    address = settings.address
    if address.startswith("/") or address.rpartition(":")[2].isdecimal():
        return settings
    return msgspec.structs.replace(settings, address=f"{address}:502")


async def asked_modbus(
    settings: ModbusSetting, registers: Sequence[ModbusRegister]
) -> tuple[dict[str, float], list[str]]:
    """The values of a Modbus device, by field, and what it refused, in words.

    Raises
    ------
    DoorError
        When it does not answer.
    """
    from rook_tally.intake.doors.modbus import asked, client_for, readers_of

    client = client_for(settings)
    try:
        return await asked(client, settings, readers_of(registers))
    finally:
        client.close()
