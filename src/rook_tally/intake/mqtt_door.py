"""The MQTT door: `rook/<station>/readings` at a broker, acknowledged only after the commit.

The broker keeps a lasting session for the store: what arrives while no collector is there, or is
not acknowledged because one died, is delivered again.
"""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from typing import Any

import paho.mqtt.client as mqtt
import structlog
from paho.mqtt.enums import CallbackAPIVersion

from rook_tally.core.errors import StoreError
from rook_tally.intake.addresses import OutsideBroker
from rook_tally.intake.message import Message
from rook_tally.intake.outlet import DoorReport, Reception
from rook_tally.store import DoorState

READINGS_TOPIC = "rook/+/readings"
_QOS = 1
_KEEPALIVE_S = 30
_SHORTEST_PAUSE_S, _LONGEST_PAUSE_S = 1, 15

_log = structlog.get_logger(__name__)


class MqttDoor:
    """A client of one broker; tries again by itself for as long as it is open.

    `session` names the lasting session: the same for a store at every start.
    """

    def __init__(
        self, broker: OutsideBroker, *, session: str, reception: Reception, report: DoorReport,
        clock: Callable[[], int],
    ) -> None:  # fmt: skip
        self._broker = broker
        self._reception = reception
        self._report = report
        self._clock = clock
        self._loop = asyncio.get_running_loop()
        self._taking: set[asyncio.Task[None]] = set()
        self._closing = False
        self._heard = asyncio.Event()
        self._client = mqtt.Client(
            CallbackAPIVersion.VERSION2, client_id=session, clean_session=False, manual_ack=True
        )
        if broker.user is not None:
            self._client.username_pw_set(broker.user, broker.password)
        if broker.tls:
            self._client.tls_set()
        self._client.reconnect_delay_set(_SHORTEST_PAUSE_S, _LONGEST_PAUSE_S)
        self._client.on_connect = self._on_connect
        self._client.on_connect_fail = self._on_connect_fail
        self._client.on_disconnect = self._on_disconnect
        self._client.on_subscribe = self._on_subscribe
        self._client.on_message = self._on_message

    async def open(self, *, patience_s: float) -> None:
        """Begin to connect; returns when subscribed, or failed once, or patience ends."""
        endpoint = self._broker.endpoint
        self._client.connect_async(endpoint.host, endpoint.port, keepalive=_KEEPALIVE_S)
        self._client.loop_start()
        try:
            await asyncio.wait_for(self._heard.wait(), patience_s)
        except TimeoutError:
            self._tell(DoorState.TRYING, f"no answer from {endpoint} yet")

    async def close(self) -> None:
        """Stop taking messages; those under way are committed and acknowledged first."""
        self._closing = True
        if self._taking:
            await asyncio.wait(self._taking)
        self._client.disconnect()
        await asyncio.to_thread(self._client.loop_stop)

    # The callbacks below run in paho's thread.

    def _on_connect(
        self, client: mqtt.Client, _data: Any, _flags: Any, reason: Any, _properties: Any
    ) -> None:
        if reason.is_failure:
            self._from_thread(
                self._tell, DoorState.TRYING, f"{self._broker.endpoint} refuses us: {reason}"
            )
            return
        client.subscribe(READINGS_TOPIC, qos=_QOS)

    def _on_subscribe(
        self, _client: mqtt.Client, _data: Any, _mid: int, _reasons: Any, _properties: Any
    ) -> None:
        self._from_thread(self._tell, DoorState.OPEN, "")

    def _on_connect_fail(self, _client: mqtt.Client, _data: Any) -> None:
        self._from_thread(
            self._tell, DoorState.TRYING, f"no broker answers at {self._broker.endpoint}"
        )

    def _on_disconnect(
        self, _client: mqtt.Client, _data: Any, _flags: Any, _reason: Any, _properties: Any
    ) -> None:
        if not self._closing:
            self._from_thread(
                self._tell, DoorState.TRYING, f"the broker at {self._broker.endpoint} went away"
            )

    def _on_message(self, _client: mqtt.Client, _data: Any, message: mqtt.MQTTMessage) -> None:
        arrived_us = self._clock()
        self._from_thread(self._begin_taking, message, arrived_us)

    def _from_thread(self, call: Callable[..., None], *arguments: object) -> None:
        if not self._loop.is_closed():
            self._loop.call_soon_threadsafe(call, *arguments)

    # From here on in the event loop.

    def _tell(self, state: DoorState, detail: str) -> None:
        self._heard.set()
        self._report(state, detail)

    def _begin_taking(self, message: mqtt.MQTTMessage, arrived_us: int) -> None:
        if self._closing:
            return  # not acknowledged: the broker delivers it to the next collector
        task = asyncio.create_task(self._take(message, arrived_us))
        self._taking.add(task)
        task.add_done_callback(self._taking.discard)

    async def _take(self, message: mqtt.MQTTMessage, arrived_us: int) -> None:
        station = message.topic.split("/")[1]
        if message.retain:
            # The broker's last known value, sent on subscribing: when it was measured is unknown.
            _log.info("retained_reading_left_out", topic=message.topic)
        else:
            taken = Message(
                door="mqtt", address=message.topic, body=bytes(message.payload),
                arrived_us=arrived_us, station=station,
            )  # fmt: skip
            if not await self._kept(taken):
                return
        self._client.ack(message.mid, message.qos)

    async def _kept(self, message: Message) -> bool:
        """Offer a message until the store takes it; False when the door closes before that."""
        pause_s = 0.2
        while True:
            try:
                answer = await self._reception.take(message)
            except StoreError as error:
                if self._closing:
                    return False
                _log.warning("store_failed", topic=message.address, error=str(error))
                await asyncio.sleep(pause_s)
                pause_s = min(pause_s * 2, 10.0)
            else:
                if answer.stray or answer.refused:
                    _log.info(
                        "not_all_kept", topic=message.address, stray=answer.stray,
                        why=answer.why or [one.why for one in (*answer.refused, *answer.strays)],
                    )  # fmt: skip
                return True
