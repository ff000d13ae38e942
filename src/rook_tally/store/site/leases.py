"""Duties: work that one collector at a time does for a store, whoever else is open on it.

Who holds a duty stands in the store with a token. A collector that ended, or whose heartbeat has
stopped, loses it to the next that asks; should it only have been frozen and go on, what it writes
under the duty is refused, as the token is another one by then.
"""

from __future__ import annotations

import enum
import os
import socket
import threading
import time
import uuid
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

import sqlalchemy as sa
import structlog
from sqlalchemy.engine import Connection, Row

from rook_tally.core.errors import StoreError
from rook_tally.store.base import schema
from rook_tally.store.base.database import Store, upserting_insert
from rook_tally.store.site.heartbeat import HEARTBEAT_S, is_running

SILENT_S = 4 * HEARTBEAT_S
"""A holder whose heartbeat has stood still for so long is taken for frozen."""

_UNSEEN_S = 3 * HEARTBEAT_S
"""Who has not looked for so long, as the store was away say, begins to count anew."""

_log = structlog.get_logger(__name__)


class Role(enum.IntEnum):
    """A kind of work that belongs to one collector at a time."""

    SEALING = 1
    WATCHING = 2
    MQTT_SESSION = 3
    WORKING_OUT = 4
    BACKUP = 5
    REPORTING = 6
    FORWARDING = 7
    FIRMWARE = 8
    FURTHER_BROKER = 9


class LeaseLostError(StoreError):
    """Another collector has taken the duty over."""


class Lease:
    """A duty that is ours, until another collector takes it over.

    Attributes
    ----------
    store : Store
        The store, as long as the duty is ours: once it is not, writing raises DutyLostError.
    """

    def __init__(
        self, store: Store, duty: Role, slot: int, token: str, forget: Callable[[], None]
    ) -> None:
        self._whole_store, self._forget = store, forget
        self._what, self._token = f"{duty.name.lower()} {slot or ''}".strip(), token
        self._asked_s: float | None = time.monotonic()
        table = schema.duty
        self._is_this = (table.c.number == int(duty)) & (table.c.slot == slot)
        self.store = store.fenced(self._check)

    @property
    def was_asked_lately(self) -> bool:
        """True if the store has said a moment ago that it is ours, and not otherwise since. What is
        written is looked at each time, so this may be a little late."""
        return self._asked_s is not None and time.monotonic() - self._asked_s < HEARTBEAT_S

    def is_still_held(self) -> bool:
        """True if it still is, by the store.

        Raises
        ------
        StoreError
            When the store cannot be asked.
        """
        with self._whole_store.read() as connection:
            return self._is_ours(connection)

    def release(self) -> None:
        """Let another collector have it, or us again; when the store is away, us alone."""
        self._forget()
        try:
            with self._whole_store.write() as connection:
                connection.execute(
                    sa.delete(schema.duty).where(self._is_this, schema.duty.c.token == self._token)
                )
        except StoreError as error:
            _log.warning("duty_not_given_back", duty=self._what, error=str(error))

    def _check(self, connection: Connection) -> None:
        if not self._is_ours(connection):
            raise LeaseLostError(
                f"another collector has taken over: {self._what}",
                kept="what was about to be written was not",
            )

    def _is_ours(self, connection: Connection) -> bool:
        token = connection.execute(sa.select(schema.duty.c.token).where(self._is_this)).scalar()
        is_ours = bool(token == self._token)
        self._asked_s = time.monotonic() if is_ours else None
        return is_ours


@dataclass(frozen=True, slots=True)
class _Heartbeat:
    """The newest heartbeat of a holder, since when it has been the newest, and when we looked."""

    heard_us: int | None
    since_s: float
    looked_s: float


class Leases:
    """The leases of one collector. Of any thread.

    `monotonic_s` is a clock that does not jump; the heartbeats of others are timed by it.
    """

    def __init__(
        self, store: Store, collector_id: str, *, monotonic_s: Callable[[], float] = time.monotonic
    ) -> None:
        self.store = store
        self._id, self._monotonic_s = collector_id, monotonic_s
        self._lock = threading.Lock()
        self._heard: dict[str, _Heartbeat] = {}
        # Tokens of what we hold: what else is ours in the store could not be given back.
        self._ours: set[str] = set()

    def take(self, duty: Role, slot: int = 0) -> Lease | None:
        """Take a duty if nobody who is at work has it; None when somebody does.

        `slot` counts duties of the same sort, of which several collectors hold one each.

        Raises
        ------
        StoreError
            When the store cannot be asked.
        """
        # One thread at a time: what is taken counts as ours before another looks.
        with self._lock:
            with self.store.read() as connection:
                if not self._may_take(connection, duty, slot):
                    return None
            token = uuid.uuid4().hex
            with self.store.write() as connection:
                if not self._may_take(connection, duty, slot):
                    return None
                self._enter(connection, duty, slot, token)
            self._ours.add(token)
        return Lease(self.store, duty, slot, token, partial(self._ours.discard, token))

    def _enter(self, connection: Connection, duty: Role, slot: int, token: str) -> None:
        whose = {
            "token": token,
            "holder": self._id,
            "host": socket.gethostname(),
            "pid": os.getpid(),
        }
        connection.execute(
            upserting_insert(connection, schema.duty)
            .values(number=int(duty), slot=slot, **whose)
            .on_conflict_do_update(index_elements=["number", "slot"], set_=whose)
        )

    def _may_take(self, connection: Connection, duty: Role, slot: int) -> bool:
        table, alive = schema.duty, schema.collector
        row = connection.execute(
            sa.select(table, alive.c.heard_us)
            .outerjoin(alive, alive.c.id == table.c.holder)
            .where(table.c.number == int(duty), table.c.slot == slot)
        ).one_or_none()
        if row is None:
            return True
        if row.holder == self._id:
            return row.token not in self._ours
        return self._has_ended(row)

    def _has_ended(self, holder: Row[tuple[object, ...]]) -> bool:
        """True if a holder's process is gone, or its heart has not beaten for long."""
        if holder.host == socket.gethostname() and not is_running(holder.pid):
            return True
        now_s = self._monotonic_s()
        seen = self._heard.get(holder.holder)
        goes_on = (
            seen is not None
            and seen.heard_us == holder.heard_us
            and now_s - seen.looked_s < _UNSEEN_S
        )
        since_s = seen.since_s if seen is not None and goes_on else now_s
        self._heard[holder.holder] = _Heartbeat(holder.heard_us, since_s, now_s)
        if now_s - since_s < SILENT_S:
            return False
        _log.warning("holder_is_silent", holder=holder.holder, silent_s=now_s - since_s)
        return True
