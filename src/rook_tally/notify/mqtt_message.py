"""A message to an MQTT topic, by the broker that the collector is connected to."""

from __future__ import annotations

from collections.abc import Awaitable, Callable

import msgspec

from rook_tally.core.alarms.channels import Channel, Notice
from rook_tally.core.errors import DoorError
from rook_tally.notify.notifier import ActionError
from rook_tally.notify.webhook import event_of

Publish = Callable[[str, bytes], Awaitable[None]]


class MqttMessage:
    """Publishes notices, in the same form as webhooks get them."""

    def __init__(self, publish: Publish | None) -> None:
        self._publish = publish

    async def tell(self, way: Channel, notice: Notice) -> str:
        """Publish a notice on the way's topic, at QoS 1."""
        if self._publish is None:
            raise ActionError("MQTT is closed here", remedy="open it, or choose another way")
        try:
            await self._publish(way.topic, msgspec.json.encode(event_of(notice)))
        except DoorError as error:
            raise ActionError(str(error)) from error
        return f"published on {way.topic}"

    async def close(self) -> None:
        """The connection is the collector's."""
