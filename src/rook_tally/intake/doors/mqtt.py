"""The MQTT door: `rook/<station>/…` and other people's topics at a broker, acknowledged only after
the commit.

The broker keeps a lasting session: what arrives while no collector is there, or is not acknowledged
because one died, is delivered again. One collector of a store takes in what comes, the others stand
by and only publish: shared subscriptions would split the load, but a broker may forget them when it
is restarted, and lets what it acknowledges until we are back fall.
"""

from __future__ import annotations

import asyncio
import enum
import socket
import ssl
from collections import deque
from collections.abc import Callable, Sequence
from functools import partial
from typing import Any

import paho.mqtt.client as mqtt
import structlog
from paho.mqtt.enums import CallbackAPIVersion, MQTTProtocolVersion
from paho.mqtt.packettypes import PacketTypes
from paho.mqtt.properties import Properties

from rook_tally.core.errors import DoorError, StoreError
from rook_tally.core.timestamps import SECOND_US
from rook_tally.intake.addresses import OutsideBroker
from rook_tally.intake.bounds import LARGEST_MESSAGE, MOST_WAITING, MOST_WAITING_BYTES
from rook_tally.intake.door_protocols import DoorReport, Reception
from rook_tally.intake.message import IntakeResult, Message
from rook_tally.intake.pipeline.room import Room
from rook_tally.intake.topics import TopicPattern
from rook_tally.store.site import CONTROL_PREFIX, STATUS, DoorState

_READINGS, _STATUS, _CONTROLS = "rook/+/readings", "rook/+/status", "rook/+/controls/+"
_PUBLISH_S = 10.0
# A packet holds its topic too.
_PACKET_MORE = 16 * 1024
_MOST_UNDER_WAY = 2_000
_QOS = 1
_KEEPALIVE_S = 30
_KNOCK_S = 3.0
# So long a full door hears nothing more; less than the broker waits for a sign of life.
_PAUSE_S = 5.0
_MOST_TOPICS_TOLD = 1000
_SHORTEST_PAUSE_S, _LONGEST_PAUSE_S = 1, 15
# So long a broker keeps the session of a collector that is away: a month.
_SESSION_S = 30 * 86_400
# A broker that speaks only 3.1.1 says so, or goes away without a word.
_OLDER_PLEASE = frozenset({1, 132})

_log = structlog.get_logger(__name__)


class SessionUse(enum.Enum):
    """The purpose of a door at its broker."""

    TAKING = "taking"
    """It takes in what comes, by a session that lasts."""
    STANDING_BY = "standing by"
    """It publishes alone; another collector takes in."""
    LEAVING = "leaving"
    """It takes what is left in a session that is used no more, and ends that."""


