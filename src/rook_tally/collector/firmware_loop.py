"""Firmware given out in steps: one collector at a time looks how the stations took it, goes a step
further or stops, and tells stations over MQTT what they are offered."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable

import msgspec
import structlog
from sqlalchemy.engine import Connection

from rook_tally.collector.leases import look_while_held
from rook_tally.core.alarms.journal import Entry, JournalKind
from rook_tally.core.errors import DoorError
from rook_tally.core.firmware.images import image_offer
from rook_tally.core.firmware.rollout import Rollout, RolloutState, next_of, offered_to
from rook_tally.store.alarms import write_journal
from rook_tally.store.base import Store
from rook_tally.store.site.firmware import ensure_signing_key, is_intact, rollouts, signing_key
from rook_tally.store.site.firmware_rollouts import FirmwareOfKind, firmware_of, set_rollout
from rook_tally.store.site.heard import listened_since
from rook_tally.store.site.leases import Leases, Role

_LOOK_S = 5.0
_NOT_INTACT = "the image is not what the site's key signed"
Publish = Callable[[str, bytes], Awaitable[None]]

_log = structlog.get_logger(__name__)


class FirmwareLoop:
    """Moves rollouts on. `publish` gives a message to the broker; None where there is none."""

    def __init__(
        self,
        duties: Leases,
        *,
        clock: Callable[[], int],
        clock_is_set: Callable[[], bool],
        publish: Publish | None,
        every_s: float = _LOOK_S,
    ) -> None:
        self._duties, self._clock, self._clock_is_set = duties, clock, clock_is_set
        self._publish, self._every_s = publish, every_s
        # What each station was told over MQTT.
        self._told: dict[str, str] = {}

    async def run(self) -> None:
        """Look again and again while that is ours to do, until cancelled. The site has its key
        before any program is generated that is to know it."""
        await asyncio.to_thread(self._ensure_key)
        await look_while_held(self._duties, Role.FIRMWARE, self._look, every_s=self._every_s)

    def _ensure_key(self) -> None:
        store = self._duties.store
        with store.read() as connection:
            is_there = signing_key(connection) is not None
        if not is_there:
            with store.write() as connection:
                ensure_signing_key(connection)

    async def _look(self, store: Store) -> None:
        if not self._clock_is_set():
            return
        offers = await asyncio.to_thread(move_on, store, self._clock())
        if self._publish is None:
            return
        for station, text in offers.items():
            if self._told.get(station) == text:
                continue
            try:
                await self._publish(f"rook/{station}/firmware", text.encode())
            except DoorError as error:
                _log.info("firmware_not_told", station=station, why=str(error))
                return
            self._told[station] = text
        self._told = {name: text for name, text in self._told.items() if name in offers}


def move_on(store: Store, now_us: int) -> dict[str, str]:
    """Move every rollout on that is to be; returns what stations are offered now, by name."""
    with store.read() as connection:
        told = rollouts(connection)
        if not told:
            return {}
        moved = {kind: _next(connection, kind, now_us) for kind in told}
    if any(moved[kind] != before for kind, before in told.items()):
        with store.write() as connection:
            for kind, before in told.items():
                # Somebody may have changed it meanwhile.
                if moved[kind] != before and rollouts(connection).get(kind) == before:
                    _write(connection, kind, moved[kind], now_us)
    offers: dict[str, str] = {}
    with store.read() as connection:
        for kind in told:
            offers |= _offers(firmware_of(connection, kind))
    return offers


def _next(connection: Connection, kind: str, now_us: int) -> Rollout:
    told = firmware_of(connection, kind)
    assert told.rollout is not None
    image = told.given_out
    if image is None or (told.rollout.state.offers and not is_intact(connection, image)):
        return _stopped(told.rollout, _NOT_INTACT)
    since_us = listened_since(connection)
    return next_of(
        told.rollout,
        image.version,
        told.updates,
        now_us=now_us,
        listening_since_us=now_us if since_us is None else since_us,
    )


def _stopped(rollout: Rollout, why: str) -> Rollout:
    return msgspec.structs.replace(rollout, state=RolloutState.STOPPED, why=why)


def _write(connection: Connection, kind: str, rollout: Rollout, now_us: int) -> None:
    set_rollout(connection, kind, rollout)
    image = firmware_of(connection, kind).given_out
    version = "" if image is None else image.version
    match rollout.state:
        case RolloutState.STOPPED:
            words = f"firmware {version} was stopped: {rollout.why}"
            _log.warning("firmware_stopped", kind=kind, version=version, why=rollout.why)
        case RolloutState.DONE:
            words = f"firmware {version}: all that asked run it"
        case _:
            words = f"firmware {version} is offered to {rollout.stage.words}"
    _log.info("firmware_moved", kind=kind, version=version, stage=rollout.stage.value)
    write_journal(connection, [Entry(now_us, JournalKind.DUTY, "", kind, words=words)])


def _offers(told: FirmwareOfKind) -> dict[str, str]:
    image = told.given_out
    if told.rollout is None or image is None or not told.rollout.state.offers:
        return {}
    offered = offered_to(told.rollout, image.version, told.updates)
    return {one.station: image_offer(image) for one in offered if one.fetched_us is None}
