"""Webhooks: CloudEvents 1.0 in JSON, signed as Standard Webhooks has it.

The signature is HMAC-SHA256 over `id.timestamp.body` with the way's secret, in base64; the id is
the notice's key, which stays the same when it is sent again.
"""

from __future__ import annotations

import base64
import hashlib
import hmac
import time

import aiohttp
import msgspec

from rook_tally.core.alarms.channels import Channel, Notice
from rook_tally.core.timestamps import rfc3339
from rook_tally.notify.notifier import ActionError

_PATIENCE_S = 15.0
_FORM = "application/cloudevents+json"


class Webhook:
    """Posts notices to webhooks."""

    def __init__(self) -> None:
        self._session: aiohttp.ClientSession | None = None

    async def tell(self, way: Channel, notice: Notice) -> str:
        """Post a notice to the way's address."""
        if self._session is None:
            self._session = aiohttp.ClientSession(timeout=aiohttp.ClientTimeout(total=_PATIENCE_S))
        body = msgspec.json.encode(event_of(notice))
        headers = {"Content-Type": _FORM, **signed(way.secret, notice.key, body, time.time())}
        try:
            async with self._session.post(
                way.url, data=body, headers=headers, allow_redirects=False
            ) as answer:
                status = answer.status
        except (aiohttp.ClientError, TimeoutError, OSError) as error:
            why = str(error) or f"no answer in {_PATIENCE_S:g} s"
            raise ActionError(f"{way.url} could not be reached: {why}") from error
        if not 200 <= status < 300:
            raise ActionError(f"{way.url} answered {status}")
        return f"{way.url} answered {status}"

    async def close(self) -> None:
        """Give the connections up."""
        if self._session is not None:
            await self._session.close()


def event_of(notice: Notice) -> dict[str, object]:
    """A notice as a CloudEvent."""
    return {
        "specversion": "1.0",
        "id": notice.key,
        "source": "/rook-tally/" + (notice.site or "site").replace(" ", "-").lower(),
        "type": f"rook-tally.alarm.{notice.event.value}",
        "subject": notice.watch or "watches",
        "time": rfc3339(notice.time_us),
        "datacontenttype": "application/json",
        "data": {
            "watch": notice.name,
            "title": notice.title,
            "text": notice.text,
            "level": notice.level.wording,
            "place": notice.place,
            "quantity": notice.quantity,
            "value": notice.value,
            "unit": notice.unit,
            "trial": notice.event.value == "trial",
        },
    }


def signed(secret: str, key: str, body: bytes, now_s: float) -> dict[str, str]:
    """The headers that tell who sent it; without a secret they only name it."""
    stamp = str(int(now_s))
    headers = {"webhook-id": key, "webhook-timestamp": stamp}
    if secret:
        signature = hmac.digest(secret.encode(), f"{key}.{stamp}.".encode() + body, hashlib.sha256)
        headers["webhook-signature"] = "v1," + base64.b64encode(signature).decode()
    return headers
