"""Every way of telling, against a real peer: a mail server, a receiver of webhooks, a desktop."""

from __future__ import annotations

import asyncio
import base64
import hashlib
import hmac
import os
import ssl
import stat
import wave
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path
from typing import Annotated, Any

import msgspec
import pytest
from aiohttp import web
from aiosmtpd.smtp import SMTP, AuthResult
from dbus_fast import BusType
from dbus_fast.aio import MessageBus
from dbus_fast.annotations import DBusSignature
from dbus_fast.service import ServiceInterface, dbus_method, dbus_signal

from rook_tally.core.alarms.channels import (
    Channel,
    ChannelKind,
    Notice,
    NoticeReason,
    Security,
    checked_way,
)
from rook_tally.core.errors import DoorError
from rook_tally.core.quantities.levels import Level
from rook_tally.notify.desktop import Desktop
from rook_tally.notify.mail import Mail
from rook_tally.notify.mqtt_message import MqttMessage
from rook_tally.notify.notifier import ActionError
from rook_tally.notify.sound import Sound, Voice, write_sound
from rook_tally.notify.webhook import Webhook
from rook_tally.store.base import Store
from rook_tally.store.site import RequestKind, open_requests
from tests.certificates import own_certificate

NOTICE = Notice(
    key="glaze-dust:7:1:rang:1:the web",
    event=NoticeReason.RANG,
    watch="glaze-dust",
    name="Glaze dust",
    time_us=1_795_000_000_000_000,
    title="Glaze dust: high",
    text="PM2.5 33 µg/m³ at Glaze booth",
    level=Level.HIGH,
    series_id=7,
    place="Glaze booth",
    quantity="pm25",
    value=33.0,
    unit="µg/m³",
    site="Fennel Wharf Pottery",
)


class Inbox:
    """Keeps what a mail server was given."""

    def __init__(self) -> None:
        self.mails: list[tuple[list[str], str]] = []
        self.answer = "250 OK"

    async def handle_DATA(self, _server: object, _session: object, envelope: Any) -> str:
        self.mails.append((envelope.rcpt_tos, envelope.content.decode("utf8", "replace")))
        return self.answer


@pytest.fixture
async def inbox() -> AsyncIterator[tuple[Inbox, int]]:
    kept = Inbox()
    loop = asyncio.get_running_loop()
    server = await loop.create_server(lambda: SMTP(kept, loop=loop), "127.0.0.1", 0)
    yield kept, server.sockets[0].getsockname()[1]
    server.close()
    await server.wait_closed()


def _mail_way(port: int, **said: Any) -> Channel:
    return checked_way(
        Channel(
            name="the workshop",
            sort=ChannelKind.MAIL,
            host="127.0.0.1",
            port=port,
            security=Security.NONE,
            sender="rook@fennel.example",
            to=("wren@fennel.example",),
            **said,
        )
    )


async def test_mail_reaches_a_server_with_a_message_id_that_a_repeat_shares(
    inbox: tuple[Inbox, int],
) -> None:
    kept, port = inbox
    for _ in range(2):
        assert "mail sent to wren" in await Mail().tell(_mail_way(port), NOTICE)
    (to, first), (_, second) = kept.mails
    assert to == ["wren@fennel.example"]
    assert "Subject: Fennel Wharf Pottery: Glaze dust: high" in first
    named = [
        next(line for line in mail.splitlines() if line.startswith("Message-ID"))
        for mail in (first, second)
    ]
    assert named[0] == named[1]


async def test_a_mail_that_is_refused_or_finds_nobody_says_why(inbox: tuple[Inbox, int]) -> None:
    kept, port = inbox
    kept.answer = "451 come back later"
    with pytest.raises(ActionError, match="451 come back later"):
        await Mail().tell(_mail_way(port), NOTICE)
    with pytest.raises(ActionError, match="did not take the mail"):
        await Mail().tell(_mail_way(1), NOTICE)
    # This server speaks no TLS: nothing is sent in the clear instead.
    with pytest.raises(ActionError, match="STARTTLS"):
        await Mail().tell(
            msgspec.structs.replace(_mail_way(port), security=Security.STARTTLS), NOTICE
        )


