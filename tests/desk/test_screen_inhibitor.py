"""The screen kept awake, by a desktop's service on a bus of its own."""

from __future__ import annotations

import asyncio
from pathlib import Path
from typing import Annotated

import pytest
from dbus_fast.aio import MessageBus
from dbus_fast.annotations import DBusSignature
from dbus_fast.constants import BusType
from dbus_fast.service import ServiceInterface, dbus_method

from rook_tally.desk.wall.screen_inhibitor import ScreenInhibitor
from tests.processes import wait_until

DBusStr = Annotated[str, DBusSignature("s")]
DBusUInt = Annotated[int, DBusSignature("u")]


class ScreenSaver(ServiceInterface):
    """Keeps whom it was asked by."""

    def __init__(self) -> None:
        super().__init__("org.freedesktop.ScreenSaver")
        self.asked: list[tuple[str, str]] = []

    @dbus_method()
    def Inhibit(self, application: DBusStr, reason: DBusStr) -> DBusUInt:
        self.asked.append((application, reason))
        return 7


async def test_the_desktop_is_asked_and_let_go(session_bus: None) -> None:
    service = ScreenSaver()
    bus = await MessageBus(bus_type=BusType.SESSION).connect()
    bus.export("/org/freedesktop/ScreenSaver", service)
    await bus.request_name("org.freedesktop.ScreenSaver")
    awake = ScreenInhibitor()
    awake.begin()
    awake.begin()
    await asyncio.to_thread(wait_until, lambda: awake.is_held)
    assert service.asked == [("Rook Tally", "the Wall is shown")]
    awake.end()
    await asyncio.to_thread(wait_until, lambda: not awake.is_held)
    bus.disconnect()


def test_a_desktop_without_that_service_goes_on(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("DBUS_SESSION_BUS_ADDRESS", f"unix:path={tmp_path}/none")
    awake = ScreenInhibitor()
    awake.begin()
    awake.end()
    assert not awake.is_held
