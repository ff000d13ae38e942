"""Offering a message until the store takes it: what the doors that read by themselves all do."""

from __future__ import annotations

import asyncio

import structlog

from rook_tally.core.errors import StoreError
from rook_tally.intake.door_protocols import Reception
from rook_tally.intake.message import IntakeResult, Message

_FIRST_PAUSE_S, _LONGEST_PAUSE_S = 0.2, 10.0

_log = structlog.get_logger(__name__)


async def offered(reception: Reception, message: Message) -> IntakeResult:
    """Offer a message until the store takes it, and return the result."""
    pause_s = _FIRST_PAUSE_S
    while True:
        try:
            return await reception.take(message)
        except StoreError as error:
            _log.warning("store_failed", address=message.address, error=str(error))
            await asyncio.sleep(pause_s)
            pause_s = min(pause_s * 2, _LONGEST_PAUSE_S)
