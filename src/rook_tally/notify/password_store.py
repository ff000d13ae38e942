"""The desktop's password store, by the freedesktop Secret Service."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from rook_tally.core.errors import RookTallyError
from rook_tally.notify.session_bus import NoBusError, RefusedError, SessionBus

_SERVICE = "org.freedesktop.secrets"
_PATH = "/org/freedesktop/secrets"
_INTERFACE = "org.freedesktop.Secret."
_NOTHING = "/"


class NoPasswordStoreError(RookTallyError):
    """The desktop has no password store, or it is locked."""


class PasswordStore:
    """Keeps secrets by their attributes in the desktop's default collection."""

    def __init__(self) -> None:
        self._bus = SessionBus()

    async def keep(self, label: str, attributes: Mapping[str, str], secret: str) -> None:
        """Keep a secret; one with the same attributes is replaced.

        Raises
        ------
        NoPasswordStoreError
            When there is none, or it is locked.
        """
        from dbus_fast import Variant

        session = await self._session()
        (collection,) = await self._called(_PATH, "Service", "ReadAlias", "s", "default")
        if collection == _NOTHING:
            raise NoPasswordStoreError("the desktop's password store was never set up")
        await self._unlocked([collection])
        properties = {
            "org.freedesktop.Secret.Item.Label": Variant("s", label),
            "org.freedesktop.Secret.Item.Attributes": Variant("a{ss}", dict(attributes)),
        }
        told = [session, b"", secret.encode(), "text/plain; charset=utf8"]
        _, prompt = await self._called(
            collection, "Collection", "CreateItem", "a{sv}(oayays)b", properties, told, True
        )
        if prompt != _NOTHING:
            raise NoPasswordStoreError("the desktop's password store is locked")

    async def find(self, attributes: Mapping[str, str]) -> str | None:
        """The secret with these attributes, None when there is none.

        Raises
        ------
        NoPasswordStoreError
            When there is no password store, or it is locked.
        """
        session = await self._session()
        items = await self._items(attributes)
        if not items:
            return None
        await self._unlocked(items[:1])
        (secret,) = await self._called(items[0], "Item", "GetSecret", "o", session)
        return bytes(secret[2]).decode()

    async def forget(self, attributes: Mapping[str, str]) -> None:
        """Take what has these attributes away.

        Raises
        ------
        NoPasswordStoreError
            When there is no password store, or it is locked.
        """
        for item in await self._items(attributes):
            await self._called(item, "Item", "Delete")

    async def all_of(self, attributes: Mapping[str, str], name: str) -> list[str]:
        """The values of one attribute among all items that have these.

        Raises
        ------
        NoPasswordStoreError
            When there is no password store, or it is locked.
        """
        found = []
        for item in await self._items(attributes):
            (told,) = await self._called(
                item,
                "org.freedesktop.DBus.Properties",
                "Get",
                "ss",
                _INTERFACE + "Item",
                "Attributes",
            )
            found.append(str(told.value.get(name, "")))
        return found

    def close(self) -> None:
        """Leave the bus."""
        self._bus.close()

    async def _session(self) -> str:
        from dbus_fast import Variant

        # Plain: the bus is this account's alone, as the secrets are.
        _, session = await self._called(
            _PATH, "Service", "OpenSession", "sv", "plain", Variant("s", "")
        )
        return str(session)

    async def _items(self, attributes: Mapping[str, str]) -> list[str]:
        free, locked = await self._called(
            _PATH, "Service", "SearchItems", "a{ss}", dict(attributes)
        )
        return [*free, *locked]

    async def _unlocked(self, paths: list[str]) -> None:
        """Unlock without asking anybody: who is not there could not answer."""
        free, _ = await self._called(_PATH, "Service", "Unlock", "ao", paths)
        if set(free) != set(paths):
            raise NoPasswordStoreError("the desktop's password store is locked")

    async def _called(
        self, path: str, interface: str, member: str, signature: str = "", *body: Any
    ) -> list[Any]:
        whole = interface if "." in interface else _INTERFACE + interface
        try:
            return await self._bus.called(_SERVICE, path, whole, member, signature, body)
        except (NoBusError, RefusedError) as error:
            raise NoPasswordStoreError(f"the desktop has no password store: {error}") from error
