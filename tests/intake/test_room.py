"""What waits at a door is bounded, however fast others send."""

from __future__ import annotations

import asyncio
import threading
from collections.abc import Callable
from pathlib import Path

import paho.mqtt.client as mqtt
from hypothesis import given
from hypothesis import strategies as st
from paho.mqtt.enums import CallbackAPIVersion

from rook_tally.clock import now_us
from rook_tally.intake.addresses import Endpoint, OutsideBroker
from rook_tally.intake.bounds import MOST_WAITING
from rook_tally.intake.doors.mqtt import MqttDoor
from rook_tally.intake.message import IntakeResult, Message
from rook_tally.intake.pipeline.room import Room
from rook_tally.store.site import DoorState
from tests.collector.test_mqtt_link import free_port, mosquitto
from tests.processes import PATIENCE_S, wait_until

_MESSAGES = 3 * MOST_WAITING


@given(st.lists(st.integers(0, 50), max_size=30))
def test_it_is_full_by_number_or_by_size_and_empty_again_at_the_end(sizes: list[int]) -> None:
    room = Room(10, 100)
    for count, size in enumerate(sizes, start=1):
        room.enter(size)
        assert len(room) == count
        assert room.is_full == (count >= 10 or sum(sizes[:count]) >= 100)
    for size in sizes:
        room.leave(size)
    assert len(room) == 0
    assert room.wait(0.0)


def test_who_waits_goes_on_once_half_is_free_and_not_before() -> None:
    room = Room(4, 1000)
    for _ in range(4):
        room.enter(1)
    gone_on = threading.Event()

    def wait() -> None:
        if room.wait(PATIENCE_S):
            gone_on.set()

    thread = threading.Thread(target=wait)
    thread.start()
    wait_until(lambda: not room.wait(0.0))
    room.leave(1)
    assert not gone_on.is_set()
    room.leave(1)
    thread.join(PATIENCE_S)
    assert gone_on.is_set()


class _SlowReception:
    """Takes nothing in before it is let."""

    def __init__(self) -> None:
        self.asked = 0
        # By what they say: a broker that lost sight of the door hands some out again.
        self.taken: set[bytes] = set()
        self.let = asyncio.Event()

    async def take(self, message: Message) -> IntakeResult:
        self.asked += 1
        await self.let.wait()
        self.taken.add(message.body)
        # A breath now and then, so that acknowledgements go out while more comes in.
        if len(self.taken) % 100 == 0:
            await asyncio.sleep(0)
        return IntakeResult(kept=1)


def test_a_sender_faster_than_the_store_leaves_the_rest_at_the_broker(tmp_path: Path) -> None:
    """The broker is asked to hand out few and does not; it is not read, then. Nothing is lost."""
    port = free_port()
    more = "max_queued_messages 0\nmax_queued_bytes 0\nmax_inflight_messages 0\n"

    async def look() -> None:
        reception = _SlowReception()
        door = MqttDoor(
            OutsideBroker(Endpoint("127.0.0.1", port), is_own=True),
            session="slow",
            group="slow",
            reception=reception,
            report=_unheard,
            clock=lambda: now_us(),
        )
        await door.open(patience_s=PATIENCE_S)
        await asyncio.to_thread(_send, port)
        await _until(lambda: reception.asked >= MOST_WAITING)
        assert reception.asked <= MOST_WAITING + 2
        reception.let.set()
        await _until(lambda: len(reception.taken) == _MESSAGES)
        await door.close()

    with mosquitto(port, tmp_path / "broker", more):
        asyncio.run(look())


def _unheard(state: DoorState, detail: str = "") -> None:
    pass


def _send(port: int) -> None:
    sender = mqtt.Client(CallbackAPIVersion.VERSION2, client_id="fast")
    sender.max_inflight_messages_set(500)
    sender.connect("127.0.0.1", port)
    sender.loop_start()
    sent = [sender.publish("rook/fast/readings", f"{n}", qos=1) for n in range(_MESSAGES)]
    for one in sent:
        one.wait_for_publish(PATIENCE_S)
    sender.disconnect()
    sender.loop_stop()


async def _until(is_so: Callable[[], bool]) -> None:
    await asyncio.to_thread(wait_until, is_so, within_s=4 * PATIENCE_S)