@asynccontextmanager
async def receiver(status: int = 204) -> AsyncIterator[tuple[str, list[tuple[Any, bytes]]]]:
    """A receiver of webhooks: its address, and headers and body of what it got."""
    got: list[tuple[Any, bytes]] = []

    async def take(request: web.Request) -> web.Response:
        got.append((request.headers.copy(), await request.read()))
        return web.Response(status=status)

    app = web.Application()
    app.router.add_post("/hook", take)
    runner = web.AppRunner(app)
    await runner.setup()
    site = web.TCPSite(runner, "127.0.0.1", 0)
    await site.start()
    host, port = runner.addresses[0][:2]
    try:
        yield f"http://{host}:{port}/hook", got
    finally:
        await runner.cleanup()


async def test_a_webhook_gets_a_cloud_event_signed_with_its_secret() -> None:
    hook = Webhook()
    async with receiver() as (url, got):
        way = Channel(name="the web", sort=ChannelKind.WEBHOOK, url=url, secret="clay")
        assert (await hook.tell(way, NOTICE)).endswith("answered 204")
    await hook.close()
    ((headers, body),) = got
    event = msgspec.json.decode(body)
    assert headers["Content-Type"] == "application/cloudevents+json"
    assert (event["specversion"], event["id"]) == ("1.0", NOTICE.key)
    assert event["type"] == "rook-tally.alarm.rang"
    assert event["data"]["value"] == 33.0
    message = f"{headers['webhook-id']}.{headers['webhook-timestamp']}.".encode() + body
    expected = base64.b64encode(hmac.digest(b"clay", message, hashlib.sha256)).decode()
    assert headers["webhook-signature"] == f"v1,{expected}"


async def test_a_webhook_that_fails_or_is_not_there_says_why() -> None:
    hook = Webhook()
    async with receiver(500) as (url, _):
        with pytest.raises(ActionError, match="answered 500"):
            await hook.tell(Channel(name="w", sort=ChannelKind.WEBHOOK, url=url), NOTICE)
    with pytest.raises(ActionError, match="could not be reached"):
        await hook.tell(
            Channel(name="w", sort=ChannelKind.WEBHOOK, url="http://127.0.0.1:1/"), NOTICE
        )
    await hook.close()


async def test_mqtt_says_the_same_as_webhooks_do() -> None:
    told: list[tuple[str, bytes]] = []

    async def publish(topic: str, body: bytes) -> None:
        told.append((topic, body))

    way = Channel(name="m", sort=ChannelKind.MQTT, topic="pottery/alarms")
    assert await MqttMessage(publish).tell(way, NOTICE) == "published on pottery/alarms"
    assert msgspec.json.decode(told[0][1])["data"]["title"] == "Glaze dust: high"

    async def gone(_topic: str, _body: bytes) -> None:
        raise DoorError("the broker is not there")

    with pytest.raises(ActionError, match="not there"):
        await MqttMessage(gone).tell(way, NOTICE)
    with pytest.raises(ActionError, match="MQTT is closed"):
        await MqttMessage(None).tell(way, NOTICE)


def _program(folder: Path, name: str, script: str) -> None:
    path = folder / name
    path.write_text(f"#!/bin/sh\n{script}\n")
    path.chmod(path.stat().st_mode | stat.S_IXUSR)


