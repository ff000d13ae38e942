"""Wiring: store, commits and doors into one process that stops cleanly."""

from __future__ import annotations

import asyncio
import contextlib
import gc
import signal
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

import structlog

from rook_tally.clock import now_us
from rook_tally.collector.alarm_loop import AlarmLoop
from rook_tally.collector.announcing import AnnouncementSupervisor
from rook_tally.collector.backups import keep_backing_up
from rook_tally.collector.door_supervisor import DoorSupervisor
from rook_tally.collector.firmware_loop import FirmwareLoop
from rook_tally.collector.forward_loop import ForwardLoop
from rook_tally.collector.health import HealthCheck
from rook_tally.collector.heartbeat import Heartbeat, presence_in
from rook_tally.collector.housekeeping import keep_log_short, prune_loop, seal_loop
from rook_tally.collector.http_reach import HttpReach, http_endpoint
from rook_tally.collector.in_reach import ReachLook
from rook_tally.collector.mqtt_link import MqttLink
from rook_tally.collector.passwords import PasswordKeeping
from rook_tally.collector.recompute_loop import RecomputeLoop
from rook_tally.collector.report_loop import keep_reporting
from rook_tally.collector.requests import RequestRunner
from rook_tally.collector.store_follower import follow
from rook_tally.collector.supervision import Supervisor
from rook_tally.collector.web_supervisor import WebSupervisor
from rook_tally.core.alarms.channels import ChannelKind
from rook_tally.core.alarms.sentences import lasting_words
from rook_tally.core.background import DutyCoroutine
from rook_tally.core.errors import RookTallyError
from rook_tally.core.ways_out import ANNOUNCED_AS
from rook_tally.intake.addresses import (
    BuiltinBroker,
    Certificate,
    Endpoint,
    OutsideBroker,
    bound_socket,
    endpoint_from,
    server_tls,
)
from rook_tally.intake.doors.http import HttpDoor
from rook_tally.intake.pipeline.commit_queue import CommitQueue
from rook_tally.notify.desktop import Desktop
from rook_tally.notify.mail import Mail
from rook_tally.notify.mqtt_message import MqttMessage
from rook_tally.notify.notifier import Notifier
from rook_tally.notify.outbox_worker import OutboxWorker
from rook_tally.notify.password_store import PasswordStore
from rook_tally.notify.sound import Sound, Voice
from rook_tally.notify.webhook import Webhook
from rook_tally.serving.api import ReadApi
from rook_tally.serving.firmware import FirmwareRoutes
from rook_tally.serving.openapi_paths import asked_paths
from rook_tally.store.base import Store, Subject
from rook_tally.store.site import DoorSettings, DoorState

if TYPE_CHECKING:
    from rook_tally.intake.doors.discovery import Discovery

_log = structlog.get_logger(__name__)


@dataclass(frozen=True, slots=True)
class CollectorSettings:
    """Which doors to open beside those the store tells.

    `broker` None leaves MQTT closed; `broker_folder` is our broker's,
    `coap_folder` holds what the CoAP door counts. `announce` are addresses of
    the interfaces to announce on, empty for all; None for not at all.
    """

    http: Endpoint
    broker: BuiltinBroker | OutsideBroker | None
    broker_folder: Path
    coap_folder: Path
    tls: Certificate | None = None
    doors: tuple[DoorSettings, ...] = ()
    announce: tuple[str, ...] | None = None


@dataclass(frozen=True, slots=True)
class OpenDoors:
    """Where the doors are, once they are open."""

    http: str
    mqtt: str | None


def freeze_gc() -> None:
    """Keep what a program has loaded out of later garbage collections: looking through all of it
    took 40 ms in the middle of commits."""
    gc.collect()
    gc.freeze()


