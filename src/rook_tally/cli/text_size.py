"""The size of text that a person has set for their desktop.

Where windows are drawn by an X server Qt takes it from the dots per inch the desktop tells. Where
Wayland draws them nobody tells Qt, and it is asked for here. Everything grows with the text, so
that nothing is cut.
"""

from __future__ import annotations

import asyncio
import os
import threading

from rook_tally.core.errors import RookTallyError

_PATIENCE_S = 0.4
_LEAST, _MOST = 0.5, 3.0
_SCALE = "QT_SCALE_FACTOR"


class TextSize:
    """Asks the desktop while Qt is being loaded; `follow` tells Qt before its first window."""

    def __init__(self) -> None:
        self._scale = 1.0
        self._asking: threading.Thread | None = None
        if _is_wayland():
            self._asking = threading.Thread(target=self._ask, daemon=True, name="text size")
            self._asking.start()

    def follow(self) -> None:
        """Have everything drawn at the desktop's size of text; no desktop is waited for long."""
        if self._asking is None:
            return
        self._asking.join(_PATIENCE_S)
        if self._scale != 1.0:
            own = float(os.environ.get(_SCALE) or 1)
            os.environ[_SCALE] = f"{own * self._scale:g}"

    def _ask(self) -> None:
        try:
            self._scale = min(max(asyncio.run(_told_scale()), _LEAST), _MOST)
        except RookTallyError:
            # No desktop, or one that has no such setting: text as it is drawn.
            self._scale = 1.0


def _is_wayland() -> bool:
    chosen = os.environ.get("QT_QPA_PLATFORM", "")
    return bool(os.environ.get("WAYLAND_DISPLAY")) and chosen.split(":")[0] in ("", "wayland")


async def _told_scale() -> float:
    # Loaded late: only Wayland needs it.
    from rook_tally.notify.session_bus import SessionBus

    bus = SessionBus()
    try:
        (told,) = await bus.called(
            "org.freedesktop.portal.Desktop",
            "/org/freedesktop/portal/desktop",
            "org.freedesktop.portal.Settings",
            "Read",
            "ss",
            ("org.gnome.desktop.interface", "text-scaling-factor"),
        )
    finally:
        bus.close()
    # The portal's first version wraps the value twice.
    while hasattr(told, "value"):
        told = told.value
    return float(told)
