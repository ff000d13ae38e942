"""Rollouts moved on by the collector: journal, stopping, and offers told over MQTT."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import Iterator

import pytest
import sqlalchemy as sa

from rook_tally.collector.firmware_loop import FirmwareLoop, move_on
from rook_tally.core.errors import DoorError
from rook_tally.core.firmware.rollout import Rollout, RolloutStage, RolloutState
from rook_tally.core.quantities.kinds import KINDS
from rook_tally.store.alarms import journal
from rook_tally.store.base import Store, schema
from rook_tally.store.site import add_station, note_heard
from rook_tally.store.site.firmware import (
    ImageDraft,
    add_image,
    image_called,
    rollout_of,
    signing_key,
)
from rook_tally.store.site.firmware_rollouts import (
    AskingStation,
    begin_rollout,
    note_asked,
    note_fetched,
    station_of_key,
)
from rook_tally.store.site.heard import listening_since
from rook_tally.store.site.leases import Leases
from tests.builders import MINUTE_US, NOON_US

KIND = "substrate-probe"


@pytest.fixture
def posts(store: Store) -> Iterator[list[AskingStation]]:
    """Two stations that ask, and an image that the first is offered."""
    with store.write() as connection:
        listening_since(connection, now_us=NOON_US)
        keys = [
            add_station(connection, name, place="Yard", kind=KINDS[KIND], cadence_s=60)
            for name in ("post-1", "post-2")
        ]
        found = [one for key in keys if (one := station_of_key(connection, key)) is not None]
        for one in found:
            note_asked(connection, one, "1.0", NOON_US)
        add_image(connection, ImageDraft(KIND, "1.1", b"image"), who="me", now_us=NOON_US)
        begin_rollout(connection, KIND, "", Rollout(0, watch_s=600), now_us=NOON_US)
    yield found


def _state(store: Store) -> Rollout:
    with store.read() as connection:
        told = rollout_of(connection, KIND)
    assert told is not None
    return told


def _journal(store: Store) -> list[str]:
    with store.read() as connection:
        return [f"{one.name} {one.words}" for one in journal(connection)]


def _take(store: Store, one: AskingStation, at_us: int, *, version: str = "1.1") -> None:
    with store.write() as connection:
        image = image_called(connection, KIND, "1.1")
        note_fetched(connection, one, image, at_us)
        note_asked(connection, one, version, at_us + MINUTE_US)


def test_a_rollout_goes_on_and_says_so(store: Store, posts: list[AskingStation]) -> None:
    first, second = posts
    assert set(move_on(store, NOON_US)) == {"post-1"}
    _take(store, first, NOON_US)
    with store.write() as connection:
        note_heard(connection, {one.id: NOON_US + 15 * MINUTE_US for one in posts})
    assert move_on(store, NOON_US + 15 * MINUTE_US) == {}
    assert _state(store).stage is RolloutStage.SHARE
    move_on(store, NOON_US + 15 * MINUTE_US)
    assert _state(store).stage is RolloutStage.ALL
    _take(store, second, NOON_US + 15 * MINUTE_US)
    with store.write() as connection:
        note_heard(connection, {one.id: NOON_US + 30 * MINUTE_US for one in posts})
    move_on(store, NOON_US + 30 * MINUTE_US)
    assert _state(store).state is RolloutState.DONE
    assert _journal(store) == [
        f"{KIND} firmware 1.1: all that asked run it",
        f"{KIND} firmware 1.1 is offered to all stations",
        f"{KIND} firmware 1.1 is offered to a share of the stations",
    ]


def test_it_stops_when_who_took_it_falls_silent(store: Store, posts: list[AskingStation]) -> None:
    with store.write() as connection:
        note_fetched(connection, posts[0], image_called(connection, KIND, "1.1"), NOON_US)
    move_on(store, NOON_US + 4 * MINUTE_US)
    assert _state(store).state is RolloutState.RUNNING
    assert move_on(store, NOON_US + 6 * MINUTE_US) == {}
    assert _state(store).state is RolloutState.STOPPED
    assert _journal(store) == [f"{KIND} firmware 1.1 was stopped: post-1 fell silent"]


def test_it_stops_when_the_image_is_not_what_was_signed(
    store: Store, posts: list[AskingStation]
) -> None:
    assert posts
    with store.write() as connection:
        connection.execute(sa.update(schema.firmware_piece).values(body=b"other"))
    assert move_on(store, NOON_US) == {}
    assert _state(store).why == "the image is not what the site's key signed"


def test_each_station_is_told_once_over_mqtt_and_again_when_the_broker_was_away(
    store: Store, posts: list[AskingStation]
) -> None:
    assert posts
    told: list[tuple[str, bytes]] = []
    tries = 0

    async def publish(topic: str, body: bytes) -> None:
        nonlocal tries
        tries += 1
        if tries == 1:
            raise DoorError("the broker is not there yet")
        told.append((topic, body))

    async def run() -> None:
        loop = FirmwareLoop(
            Leases(store, "one"),
            clock=lambda: NOON_US,
            clock_is_set=lambda: True,
            publish=publish,
            every_s=0.01,
        )
        running = asyncio.create_task(loop.run())
        while not told:
            await asyncio.sleep(0.01)
        for _ in range(5):
            await asyncio.sleep(0.01)
        running.cancel()
        with contextlib.suppress(asyncio.CancelledError):
            await running

    asyncio.run(run())
    assert [topic for topic, _ in told] == ["rook/post-1/firmware"]
    assert b"version: 1.1\n" in told[0][1]
    with store.read() as connection:
        assert signing_key(connection) is not None
