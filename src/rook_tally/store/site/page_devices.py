"""Where sheets are served as pages, and the devices that may look at them."""

from __future__ import annotations

import msgspec
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.errors import UsageError
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change
from rook_tally.store.base.credentials import access_hash, new_access_key

USUAL_PORT = 4780


class PageSetting(msgspec.Struct, frozen=True, omit_defaults=True):
    """The setting of the pages: `host` is the address listened on, `names` what the
    machine is called beside its own name, as by a proxy."""

    is_on: bool = False
    host: str = "0.0.0.0"
    port: int = USUAL_PORT
    names: tuple[str, ...] = ()


# Made once: msgspec falls over when two threads are the first to decode a type.
_SETTING = msgspec.json.Decoder(PageSetting)


class PageDevice(msgspec.Struct, frozen=True):
    """A phone or a tablet that has a link: `seen_us` is when it last looked, None for never."""

    id: int
    name: str
    key_hash: str
    made_us: int
    seen_us: int | None = None


def page_setting(connection: Connection) -> PageSetting:
    """Where pages are served; off for a store in which nobody switched them on."""
    document = connection.execute(sa.select(schema.page_setting.c.document)).scalar()
    if document is None:
        return PageSetting()
    try:
        return _SETTING.decode(document)
    except msgspec.ValidationError:
        # Of a newer program: what we cannot read we do not open to the network.
        return PageSetting()


def set_page(connection: Connection, setting: PageSetting) -> PageSetting:
    """Switch the pages on or off; returns what was set before."""
    before = page_setting(connection)
    connection.execute(sa.delete(schema.page_setting))
    document = msgspec.json.encode(setting).decode()
    connection.execute(sa.insert(schema.page_setting).values(id=1, document=document))
    note_change(connection, Subject.PAGE)
    return before


def page_devices(connection: Connection) -> list[PageDevice]:
    """All devices with a link, in the order they got one."""
    table = schema.page_device
    rows = connection.execute(sa.select(table).order_by(table.c.id))
    return [PageDevice(row.id, row.name, row.key_hash, row.made_us, row.seen_us) for row in rows]


def add_page_device(connection: Connection, name: str, *, now_us: int) -> str:
    """Make a key for a device; only its hash is kept, so this is the one time it can be read.

    Raises
    ------
    UsageError
        When there is one of that name, or the name is empty.
    """
    if not name.strip():
        raise UsageError("a device needs a name", remedy='give one, as in "Kitchen tablet"')
    if any(one.name == name for one in page_devices(connection)):
        raise UsageError(
            f"{name} has a link already",
            kept="it goes on opening the page",
            remedy="revoke it first, or give this device another name",
        )
    key = new_access_key()
    keep_page_device(connection, PageDevice(0, name, access_hash(key), now_us))
    return key


def keep_page_device(connection: Connection, device: PageDevice) -> None:
    """Write a device down: one that was revoked by mistake is let in again with the key it has."""
    connection.execute(
        sa.insert(schema.page_device).values(
            name=device.name,
            key_hash=device.key_hash,
            made_us=device.made_us,
            seen_us=device.seen_us,
        )
    )
    note_change(connection, Subject.PAGE)


def revoke_page_device(connection: Connection, name: str) -> PageDevice:
    """Let a device in no longer; returns what it was.

    Raises
    ------
    UsageError
        When there is none of that name.
    """
    known = page_devices(connection)
    found = next((one for one in known if one.name == name), None)
    if found is None:
        told = ", ".join(one.name for one in known) or "none"
        raise UsageError(f"no device {name} has a link", remedy=f"with a link: {told}")
    connection.execute(sa.delete(schema.page_device).where(schema.page_device.c.id == found.id))
    note_change(connection, Subject.PAGE)
    return found


def note_device_seen(connection: Connection, device_id: int, now_us: int) -> None:
    """Note that a device looked. Nobody is told: it happens all the time."""
    table = schema.page_device
    connection.execute(sa.update(table).where(table.c.id == device_id).values(seen_us=now_us))