async def collect(
    store: Store, settings: CollectorSettings, *, ready: Callable[[OpenDoors], None]
) -> None:
    """Keep the doors open until SIGTERM or SIGINT, then take in what is under way and return.

    Raises
    ------
    DoorError
        When a door cannot be opened at all. A broker that is merely not there yet is none.
    """
    stop = asyncio.Event()
    loop = asyncio.get_running_loop()
    for number in (signal.SIGTERM, signal.SIGINT):
        loop.add_signal_handler(number, stop.set)
    async with contextlib.AsyncExitStack() as stack:
        presence = await stack.enter_async_context(presence_in(store))
        supervisor = supervisor_for(presence)
        stack.push_async_callback(supervisor.end)
        begin = supervisor.begin
        commits = CommitQueue(
            store,
            clock_is_set=lambda: presence.clock.is_set,
            begin=begin,
            on_written_again=partial(_say_it_was_away, presence),
        )
        stack.push_async_callback(commits.close)
        tls = None if settings.tls is None else server_tls(settings.tls)
        # The port is taken before anything is started that would have to be undone.
        listening = bound_socket(http_endpoint(store, settings.http))
        stack.callback(listening.close)
        requests = RequestRunner(store)
        mqtt = None
        if settings.broker is not None:
            mqtt = MqttLink(
                presence.duties,
                commits,
                presence,
                settings.broker,
                settings.broker_folder,
                settings.tls,
                begin,
            )
            stack.push_async_callback(mqtt.close)
        mqtt_address = None if mqtt is None else await mqtt.open(requests)
        health = HealthCheck(store, commits, presence, supervisor)
        asking = ReadApi(store, now_us, health.ask)
        firmware = FirmwareRoutes(store, now_us, lambda: presence.clock.is_set)
        http = HttpDoor(
            listening,
            reception=commits,
            store=store,
            clock=now_us,
            tls=tls,
            controls=requests.controls_for,
            health=health.ask,
            routes=[*asking.routes, *firmware.routes()],
            documented=asked_paths(),
        )
        await http.open()
        stack.push_async_callback(http.close)
        presence.report("http", str(http.endpoint))(DoorState.OPEN)
        reach = HttpReach(store, presence, http, settings.http.host)
        doors = DoorSupervisor(
            store, commits, presence, requests, settings.coap_folder, settings.doors, begin
        )
        stack.push_async_callback(doors.close)

        pages = WebSupervisor(store, presence, settings.tls, begin)
        stack.push_async_callback(pages.close)
        reworking = RecomputeLoop(presence.duties, clock=now_us)
        keeping = AlarmLoop(
            presence.duties, clock=now_us, clock_is_set=lambda: presence.clock.is_set
        )
        passwords = PasswordKeeping(
            store, PasswordStore(), say=partial(presence.journal_duty, "Passwords")
        )
        post = OutboxWorker(
            store, _notifiers(store, mqtt), clock=now_us, with_password=passwords.with_password
        )

        def take_up(changed: set[Subject]) -> None:
            reworking.take_up(changed)
            keeping.take_up(changed)
            if Subject.WATCHES in changed:
                passwords.wake()
            if Subject.OUTBOX in changed:
                post.wake()
            if Subject.REQUESTS in changed:
                requests.wake()
            if Subject.PAGE in changed:
                pages.settings.wake()
            if Subject.SITE in changed:
                doors.settings.wake()
                reach.settings.wake()
                if announcing is not None:
                    announcing.settings.wake()
                if mqtt is not None:
                    mqtt.settings.wake()

        announcing = None
        if settings.announce is not None:
            announcing = _announcing(store, settings, presence, http, mqtt)
            stack.push_async_callback(announcing.close)
        duties: dict[str, DutyCoroutine] = {
            "heartbeat": presence.beat,
            "sealing": partial(seal_loop, presence.duties, clock=now_us),
            "log": partial(keep_log_short, store),
            "daily copy": partial(keep_backing_up, presence.duties, clock=now_us),
            "reports": partial(
                keep_reporting, presence.duties, clock=now_us, with_password=passwords.with_password
            ),
            "strays and tape": partial(prune_loop, store, clock=now_us),
            "requests": requests.run,
            "workings": reworking.run,
            "watches": keeping.run,
            "notifications": post.run,
            "passwords": passwords.run,
            "doors": doors.settings.run,
            "http": reach.settings.run,
            "page": pages.settings.run,
            "changes": partial(follow, store, take_up),
            "connections": http.guard_connections,
            "in reach": ReachLook(
                store, radio=doors.heard_by_radio, topics=None if mqtt is None else mqtt.hear_topics
            ).run,
            "readers": asking.keep_counts,
            "forwards": ForwardLoop(presence.duties, clock=now_us).run,
            "firmware": FirmwareLoop(
                presence.duties,
                clock=now_us,
                clock_is_set=lambda: presence.clock.is_set,
                publish=None if mqtt is None else mqtt.publish,
            ).run,
        }
        if announcing is not None:
            duties["announcements"] = announcing.settings.run
        if mqtt is not None:
            duties |= {"mqtt": mqtt.settings.run, "mqtt session": mqtt.keep_session}
        # Ended before anything they work with is closed.
        stack.push_async_callback(supervisor.end_several, duties)
        for name, run in duties.items():
            begin(name, run)
        freeze_gc()
        ready(OpenDoors(str(http.endpoint), mqtt_address))
        await stop.wait()
        _log.info("stopping")
        failed = supervisor.standing_still
    if failed:
        names = ", ".join(one.name for one in failed)
        raise RookTallyError(
            f"these duties stood still when the collector was stopped: {names}",
            kept="what came in was kept",
            remedy="the log and the journal say why",
        )


def _say_it_was_away(presence: Heartbeat, why: str, lasted_s: float) -> None:
    """Journal an outage of the store, once it can be written again."""
    words = f"could not be written for {lasting_words(round(lasted_s * 1e6))}: {why}"
    presence.journal_duty("The store", words)


def supervisor_for(presence: Heartbeat) -> Supervisor:
    """Looks after a collector's duties; desks and the journal learn what fails."""
    supervisor = Supervisor(
        clock=now_us,
        on_failure=lambda name, why: presence.journal_duty(
            name, f"failed and was begun again: {why}"
        ),
        on_recovery=lambda name: presence.journal_duty(name, "works again"),
        on_change=lambda: presence.report_failed(supervisor.standing_still),
    )
    return supervisor


def _notifiers(store: Store, mqtt: MqttLink | None) -> dict[ChannelKind, Notifier]:
    return {
        ChannelKind.DESKTOP: Desktop(store, now_us),
        ChannelKind.SOUND: Sound(),
        ChannelKind.VOICE: Voice(),
        ChannelKind.MAIL: Mail(),
        ChannelKind.WEBHOOK: Webhook(),
        ChannelKind.MQTT: MqttMessage(None if mqtt is None else mqtt.publish),
    }


def _announcing(
    store: Store,
    settings: CollectorSettings,
    presence: Heartbeat,
    http: HttpDoor,
    mqtt: MqttLink | None,
) -> AnnouncementSupervisor:
    def make(shut: frozenset[str]) -> Discovery:
        # Loaded late: most collectors serve their own machine only.
        from rook_tally.intake.doors.discovery import Discovery, OpenTo

        mqtt_endpoint = None if mqtt is None or "mqtt" in shut else endpoint_from(mqtt.address)
        return Discovery(
            OpenTo(
                None if "http" in shut else http.endpoint, mqtt_endpoint, settings.tls is not None
            ),
            settings.announce or (),
            store=store,
            report=presence.report("discovery", ANNOUNCED_AS),
            clock=now_us,
        )

    return AnnouncementSupervisor(store, presence, make)
