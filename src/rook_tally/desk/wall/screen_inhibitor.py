"""The screen kept awake while sheets are shown, by the desktop's own means.

freedesktop's ScreenSaver service is asked over a connection of our own: a desktop lets the screen
sleep again when that connection ends, also when we are killed.
"""

from __future__ import annotations

import threading

from rook_tally.desk.wall.texts import tr

_SERVICE = "org.freedesktop.ScreenSaver"
_PATH = "/org/freedesktop/ScreenSaver"


class ScreenInhibitor:
    """Holds the screen awake from `begin` to `end`. Nothing waits for the desktop's answer."""

    def __init__(self) -> None:
        self._stop: threading.Event | None = None
        self.is_held = False

    def begin(self) -> None:
        """Ask for it; a desktop without that service goes on as it does."""
        if self._stop is not None:
            return
        self._stop = threading.Event()
        threading.Thread(target=self._hold, args=(self._stop,), name="awake", daemon=True).start()

    def end(self) -> None:
        """Let the screen sleep again."""
        if self._stop is not None:
            self._stop.set()
            self._stop = None

    def _hold(self, stop: threading.Event) -> None:
        # Loaded late: only a wall needs it.
        import asyncio

        asyncio.run(self._held(stop))

    async def _held(self, stop: threading.Event) -> None:
        import asyncio

        from dbus_fast.aio import MessageBus
        from dbus_fast.constants import BusType, MessageType
        from dbus_fast.errors import DBusError, InvalidAddressError
        from dbus_fast.message import Message

        try:
            bus = await MessageBus(bus_type=BusType.SESSION).connect()
        except (InvalidAddressError, DBusError, OSError, EOFError) as error:
            _warn(str(error))
            return
        try:
            reply = await bus.call(
                Message(
                    destination=_SERVICE,
                    path=_PATH,
                    interface=_SERVICE,
                    member="Inhibit",
                    signature="ss",
                    body=["Rook Tally", tr("the Wall is shown")],
                )
            )
            if reply is None or reply.message_type is MessageType.ERROR:
                _warn("" if reply is None else str(reply.body))
                return
            self.is_held = True
            await asyncio.to_thread(stop.wait)
        finally:
            self.is_held = False
            bus.disconnect()


def _warn(why: str) -> None:
    import structlog

    structlog.get_logger(__name__).warning("screen_not_kept_awake", why=why)
