"""Notifications on the desktop, by the freedesktop notification service, with buttons."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from html import escape
from typing import Any

import msgspec

from rook_tally.core.alarms.channels import Channel, Notice, NoticeReason
from rook_tally.core.quantities.levels import Level
from rook_tally.core.timestamps import HOUR_US
from rook_tally.notify.notifier import ActionError
from rook_tally.notify.session_bus import NoBusError, RefusedError, SessionBus
from rook_tally.store.base import Store
from rook_tally.store.site import AlarmWish, RequestKind, create_request

_SERVICE = "org.freedesktop.Notifications"
_PATH = "/org/freedesktop/Notifications"
_ACKNOWLEDGE, _SHELVE = "acknowledge", "shelve"
_WHO = "desktop notification"
_SHELVED_US = HOUR_US


class Desktop:
    """Shows notices on the desktop of who runs the collector; what is over takes its place."""

    def __init__(self, store: Store, clock: Callable[[], int]) -> None:
        self._store, self._clock = store, clock
        self._bus = SessionBus()
        self._bus.hear(_SERVICE, self._on_message)
        # By the service's number the alarm that a notification is of, and the other way round.
        self._alarms: dict[int, tuple[str, int | None]] = {}
        self._numbers: dict[tuple[str, int | None], int] = {}
        self._asking: set[asyncio.Task[None]] = set()

    async def tell(self, way: Channel, notice: Notice) -> str:
        """Show a notice."""
        from dbus_fast import Variant

        alarm = notice.watch, notice.series_id
        calls = notice.event not in (
            NoticeReason.CLEARED,
            NoticeReason.DIGEST,
            NoticeReason.MANY,
            NoticeReason.TRIAL,
        )
        buttons = [_ACKNOWLEDGE, "Acknowledge", _SHELVE, "Shelve for an hour"] if calls else []
        urgency = 2 if calls and notice.level >= Level.HIGH else 1
        hints = {"urgency": Variant("y", urgency), "desktop-entry": Variant("s", "rook-tally")}
        # Some services take a text for markup: a name is none.
        text = escape(notice.text, quote=False) if await self._takes_markup() else notice.text
        (number,) = await self._called(
            "Notify",
            "susssasa{sv}i",
            "Rook Tally",
            self._numbers.get(alarm, 0),
            "rook-tally",
            notice.title,
            text,
            buttons,
            hints,
            -1,
        )
        self._numbers[alarm] = number
        self._alarms[number] = alarm
        return "shown on the desktop"

    async def _takes_markup(self) -> bool:
        """True if the service reads a text as markup, or does not say."""
        try:
            (told,) = await self._called("GetCapabilities")
        except ActionError:
            return True
        return "body-markup" in told

    async def _called(self, member: str, signature: str = "", *body: Any) -> list[Any]:
        try:
            return await self._bus.called(_SERVICE, _PATH, _SERVICE, member, signature, body)
        except NoBusError as error:
            raise ActionError("there is no desktop to tell, nobody is logged in") from error
        except RefusedError as error:
            raise ActionError(f"the desktop shows no notifications: {error}") from error

    def _on_message(self, message: Any) -> None:
        if message.interface != _SERVICE or not message.body:
            return
        if message.member == "NotificationClosed":
            alarm = self._alarms.pop(message.body[0], None)
            if alarm is not None:
                self._numbers.pop(alarm, None)
        elif message.member == "ActionInvoked":
            alarm = self._alarms.get(message.body[0])
            if alarm is not None:
                task = asyncio.create_task(self._ask(message.body[1], *alarm))
                self._asking.add(task)
                task.add_done_callback(self._asking.discard)

    async def _ask(self, button: str, watch: str, series_id: int | None) -> None:
        await asyncio.to_thread(self._asked, button, watch, series_id)

    def _asked(self, button: str, watch: str, series_id: int | None) -> None:
        now_us = self._clock()
        sort, wish = RequestKind.ACKNOWLEDGE, AlarmWish()
        if button == _SHELVE:
            sort, wish = RequestKind.SHELVE, AlarmWish(until_us=now_us + _SHELVED_US)
        with self._store.write() as connection:
            create_request(
                connection,
                sort,
                watch,
                "" if series_id is None else str(series_id),
                msgspec.json.encode(wish).decode(),
                who=_WHO,
                now_us=now_us,
            )

    async def close(self) -> None:
        """Leave the bus."""
        if self._asking:
            await asyncio.wait(self._asking)
        self._bus.close()
