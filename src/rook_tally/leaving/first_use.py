"""The first use of a way out: who is going to hear of what, to be asked before it is opened."""

from __future__ import annotations

from collections.abc import Iterable
from urllib.parse import urlsplit

from sqlalchemy.engine import Connection

from rook_tally.core.alarms.channels import Channel, ChannelKind
from rook_tally.core.door_settings import (
    BrokerSetting,
    DoorSettings,
    ModbusSetting,
    PollSetting,
    polled_address,
)
from rook_tally.core.forwards.definitions import Forward
from rook_tally.core.hosts import is_loopback
from rook_tally.core.site_file.content import SiteContent
from rook_tally.leaving.texts import tr
from rook_tally.store.alarms import ways
from rook_tally.store.site.door_settings import door_settings
from rook_tally.store.site.forwards import forwards
from rook_tally.store.site.page_devices import page_setting


def first_use(connection: Connection, opened: Channel | Forward | DoorSettings) -> str:
    """What leaves for whom from now on, as a sentence; empty where something goes to that host
    already, or nothing leaves this machine."""
    return next(iter(_sentences(connection, (opened,))), "")


def first_uses(connection: Connection, content: SiteContent) -> list[str]:
    """The same for all that a site file opens."""
    opened = (*(content.channels or ()), *(content.forwards or ()), *(content.doors or ()))
    told = list(_sentences(connection, opened))
    page = content.page
    is_opened = page is not None and page.on and not page_setting(connection).is_on
    if page is not None and is_opened and not is_loopback(page.host):
        where = f"{page.host}:{page.port}"
        told.append(
            tr("From now on sheets of the Wall are served at {0} to who has a link.", where)
        )
    return told


def _sentences(
    connection: Connection, opened: Iterable[Channel | Forward | DoorSettings]
) -> Iterable[str]:
    known = {
        _host(one)
        for one in (
            *ways(connection),
            *(told for told, _ in forwards(connection) if told.is_on),
            *(told.settings for told in door_settings(connection)),
        )
    }
    for one in opened:
        host = _host(one)
        if not host or host in known or is_loopback(host):
            continue
        known.add(host)
        yield _words(one, host)


def _host(one: Channel | Forward | DoorSettings) -> str:
    """The host something goes to; empty where none is asked beyond this machine."""
    match one:
        case Channel(sort=ChannelKind.MAIL):
            return one.host
        case Channel(sort=ChannelKind.WEBHOOK):
            return urlsplit(one.url).hostname or ""
        case Forward(is_on=True):
            return urlsplit(one.address).hostname or ""
        case PollSetting() | ModbusSetting() | BrokerSetting():
            return urlsplit(polled_address(one)).hostname or ""
        case _:
            return ""


def _words(one: Channel | Forward | DoorSettings, host: str) -> str:
    if isinstance(one, Forward):
        what = one.what or tr("everything that is measured")
        return tr("From now on {0} leaves this machine for {1}.", what, host)
    if isinstance(one, Channel):
        return tr("From now on alarms with value and place leave this machine for {0}.", host)
    return tr("From now on {0} is asked, and learns that this machine is there.", host)
