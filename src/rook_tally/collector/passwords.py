"""Passwords of mail servers and secrets of webhooks: in the desktop's password store, where there
is one, else in the store of readings."""

from __future__ import annotations

import asyncio
import contextlib
import uuid
from collections.abc import Callable, Sequence

import structlog
from msgspec.structs import replace

from rook_tally.core.access_policy import PasswordsAt
from rook_tally.core.alarms.channels import Channel
from rook_tally.core.errors import StoreError
from rook_tally.notify.notifier import ActionError
from rook_tally.notify.password_store import NoPasswordStoreError, PasswordStore
from rook_tally.store.alarms import save_channel, ways
from rook_tally.store.base import Store
from rook_tally.store.site.trust import overwriting, passwords_at

_AGAIN_S = 30.0
_APPLICATION = "rook-tally"

_log = structlog.get_logger(__name__)


class PasswordKeeping:
    """Moves passwords to where they are to be, and has them at hand for who tells.

    A way's password is in the store only until it is in the password store as well; a server's
    store is shared by several machines, so there they stay. `say` is told once what is amiss.
    """

    def __init__(
        self, store: Store, passwords: PasswordStore, *, say: Callable[[str], None]
    ) -> None:
        self._store, self._passwords, self._say = store, passwords, say
        self._moved = asyncio.Event()
        self._at_hand: dict[str, str] = {}
        self._trouble = ""
        self._is_tidy = False

    def wake(self) -> None:
        """Ways of telling may have changed."""
        self._moved.set()

    async def run(self) -> None:
        """Follow the ways of telling until cancelled."""
        try:
            while True:
                self._moved.clear()
                try:
                    is_done = await self.look()
                except StoreError as error:
                    _log.warning("passwords_not_followed", error=str(error))
                    is_done = False
                pause_s = None if is_done else _AGAIN_S
                with contextlib.suppress(TimeoutError):
                    async with asyncio.timeout(pause_s):
                        await self._moved.wait()
        finally:
            self.close()

    def close(self) -> None:
        """Leave the password store."""
        self._passwords.close()

    def with_password(self, way: Channel) -> Channel:
        """A way as it can be gone.

        Raises
        ------
        ActionError
            When its password is in the desktop's password store, which cannot be read now.
        """
        if not way.apart:
            return way
        secret = self._at_hand.get(way.apart)
        if secret is None:
            self.wake()
            raise ActionError(
                f"the password for {way.name} is in the desktop's password store, which cannot be "
                "read now"
            )
        return way.with_secret(secret)

    async def look(self) -> bool:
        """Move and fetch what is not where it belongs; whether every password is at hand now, and
        where it is to be."""
        known, where = await asyncio.to_thread(self._read)
        stays = self._store.path is None or where is PasswordsAt.IN_STORE
        troubles: list[str] = []
        is_done = True
        for way in known:
            try:
                if way.apart and way.apart not in self._at_hand:
                    await self._fetch(way)
                if way.apart and stays:
                    secret = self._at_hand[way.apart]
                    await asyncio.to_thread(self._rewrite, way, way.with_secret(secret))
                elif way.own_secret and not stays:
                    await self._move(way)
            except NoPasswordStoreError as error:
                is_done = False
                # At a desktop without one they stay where they are, and nothing is amiss.
                if way.apart:
                    troubles.append(f"the password for {way.name} cannot be read: {error}")
        if is_done and not stays and not self._is_tidy:
            await self._tidy(known)
        trouble = "; ".join(troubles)
        if trouble and trouble != self._trouble:
            self._say(f"{trouble}; nothing is told that way until then")
        self._trouble = trouble
        return is_done

    def _read(self) -> tuple[Sequence[Channel], PasswordsAt]:
        with self._store.read() as connection:
            return ways(connection), passwords_at(connection)

    async def _fetch(self, way: Channel) -> None:
        secret = await self._passwords.find(self._attributes(way.apart))
        if secret is None:
            raise NoPasswordStoreError(
                "it is not in this desktop's password store", remedy="type it again"
            )
        self._at_hand[way.apart] = secret

    async def _move(self, way: Channel) -> None:
        name, secret = uuid.uuid4().hex, way.own_secret
        await self._passwords.keep(f"Rook Tally: {way.name}", self._attributes(name), secret)
        self._at_hand[name] = secret
        apart = replace(way, password="", secret="", apart=name)
        if await asyncio.to_thread(self._rewrite, way, apart):
            _log.info("password_moved", way=way.name)
        else:
            await self._passwords.forget(self._attributes(name))

    def _rewrite(self, before: Channel, after: Channel) -> bool:
        """Put a way in the place of another, unless that was changed meanwhile."""
        with self._store.write() as connection, overwriting(connection):
            if before not in ways(connection):
                return False
            save_channel(connection, after)
        return True

    async def _tidy(self, known: Sequence[Channel]) -> None:
        """Once after the start, when nobody can take back what was changed before: drop passwords
        that no way has any more."""
        if not any(one.apart for one in known):
            # Who has none there does not wake its service.
            return
        used = {one.apart for one in known}
        for name in await self._passwords.all_of(self._whole(), "password"):
            if name not in used:
                await self._passwords.forget(self._attributes(name))
        self._is_tidy = True

    def _whole(self) -> dict[str, str]:
        return {"application": _APPLICATION, "store": self._store.id}

    def _attributes(self, name: str) -> dict[str, str]:
        return self._whole() | {"password": name}
