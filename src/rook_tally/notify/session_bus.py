"""Calls on the desktop's session bus."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from typing import Any

from rook_tally.core.errors import RookTallyError

_PATIENCE_S = 10.0


class NoBusError(RookTallyError):
    """There is no session bus to speak to: nobody is logged in."""


class RefusedError(RookTallyError):
    """A service of the desktop is not there, or did not do what it was asked."""


class SessionBus:
    """A connection to the session bus, made when it is first needed and again once it is lost."""

    def __init__(self) -> None:
        self._bus: Any = None
        self._heard: list[tuple[str, Callable[[Any], None]]] = []

    async def called(
        self,
        service: str,
        path: str,
        interface: str,
        member: str,
        signature: str = "",
        body: tuple[Any, ...] = (),
    ) -> list[Any]:
        """Call a method; what it answers.

        Raises
        ------
        NoBusError
            When there is no bus.
        RefusedError
            When the service is not there, or refuses.
        """
        from dbus_fast import Message, MessageType
        from dbus_fast.errors import DBusError, InvalidAddressError

        try:
            async with asyncio.timeout(_PATIENCE_S):
                bus = await self._connected()
                answer = await bus.call(
                    Message(
                        destination=service,
                        path=path,
                        interface=interface,
                        member=member,
                        signature=signature,
                        body=list(body),
                    )
                )
        except (OSError, EOFError, TimeoutError, DBusError, InvalidAddressError) as error:
            self._bus = None
            raise NoBusError("nobody is logged in to a desktop") from error
        if answer.message_type is MessageType.ERROR:
            raise RefusedError(str(answer.body[0] if answer.body else answer.error_name))
        told: list[Any] = answer.body
        return told

    def hear(self, interface: str, on_message: Callable[[Any], None]) -> None:
        """Have the signals of an interface told, from the next connection on."""
        self._heard.append((interface, on_message))

    async def _connected(self) -> Any:
        if self._bus is not None and self._bus.connected:
            return self._bus
        from dbus_fast import BusType, Message
        from dbus_fast.aio import MessageBus

        bus = await MessageBus(bus_type=BusType.SESSION).connect()
        for interface, on_message in self._heard:
            await bus.call(
                Message(
                    destination="org.freedesktop.DBus",
                    path="/org/freedesktop/DBus",
                    interface="org.freedesktop.DBus",
                    member="AddMatch",
                    signature="s",
                    body=[f"type='signal',interface='{interface}'"],
                )
            )
            bus.add_message_handler(on_message)
        self._bus = bus
        return bus

    def close(self) -> None:
        """Leave the bus."""
        if self._bus is not None:
            self._bus.disconnect()
            self._bus = None