class MqttDoor:
    """A client of one broker; tries again by itself for as long as it is open.

    `session` names its session: the same for a store at every start where it is to last. `group`
    is that of the shared subscriptions which such a session had before they were given up.
    """

    def __init__(
        self,
        broker: OutsideBroker,
        *,
        session: str,
        group: str,
        reception: Reception,
        report: DoorReport,
        clock: Callable[[], int],
        use: SessionUse = SessionUse.TAKING,
    ) -> None:
        self._broker = broker
        self._session, self._group = session, group
        self._reception = reception
        self._report = report
        self._clock = clock
        self._use = use
        self._loop = asyncio.get_running_loop()
        self._taking: set[asyncio.Task[None]] = set()
        self._room = Room(MOST_WAITING, MOST_WAITING_BYTES)
        self._newest_us = clock()
        self._arrived: deque[tuple[mqtt.MQTTMessage, int]] = deque()
        self._is_woken = False
        self._has_said_too_many = False
        self._closing = False
        self._heard = asyncio.Event()
        self._patterns: tuple[TopicPattern, ...] = ()
        self._is_connected = False
        # By topic, why what it brings is not all kept, as was said last.
        self._not_kept: dict[str, str] = {}
        # The client library takes half as long again over MQTT 5, which our own broker does not
        # need: it knows shared subscriptions and lasting sessions by 3.1.1 as well.
        older, newer = MQTTProtocolVersion.MQTTv311, MQTTProtocolVersion.MQTTv5
        self._client = self._made(older if broker.is_own else newer)

    def _made(self, version: MQTTProtocolVersion) -> mqtt.Client:
        is_new = version is MQTTProtocolVersion.MQTTv5
        client = mqtt.Client(
            CallbackAPIVersion.VERSION2,
            client_id=self._session,
            protocol=version,
            clean_session=None if is_new else self._use is SessionUse.STANDING_BY,
            manual_ack=True,
        )
        broker = self._broker
        if broker.user is not None:
            client.username_pw_set(broker.user, broker.password)
        if broker.tls:
            client.tls_set_context(client_tls(broker))
        client.reconnect_delay_set(_SHORTEST_PAUSE_S, _LONGEST_PAUSE_S)
        client.on_connect = self._on_connect
        client.on_connect_fail = self._on_connect_fail
        client.on_disconnect = self._on_disconnect
        client.on_message = self._on_message
        return client

    async def open(self, *, patience_s: float) -> None:
        """Begin to connect; returns when subscribed, or failed once, or patience ends."""
        self._begin()
        try:
            await asyncio.wait_for(self._heard.wait(), patience_s)
        except TimeoutError:
            self._tell(DoorState.TRYING, f"no answer from {self._broker.endpoint} yet")

    def _begin(self) -> None:
        endpoint = self._broker.endpoint
        more: dict[str, Any] = {}
        if self._client.protocol == MQTTProtocolVersion.MQTTv5:
            lasting: Any = Properties(PacketTypes.CONNECT)  # type: ignore[no-untyped-call]
            stands_by = self._use is SessionUse.STANDING_BY
            lasting.SessionExpiryInterval = 0 if stands_by else _SESSION_S
            lasting.MaximumPacketSize = LARGEST_MESSAGE + _PACKET_MORE
            lasting.ReceiveMaximum = _MOST_UNDER_WAY
            more = {"clean_start": stands_by, "properties": lasting}
        self._client.connect_async(endpoint.host, endpoint.port, keepalive=_KEEPALIVE_S, **more)
        self._client.loop_start()

    async def close(self) -> None:
        """Stop taking messages; those under way are committed and acknowledged first. One that was
        leaving ends its session."""
        self._closing = True
        self._room.open()
        if self._taking:
            await asyncio.wait(self._taking)
        if self._use is SessionUse.LEAVING and self._client.protocol == MQTTProtocolVersion.MQTTv5:
            ended: Any = Properties(PacketTypes.DISCONNECT)  # type: ignore[no-untyped-call]
            ended.SessionExpiryInterval = 0
            self._client.disconnect(properties=ended)
        else:
            self._client.disconnect()
        await asyncio.to_thread(self._client.loop_stop)

    def is_quiet_since(self, seconds: float) -> bool:
        """True if nothing has come for so long, and nothing is being taken in."""
        return not self._taking and self._clock() - self._newest_us > seconds * SECOND_US

    def take_topics(self, patterns: Sequence[TopicPattern]) -> None:
        """Take in other people's topics too, from now on these."""
        before, self._patterns = self._patterns, tuple(patterns)
        if not self._is_connected or self._use is not SessionUse.TAKING:
            return
        gone = [one for one in before if one not in self._patterns]
        if gone:
            self._client.unsubscribe([one.filter for one in gone])
        self._subscribe([one for one in self._patterns if one not in before])

    @property
    def is_open(self) -> bool:
        """True if the broker is there."""
        return self._is_connected

    def set_control(self, station: str, name: str, value: str, for_s: float | None = None) -> None:
        """Hand a control's value to the broker, and before it for how long it is to hold."""
        topic = f"rook/{station}/controls/{name}"
        if for_s is not None:
            self._client.publish(f"{topic}/for", f"{for_s:g}", qos=_QOS)
        self._client.publish(f"{topic}/set", value, qos=_QOS)

    async def publish(self, topic: str, body: bytes) -> None:
        """Publish a message; returns once the broker has it.

        Raises
        ------
        DoorError
            When it did not take it.
        """
        if not self._is_connected:
            raise DoorError(f"the broker at {self._broker.endpoint} is not there")
        info = self._client.publish(topic, body, qos=_QOS)
        await asyncio.to_thread(info.wait_for_publish, _PUBLISH_S)
        if not info.is_published():
            raise DoorError(f"the broker at {self._broker.endpoint} did not take the message")

    def _shared(self, topics: str) -> str:
        return f"$share/{self._group}/{topics}"

    def _subscribe(self, patterns: Sequence[TopicPattern]) -> None:
        if patterns:
            self._client.subscribe([(one.filter, _QOS) for one in patterns])
            self._client.unsubscribe([self._shared(one.filter) for one in patterns])

    # The callbacks run in paho's thread and only pass on.

    def _on_connect(
        self, client: mqtt.Client, _data: Any, _flags: Any, reason: Any, _properties: Any
    ) -> None:
        if reason.is_failure:
            if reason.value in _OLDER_PLEASE and client.protocol == MQTTProtocolVersion.MQTTv5:
                self._from_thread(self._speak_older)
                return
            self._from_thread(
                self._tell,
                DoorState.TRYING,
                f"the broker at {self._broker.endpoint} refused us: {reason}",
            )
            return
        self._is_connected = True
        if self._use is SessionUse.TAKING:
            # First what stays, then what was: at every instant somebody hears what comes.
            client.subscribe([(_READINGS, _QOS), (_STATUS, _QOS), (_CONTROLS, _QOS)])
            client.unsubscribe([self._shared(_READINGS)])
            self._subscribe(self._patterns)
        elif self._use is SessionUse.LEAVING:
            client.unsubscribe([self._shared(_READINGS), _READINGS, _STATUS, _CONTROLS])
        self._from_thread(self._tell, DoorState.OPEN, "")

    def _on_connect_fail(self, _client: mqtt.Client, _data: Any) -> None:
        self._from_thread(self._tell, DoorState.TRYING, why_not(self._broker))

    def _on_disconnect(
        self, _client: mqtt.Client, _data: Any, _flags: Any, _reason: Any, _properties: Any
    ) -> None:
        self._is_connected = False
        if not self._closing:
            self._from_thread(
                self._tell, DoorState.TRYING, f"the broker at {self._broker.endpoint} went away"
            )

    def _on_message(self, _client: mqtt.Client, _data: Any, message: mqtt.MQTTMessage) -> None:
        # While this thread waits nothing is read, and the broker holds what it has. It is told how
        # many unacknowledged messages it may hand out, and hands out more (Mosquitto 2.0.11).
        if not self._room.wait(_PAUSE_S) and message.qos == 0:
            self._from_thread(self._say_too_many)
            return
        self._room.enter(len(message.payload))
        self._arrived.append((message, self._clock()))
        # Waking the loop costs a system call: once for all that come before it has looked.
        if not self._is_woken:
            self._is_woken = True
            self._from_thread(self._begin_taking)

    def _from_thread(self, call: Callable[..., None], *arguments: object) -> None:
        if not self._loop.is_closed():
            self._loop.call_soon_threadsafe(call, *arguments)

    # From here on in the event loop.

    def _speak_older(self) -> None:
        """Begin again with MQTT 3.1.1, which old brokers know alone."""
        _log.info("mqtt_older", broker=str(self._broker.endpoint))
        old = self._client
        old.on_disconnect = None
        self._client = self._made(MQTTProtocolVersion.MQTTv311)

        async def stop() -> None:
            await asyncio.to_thread(old.loop_stop)

        task = asyncio.create_task(stop())
        self._taking.add(task)
        task.add_done_callback(self._taking.discard)
        self._begin()

    def _say_too_many(self) -> None:
        if not self._has_said_too_many:
            self._has_said_too_many = True
            _log.warning("too_many_waiting", most=MOST_WAITING)
        self._report(
            DoorState.TRYING,
            f"more than {MOST_WAITING} messages wait; some sent without acknowledgement were lost",
        )

    def _tell(self, state: DoorState, detail: str) -> None:
        self._heard.set()
        self._report(state, detail)

    def _begin_taking(self) -> None:
        self._is_woken = False
        while self._arrived:
            message, arrived_us = self._arrived.popleft()
            if self._closing:
                continue  # not acknowledged: the broker delivers it to the next collector
            self._newest_us = arrived_us
            task = asyncio.create_task(self._take(message, arrived_us))
            self._taking.add(task)
            task.add_done_callback(partial(self._has_taken, len(message.payload)))

    def _has_taken(self, size: int, task: asyncio.Task[None]) -> None:
        self._taking.discard(task)
        self._room.leave(size)

    async def _take(self, message: mqtt.MQTTMessage, arrived_us: int) -> None:
        taken = _message_from(message.topic, bytes(message.payload), arrived_us)
        if message.retain and taken.field is None:
            # The broker's last known value, sent on subscribing: when it was measured is unknown.
            _log.info("retained_reading_left_out", topic=message.topic)
        elif (taken.body or taken.field is None) and not await self._kept(taken):
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
                self._say_what_was_not_kept(message.address, answer)
                return True

    def _say_what_was_not_kept(self, topic: str, answer: IntakeResult) -> None:
        """Once, until it is for another reason: who sends every ten seconds and is never taken in
        fills no log. Every message is on the tape."""
        reasons = dict.fromkeys(one.why for one in (*answer.refused, *answer.strays))
        why = answer.why or "; ".join(reasons)
        if not (answer.stray or answer.refused):
            self._not_kept.pop(topic, None)
        elif self._not_kept.get(topic) != why:
            if len(self._not_kept) >= _MOST_TOPICS_TOLD:
                self._not_kept.clear()
            self._not_kept[topic] = why
            _log.info("not_all_kept", topic=topic, stray=answer.stray, why=why)