async def test_sounds_and_words_go_to_the_players_of_the_desktop(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("PATH", f"{tmp_path}:{os.environ['PATH']}")
    _program(tmp_path, "pw-play", f'cp "$1" {tmp_path}/played.wav')
    _program(tmp_path, "spd-say", f'echo "$@" > {tmp_path}/said')
    sound = Sound()
    way = Channel(name="a sound", sort=ChannelKind.SOUND)
    assert await sound.tell(way, NOTICE) == "sounded"
    await sound.close()
    with wave.open(str(tmp_path / "played.wav")) as played:
        assert played.getnframes() / played.getframerate() == pytest.approx(6 * 0.21, abs=0.01)
    assert await Voice().tell(way, NOTICE) == "spoken"
    assert (tmp_path / "said").read_text() == (
        "--wait -- Glaze dust: high. PM2.5 33 µg/m³ at Glaze booth\n"
    )
    _program(tmp_path, "spd-say", "echo no voice >&2; exit 3")
    with pytest.raises(ActionError, match="no voice"):
        await Voice().tell(way, NOTICE)
    monkeypatch.setenv("PATH", str(tmp_path / "nothing"))
    with pytest.raises(ActionError, match="install speech-dispatcher"):
        await Voice().tell(way, NOTICE)
    with pytest.raises(ActionError, match="no program here plays sound"):
        await Sound().tell(way, NOTICE)


def test_what_is_over_sounds_otherwise(tmp_path: Path) -> None:
    write_sound(tmp_path / "a.wav", Level.NOTICED, is_over=False)
    write_sound(tmp_path / "b.wav", Level.NOTICED, is_over=True)
    assert (tmp_path / "a.wav").read_bytes() != (tmp_path / "b.wav").read_bytes()


DBusStr = Annotated[str, DBusSignature("s")]
DBusUInt = Annotated[int, DBusSignature("u")]
DBusInt = Annotated[int, DBusSignature("i")]
DBusTexts = Annotated[list[str], DBusSignature("as")]
DBusHints = Annotated[dict[str, Any], DBusSignature("a{sv}")]
DBusInvoked = Annotated[list[Any], DBusSignature("us")]


class Notifications(ServiceInterface):
    """A notification service that keeps what it is shown."""

    def __init__(self) -> None:
        super().__init__("org.freedesktop.Notifications")
        self.shown: list[tuple[int, str, str, list[str]]] = []

    @dbus_method()
    def GetCapabilities(self) -> DBusTexts:
        return ["actions", "body", "body-markup"]

    @dbus_method()
    def Notify(
        self,
        app_name: DBusStr,
        replaces: DBusUInt,
        icon: DBusStr,
        title: DBusStr,
        text: DBusStr,
        actions: DBusTexts,
        hints: DBusHints,
        expires: DBusInt,
    ) -> DBusUInt:
        self.shown.append((replaces, title, text, actions))
        return replaces or len(self.shown)

    @dbus_signal()
    def ActionInvoked(self, number: DBusUInt, key: DBusStr) -> DBusInvoked:
        return [number, key]


async def test_a_notification_has_buttons_and_they_ask_for_what_they_say(
    session_bus: None, store: Store
) -> None:
    service = Notifications()
    theirs = await MessageBus(bus_type=BusType.SESSION).connect()
    theirs.export("/org/freedesktop/Notifications", service)
    await theirs.request_name("org.freedesktop.Notifications")
    desktop = Desktop(store, clock=lambda: 1_795_000_000_000_000)
    way = Channel(name="this desktop", sort=ChannelKind.DESKTOP)
    await desktop.tell(way, NOTICE)
    assert service.shown == [
        (
            0,
            "Glaze dust: high",
            "PM2.5 33 µg/m³ at Glaze booth",
            ["acknowledge", "Acknowledge", "shelve", "Shelve for an hour"],
        )
    ]

    def asked() -> list[tuple[RequestKind, str, str]]:
        with store.read() as connection:
            return [(one.sort, one.station, one.name) for one in open_requests(connection)]

    for button, sort in (("acknowledge", RequestKind.ACKNOWLEDGE), ("shelve", RequestKind.SHELVE)):
        service.ActionInvoked(1, button)
        async with asyncio.timeout(10):
            while (sort, "glaze-dust", "7") not in asked():
                await asyncio.to_thread(asked)
    over = msgspec.structs.replace(NOTICE, event=NoticeReason.CLEARED, title="Glaze dust: over")
    await desktop.tell(way, over)
    # It takes the place of the one that rang.
    assert service.shown[-1][:2] == (1, "Glaze dust: over")
    # This service reads a text as markup, and a name is none.
    await desktop.tell(way, msgspec.structs.replace(over, text='<img src="file:///x">hall & co'))
    assert service.shown[-1][2] == '&lt;img src="file:///x"&gt;hall &amp; co'
    await desktop.close()
    theirs.disconnect()


async def test_without_a_desktop_it_is_tried_again_later(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, store: Store
) -> None:
    monkeypatch.setenv("DBUS_SESSION_BUS_ADDRESS", f"unix:path={tmp_path}/none")
    desktop = Desktop(store, clock=lambda: 0)
    with pytest.raises(ActionError, match="no desktop to tell"):
        await desktop.tell(Channel(name="this desktop", sort=ChannelKind.DESKTOP), NOTICE)


@pytest.fixture
def certificate(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> tuple[str, str]:
    """A certificate of 127.0.0.1 that this process trusts as it trusts those of the system."""
    chain, key = own_certificate(tmp_path)
    monkeypatch.setenv("SSL_CERT_FILE", str(chain))
    return str(chain), str(key)


@pytest.mark.parametrize("security", [Security.TLS, Security.STARTTLS])
async def test_mail_goes_over_tls_to_whom_the_system_trusts(
    certificate: tuple[str, str], monkeypatch: pytest.MonkeyPatch, security: Security
) -> None:
    kept, loop = Inbox(), asyncio.get_running_loop()
    context = ssl.create_default_context(ssl.Purpose.CLIENT_AUTH)
    context.load_cert_chain(*certificate)
    from_the_first = security is Security.TLS
    server = await loop.create_server(
        lambda: SMTP(
            kept,
            loop=loop,
            tls_context=None if from_the_first else context,
            require_starttls=not from_the_first,
        ),
        "127.0.0.1",
        0,
        ssl=context if from_the_first else None,
    )
    port = server.sockets[0].getsockname()[1]
    way = msgspec.structs.replace(_mail_way(port), security=security)
    await Mail().tell(way, NOTICE)
    assert [to for to, _ in kept.mails] == [["wren@fennel.example"]]
    monkeypatch.delenv("SSL_CERT_FILE")
    # Nobody vouches for it any more: nothing is sent.
    with pytest.raises(ActionError, match="certificate verify failed"):
        await Mail().tell(way, NOTICE)
    assert len(kept.mails) == 1
    server.close()
    await server.wait_closed()


async def test_a_mail_goes_out_whatever_is_in_a_name(inbox: tuple[Inbox, int]) -> None:
    kept, port = inbox
    await Mail().tell(_mail_way(port), msgspec.structs.replace(NOTICE, title="two\nlines\r\nX: 1"))
    ((_, mail),) = kept.mails
    assert "Subject: Fennel Wharf Pottery: two lines X: 1" in mail


async def test_a_password_with_an_umlaut_goes_out_as_utf_8() -> None:
    heard: list[str] = []

    def let_in(_server: object, _session: object, _envelope: object, _how: str, told: Any) -> Any:
        heard.append(f"{told.login.decode()}:{told.password.decode()}")
        return AuthResult(success=True)

    kept, loop = Inbox(), asyncio.get_running_loop()
    server = await loop.create_server(
        lambda: SMTP(kept, loop=loop, authenticator=let_in, auth_require_tls=False), "127.0.0.1", 0
    )
    port = server.sockets[0].getsockname()[1]
    await Mail().tell(_mail_way(port, user="würze", password="schlüssel"), NOTICE)
    server.close()
    assert heard == ["würze:schlüssel"]
    assert len(kept.mails) == 1


async def test_a_host_that_cannot_be_is_told_as_such() -> None:
    way = msgspec.structs.replace(_mail_way(25), host="mail..example")
    with pytest.raises(ActionError, match=r"mail\.\.example did not take the mail"):
        await Mail().tell(way, NOTICE)
