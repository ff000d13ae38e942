"""Pages, and the keys of who may look, read or bring something, of a site file."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Protocol, TypeVar

from sqlalchemy.engine import Connection

from rook_tally.core.firmware.images import SigningKey
from rook_tally.core.site_file.content import (
    DeviceEntry,
    FirmwareEntry,
    KeyEntry,
    KeySort,
    PageEntry,
)
from rook_tally.store.site.firmware import set_signing_key, signing_key
from rook_tally.store.site.gateway_keys import (
    GatewayKey,
    gateway_keys,
    keep_gateway_key,
    revoke_gateway_key,
)
from rook_tally.store.site.page_devices import (
    PageDevice,
    PageSetting,
    keep_page_device,
    page_devices,
    page_setting,
    revoke_page_device,
    set_page,
)
from rook_tally.store.site.read_keys import (
    ReadKey,
    ReadScope,
    keep_read_key,
    read_keys,
    revoke_read_key,
)


class _Named(Protocol):
    @property
    def name(self) -> str: ...
    @property
    def key_hash(self) -> str: ...


T = TypeVar("T", bound=_Named)


def page_entry(connection: Connection, *, secrets: bool) -> PageEntry | None:
    """Where pages are served, and with secrets who has a link; None where nobody ever said."""
    setting = page_setting(connection)
    devices = tuple(
        DeviceEntry(name=one.name, key_hash=one.key_hash) for one in page_devices(connection)
    )
    if setting == PageSetting() and not devices:
        return None
    return PageEntry(
        on=setting.is_on,
        host=setting.host,
        port=setting.port,
        names=setting.names,
        device=devices if secrets else None,
    )


def key_entries(connection: Connection) -> tuple[KeyEntry, ...]:
    """The keys of programs that read and of gateways."""
    reading = [
        KeyEntry(
            sort=KeySort.READ,
            name=one.name,
            key_hash=one.key_hash,
            places=one.scope.places,
            groups=one.scope.groups,
        )
        for one in read_keys(connection)
    ]
    bringing = [
        KeyEntry(sort=KeySort.GATEWAY, name=one.name, key_hash=one.key_hash)
        for one in gateway_keys(connection)
    ]
    return (*reading, *bringing)


def firmware_entry(connection: Connection) -> FirmwareEntry | None:
    """The key that signs firmware; None before there is one."""
    key = signing_key(connection)
    return None if key is None else FirmwareEntry(public=key.public, private=key.private)


def put_firmware_key(connection: Connection, wanted: FirmwareEntry) -> None:
    """Sign with this key from now on. What was signed with another is not offered any more."""
    key = SigningKey(wanted.public, wanted.private)
    if signing_key(connection) != key:
        set_signing_key(connection, key)


def put_page(connection: Connection, wanted: PageEntry, *, now_us: int) -> None:
    """Serve pages as a file says, to the devices it names if it names them."""
    setting = PageSetting(wanted.on, wanted.host, wanted.port, wanted.names)
    if page_setting(connection) != setting:
        set_page(connection, setting)
    if wanted.device is not None:
        told = [PageDevice(0, one.name, one.key_hash, now_us) for one in wanted.device]
        _put(connection, page_devices(connection), told, revoke_page_device, keep_page_device)


def put_keys(connection: Connection, wanted: Sequence[KeyEntry], *, who: str, now_us: int) -> None:
    """Let in who has one of these keys, and nobody else by a key."""
    reading = [
        ReadKey(0, one.name, one.key_hash, ReadScope(one.places, one.groups), now_us, who)
        for one in wanted
        if one.sort is KeySort.READ
    ]
    bringing = [
        GatewayKey(one.name, one.key_hash, now_us, who)
        for one in wanted
        if one.sort is KeySort.GATEWAY
    ]
    before = read_keys(connection)
    scopes = {one.name: one.scope for one in reading}
    for key in before:
        if scopes.get(key.name, key.scope) != key.scope:
            # Another scope under the same name is another key.
            revoke_read_key(connection, key.name)
    _put(connection, read_keys(connection), reading, revoke_read_key, keep_read_key)
    _put(connection, gateway_keys(connection), bringing, revoke_gateway_key, keep_gateway_key)


def _put(
    connection: Connection,
    there: Sequence[T],
    wanted: Sequence[T],
    revoke: Callable[[Connection, str], T],
    keep: Callable[[Connection, T], None],
) -> None:
    """Those that are there already stay as they are, with when they were made and used."""
    named = {one.name: one.key_hash for one in wanted}
    stay = {one.name for one in there if named.get(one.name) == one.key_hash}
    for one in there:
        if one.name not in stay:
            revoke(connection, one.name)
    for one in wanted:
        if one.name not in stay:
            keep(connection, one)