def _message_from(topic: str, body: bytes, arrived_us: int) -> Message:
    """A message by its topic; whose it is on other people's topics is resolved later."""
    station = field = None
    parts = topic.split("/")
    if parts[0] == "rook" and len(parts) >= 3:
        station = parts[1]
        if parts[2] == "status":
            field = STATUS
        elif parts[2] == "controls" and len(parts) > 3:
            field = f"{CONTROL_PREFIX}{parts[3]}"
    return Message("mqtt", topic, body, arrived_us, station=station, field=field)


def why_not(broker: OutsideBroker) -> str:
    """Why there is no connection, found out by knocking once: the client library does not say."""
    where = broker.endpoint
    try:
        with socket.create_connection((where.host, where.port), _KNOCK_S) as knocking:
            if broker.tls:
                client_tls(broker).wrap_socket(knocking, server_hostname=where.host).close()
    except ssl.SSLCertVerificationError as error:
        return f"the certificate of the broker at {where} is not trusted: {error.verify_message}"
    except ssl.SSLError as error:
        return f"the broker at {where} speaks no TLS, or asks for a certificate: {error.reason}"
    except OSError:
        return f"no broker answers at {where}"
    return f"the broker at {where} closed the connection"


def client_tls(broker: OutsideBroker) -> ssl.SSLContext:
    """The TLS context that trusts a broker, with our own certificate if it wants one.

    Raises
    ------
    DoorError
        When a certificate cannot be read or used.
    """
    try:
        context = ssl.create_default_context(
            cafile=None if broker.authority is None else str(broker.authority)
        )
        if broker.is_own:
            context.check_hostname = False
            context.verify_mode = ssl.CERT_NONE
        if broker.certificate is not None:
            context.load_cert_chain(broker.certificate.chain, broker.certificate.key)
    except (OSError, ssl.SSLError) as error:
        raise DoorError(
            f"the certificates for {broker.endpoint} cannot be used: {error.strerror or error}",
            remedy="check the files of --broker-ca, --broker-cert and --broker-key",
        ) from error
    return context
