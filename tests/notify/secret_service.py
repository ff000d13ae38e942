"""A stand-in for a desktop's Secret Service: one collection, which can be locked."""

from __future__ import annotations

from typing import Annotated, Any

from dbus_fast import BusType, Variant
from dbus_fast.aio import MessageBus
from dbus_fast.annotations import DBusSignature
from dbus_fast.constants import PropertyAccess
from dbus_fast.service import ServiceInterface, dbus_method, dbus_property

_NAME = "org.freedesktop.secrets"
_PATH = "/org/freedesktop/secrets"
_COLLECTION = f"{_PATH}/collection/login"
_SESSION = f"{_PATH}/session/1"

Text = Annotated[str, DBusSignature("s")]
Bool = Annotated[bool, DBusSignature("b")]
Path = Annotated[str, DBusSignature("o")]
Paths = Annotated[list[str], DBusSignature("ao")]
TwoPaths = Annotated[list[Any], DBusSignature("oo")]
TwoLots = Annotated[list[Any], DBusSignature("aoao")]
Unlocked = Annotated[list[Any], DBusSignature("aoo")]
Value = Annotated[Variant, DBusSignature("v")]
Opened = Annotated[list[Any], DBusSignature("vo")]
Attributes = Annotated[dict[str, str], DBusSignature("a{ss}")]
Properties = Annotated[dict[str, Any], DBusSignature("a{sv}")]
Secret = Annotated[list[Any], DBusSignature("(oayays)")]


class _Item(ServiceInterface):
    def __init__(self, keyring: Keyring, label: str, attributes: dict[str, str], text: str) -> None:
        super().__init__("org.freedesktop.Secret.Item")
        self.keyring, self.label, self.attributes, self.text = keyring, label, attributes, text

    @dbus_method()
    def GetSecret(self, session: Path) -> Secret:
        return [session, b"", self.text.encode(), "text/plain"]

    @dbus_method()
    def Delete(self) -> Path:
        self.keyring.remove(self)
        return "/"

    @dbus_property(access=PropertyAccess.READ)
    def Attributes(self) -> Attributes:
        return self.attributes


class _Collection(ServiceInterface):
    def __init__(self, keyring: Keyring) -> None:
        super().__init__("org.freedesktop.Secret.Collection")
        self.keyring = keyring

    @dbus_method()
    def CreateItem(self, properties: Properties, secret: Secret, replace: Bool) -> TwoPaths:
        if self.keyring.is_locked:
            return ["/", f"{_PATH}/prompt/1"]
        label = properties["org.freedesktop.Secret.Item.Label"].value
        attributes = properties["org.freedesktop.Secret.Item.Attributes"].value
        return [self.keyring.add(label, attributes, bytes(secret[2]).decode()), "/"]


class _Service(ServiceInterface):
    def __init__(self, keyring: Keyring) -> None:
        super().__init__("org.freedesktop.Secret.Service")
        self.keyring = keyring

    @dbus_method()
    def OpenSession(self, algorithm: Text, told: Value) -> Opened:
        return [Variant("s", ""), _SESSION]

    @dbus_method()
    def ReadAlias(self, name: Text) -> Path:
        return _COLLECTION if name == "default" else "/"

    @dbus_method()
    def SearchItems(self, attributes: Attributes) -> TwoLots:
        found = [
            path
            for path, one in self.keyring.items.items()
            if attributes.items() <= one.attributes.items()
        ]
        return [[], found] if self.keyring.is_locked else [found, []]

    @dbus_method()
    def Unlock(self, wanted: Paths) -> Unlocked:
        return [[], f"{_PATH}/prompt/1"] if self.keyring.is_locked else [wanted, "/"]


class Keyring:
    """The service on a session bus, and what it keeps."""

    def __init__(self) -> None:
        self.items: dict[str, _Item] = {}
        self.is_locked = False
        self._count = 0
        self._bus: Any = None

    async def open(self) -> None:
        self._bus = await MessageBus(bus_type=BusType.SESSION).connect()
        self._bus.export(_PATH, _Service(self))
        self._bus.export(_COLLECTION, _Collection(self))
        await self._bus.request_name(_NAME)

    def close(self) -> None:
        self._bus.disconnect()

    @property
    def kept(self) -> dict[str, str]:
        """Secrets by their labels."""
        return {one.label: one.text for one in self.items.values()}

    def add(self, label: str, attributes: dict[str, str], text: str) -> str:
        self._count += 1
        path = f"{_COLLECTION}/{self._count}"
        self.items[path] = _Item(self, label, attributes, text)
        self._bus.export(path, self.items[path])
        return path

    def remove(self, item: _Item) -> None:
        (path,) = (path for path, one in self.items.items() if one is item)
        self._bus.unexport(path, item)
        del self.items[path]
