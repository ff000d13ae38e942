"""The other ends: an HTTP address, an MQTT broker, another Rook Tally. Each takes a batch, or says
why not."""

from __future__ import annotations

import asyncio
import ssl
from typing import Protocol
from urllib.parse import urlsplit

import aiohttp
import msgspec
import paho.mqtt.client as mqtt
from paho.mqtt.enums import CallbackAPIVersion

from rook_tally.core.errors import RookTallyError
from rook_tally.core.forwards.definitions import Forward, ForwardKind
from rook_tally.forwarding.batches import Batch

_PATIENCE_S = 20.0
_MOST_ANSWER = 65_536
_MOST_SHOWN = 300
_UNUSABLE = 422


class NotTakenError(RookTallyError):
    """A target that does not take a batch."""


class Target(Protocol):
    """An other end."""

    async def send(self, batch: Batch) -> str:
        """Hand a batch over; NotTakenError when it was not taken. Returns what there is to say of
        one that was; as a rule nothing."""
        ...

    async def close(self) -> None:
        """Let it go."""
        ...


def target_of(told: Forward) -> Target:
    """The other end of a forward."""
    return _Mqtt(told) if told.kind is ForwardKind.MQTT else _Http(told)


class _OtherSite(msgspec.Struct, frozen=True):
    """As much of another Rook Tally's answer as is looked at: values it cannot place yet."""

    stray: int = 0


_OTHER_SITE = msgspec.json.Decoder(_OtherSite)


class _Http:
    """Posts batches; the key of each goes along, so that who takes them can tell a repeat."""

    def __init__(self, told: Forward) -> None:
        self._told = told
        self._is_rook = told.kind is ForwardKind.ROOK_TALLY
        self._address = told.address.rstrip("/") + "/v1/readings" if self._is_rook else told.address
        self._session: aiohttp.ClientSession | None = None

    async def send(self, batch: Batch) -> str:
        """Post a batch."""
        if self._session is None:
            self._session = aiohttp.ClientSession(
                timeout=aiohttp.ClientTimeout(total=_PATIENCE_S), trust_env=False
            )
        headers = {"Content-Type": batch.content_type, "Idempotency-Key": f'"{batch.key}"'}
        if self._told.secret:
            headers["Authorization"] = f"Bearer {self._told.secret}"
        try:
            async with self._session.post(
                self._address, data=batch.body, headers=headers, allow_redirects=False
            ) as answer:
                body = await _beginning_of(answer)
                if 200 <= answer.status < 300:
                    return self._remark(batch, body)
                said = body.decode(errors="replace")
                words = " ".join(said.split())[:_MOST_SHOWN]
                if self._is_rook and answer.status == _UNUSABLE:
                    # The same readings would be refused for ever, and hold all others up.
                    return f"{self._told.host} refuses readings of {batch.station}: {words}"
                raise NotTakenError(
                    f"{self._told.host} answered {answer.status}{f': {words}' if words else ''}"
                )
        except TimeoutError:
            raise NotTakenError(
                f"{self._told.host} gave no answer within {_PATIENCE_S:g} s"
            ) from None
        except (aiohttp.ClientError, OSError) as error:
            raise NotTakenError(f"{self._told.host}: {error}") from None

    def _remark(self, batch: Batch, body: bytes) -> str:
        if not self._is_rook:
            return ""
        try:
            told = _OTHER_SITE.decode(body)
        except msgspec.DecodeError:
            raise NotTakenError(f"{self._told.host} does not answer as a Rook Tally does") from None
        if not told.stray:
            return ""
        return (
            f"{self._told.host} has not taken in {batch.station} yet; it waits there among strays"
        )

    async def close(self) -> None:
        """Let the connection go."""
        if self._session is not None:
            await self._session.close()


async def _beginning_of(answer: aiohttp.ClientResponse) -> bytes:
    """As much of an answer as is looked at."""
    body = bytearray()
    async for part in answer.content.iter_any():
        body += part
        if len(body) >= _MOST_ANSWER:
            break
    return bytes(body)


class _Mqtt:
    """Publishes batches at least once to `prefix/<station>/readings`."""

    def __init__(self, told: Forward) -> None:
        self._told = told
        self._parts = urlsplit(told.address)
        self._client: mqtt.Client | None = None

    async def send(self, batch: Batch) -> str:
        """Publish a batch and wait until the broker has it."""
        await asyncio.to_thread(self._publish, batch)
        return ""

    def _publish(self, batch: Batch) -> None:
        prefix = self._parts.path.strip("/")
        topic = f"{prefix}/{batch.station}/readings" if prefix else f"{batch.station}/readings"
        try:
            client = self._connected()
            sent = client.publish(topic, batch.body, qos=1)
            sent.wait_for_publish(_PATIENCE_S)
            if not sent.is_published():
                self._drop()
                raise NotTakenError(
                    f"{self._told.host} did not acknowledge within {_PATIENCE_S:g} s"
                )
        except (OSError, ValueError, RuntimeError) as error:
            self._drop()
            raise NotTakenError(f"{self._told.host}: {error}") from None

    def _connected(self) -> mqtt.Client:
        if self._client is None:
            client = mqtt.Client(CallbackAPIVersion.VERSION2, clean_session=True)
            if self._told.user:
                client.username_pw_set(self._told.user, self._told.secret)
            is_tls = self._parts.scheme == "mqtts"
            if is_tls:
                client.tls_set_context(ssl.create_default_context())
            port = self._parts.port or (8883 if is_tls else 1883)
            client.connect(str(self._parts.hostname), port, keepalive=60)
            client.loop_start()
            self._client = client
        return self._client

    def _drop(self) -> None:
        client, self._client = self._client, None
        if client is not None:
            client.disconnect()
            client.loop_stop()

    async def close(self) -> None:
        """Let the connection go."""
        await asyncio.to_thread(self._drop)
