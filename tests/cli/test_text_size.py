"""The desktop's size of text, asked of a settings portal on a bus of our own."""

from __future__ import annotations

import os
from typing import Annotated

import pytest
from dbus_fast import BusType, Variant
from dbus_fast.aio import MessageBus
from dbus_fast.annotations import DBusSignature
from dbus_fast.service import ServiceInterface, dbus_method

from rook_tally.cli.text_size import TextSize
from tests.processes import wait_until

Text = Annotated[str, DBusSignature("s")]
Value = Annotated[Variant, DBusSignature("v")]


class Portal(ServiceInterface):
    """Answers for one setting, wrapped twice as the portal does."""

    def __init__(self, scale: float) -> None:
        super().__init__("org.freedesktop.portal.Settings")
        self.scale = scale

    @dbus_method()
    def Read(self, namespace: Text, key: Text) -> Value:
        assert (namespace, key) == ("org.gnome.desktop.interface", "text-scaling-factor")
        return Variant("v", Variant("d", self.scale))


async def _follow() -> str:
    import asyncio

    size = await asyncio.to_thread(TextSize)
    assert size._asking is not None
    await asyncio.to_thread(wait_until, lambda: size._asking and not size._asking.is_alive())
    size.follow()
    return os.environ.get("QT_SCALE_FACTOR", "")


@pytest.fixture
def wayland(session_bus: None, monkeypatch: pytest.MonkeyPatch) -> pytest.MonkeyPatch:
    monkeypatch.setenv("WAYLAND_DISPLAY", "wayland-0")
    monkeypatch.setenv("QT_QPA_PLATFORM", "wayland")
    monkeypatch.setenv("QT_SCALE_FACTOR", "")
    return monkeypatch


@pytest.mark.parametrize(("told", "own", "scale"), [(1.25, "", "1.25"), (1.5, "2", "3")])
async def test_large_text_makes_everything_larger(
    wayland: pytest.MonkeyPatch, told: float, own: str, scale: str
) -> None:
    wayland.setenv("QT_SCALE_FACTOR", own)
    bus = await MessageBus(bus_type=BusType.SESSION).connect()
    bus.export("/org/freedesktop/portal/desktop", Portal(told))
    await bus.request_name("org.freedesktop.portal.Desktop")
    assert await _follow() == scale
    bus.disconnect()


async def test_a_desktop_that_says_nothing_leaves_text_as_it_is(wayland: object) -> None:
    assert await _follow() == ""


def test_an_x_server_is_left_to_qt(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("WAYLAND_DISPLAY", "wayland-0")
    monkeypatch.setenv("QT_QPA_PLATFORM", "xcb")
    assert TextSize()._asking is None
