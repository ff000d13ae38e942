"""Every way out of this machine: to whom, what of, when last, how much, allowed by whom.

Nothing leaves unless somebody opened a way, so the list of an untouched store is empty.
"""

from __future__ import annotations

from typing import TypeAlias
from urllib.parse import urlsplit

import msgspec
from sqlalchemy.engine import Connection

from rook_tally.core.alarms.channels import Channel, ChannelKind
from rook_tally.core.door_settings import door_name, polled_address
from rook_tally.core.hosts import is_loopback
from rook_tally.core.ways_out import ANNOUNCED_AS, SORTS_OF_WAYS, WayOutSort
from rook_tally.leaving.texts import tr, tr_count
from rook_tally.store.alarms import newest_letters, ways
from rook_tally.store.site.change_history import configuration_changes
from rook_tally.store.site.closed_ways import ClosedWays, closed_ways
from rook_tally.store.site.door_settings import door_settings
from rook_tally.store.site.forwards import forwards
from rook_tally.store.site.heartbeat import DoorState, collectors
from rook_tally.store.site.page_devices import page_devices, page_setting
from rook_tally.store.site.read_keys import read_keys
from rook_tally.store.site.reports import reports

PAGES_AS = "pages"
"""The name of the address at which pages are served."""

DOORS_SWITCHED = ("http", "mqtt")
"""Doors that may be open to the network and have a switch."""

_MOST_LETTERS = 2000
_MOST_CHANGES = 2000


class WayOut(msgspec.Struct, frozen=True):
    """A way out. `last_us` is when something last went, `count` how often (readings, requests,
    notices) and `sent_bytes` how much, None where that is not counted; `allowed_by` and
    `allowed_us` who opened it when, as far as it was written down."""

    sort: WayOutSort
    name: str
    whom: str
    what: str
    is_on: bool
    last_us: int | None = None
    count: int | None = None
    sent_bytes: int | None = None
    allowed_by: str = ""
    allowed_us: int | None = None
    trouble: str = ""


def ways_out(connection: Connection, *, now_us: int) -> list[WayOut]:
    """All of them, in the order of their sorts."""
    opened, closed = _who_opened(connection), closed_ways(connection)
    return [
        *_channels(connection, opened, closed),
        *_forwards(connection),
        *_pages(connection, opened),
        *_keys(connection),
        *_polls(connection, opened, closed),
        *_doors(connection, closed, now_us),
        *_announcements(connection, closed, now_us),
    ]


_Opened: TypeAlias = dict[tuple[str, str], tuple[str, int]]
"""By table and name of a row: who began it, and when."""


def _who_opened(connection: Connection) -> _Opened:
    found: _Opened = {}
    for change in configuration_changes(connection, most=_MOST_CHANGES):
        for one in change.changes:
            if one.before is None:
                found.setdefault((one.table, one.name), (change.who, change.time_us))
    return found


def _channels(connection: Connection, opened: _Opened, closed: ClosedWays) -> list[WayOut]:
    by_report = {name: one.name for one in reports(connection) for name in one.mail}
    told: dict[str, tuple[int, int]] = {}
    for item in newest_letters(connection, _MOST_LETTERS):
        if item.done_us is not None:
            count, last = told.get(item.way, (0, 0))
            told[item.way] = count + 1, max(last, item.done_us)
    found = []
    for way in ways(connection):
        sort = SORTS_OF_WAYS.get(way.sort)
        if sort is None:
            continue
        count, last = told.get(way.name, (0, 0))
        who, when = opened.get(("way", way.name), ("", None))
        what = tr("alarms that rang, with value and place")
        if way.name in by_report:
            what = tr("{0}; the report {1}", what, by_report[way.name])
        found.append(
            WayOut(
                sort,
                way.name,
                _whom(way),
                what,
                (sort, way.name) not in closed,
                last or None,
                count,
                None,
                who,
                when,
            )
        )
    return found


def _whom(way: Channel) -> str:
    if way.sort is ChannelKind.MAIL:
        return tr("{0} by {1}", ", ".join(way.to), way.host)
    if way.sort is ChannelKind.WEBHOOK:
        return urlsplit(way.url).netloc.rpartition("@")[2] or way.url
    return way.topic


def _forwards(connection: Connection) -> list[WayOut]:
    return [
        WayOut(
            WayOutSort.FORWARD,
            one.slug,
            one.host,
            tr("readings of {0}", one.what or tr("everything")),
            one.is_on,
            state.last_us or None,
            state.readings,
            state.sent_bytes,
            state.allowed_by,
            state.allowed_us,
            state.trouble,
        )
        for one, state in forwards(connection)
    ]


def _pages(connection: Connection, opened: _Opened) -> list[WayOut]:
    setting = page_setting(connection)
    devices = page_devices(connection)
    if not devices and not setting.is_on:
        return []
    is_told = not devices or not is_loopback(setting.host)
    what = tr("answers to devices that have a link")
    address = WayOut(
        WayOutSort.PAGE,
        PAGES_AS,
        f"{setting.host}:{setting.port}",
        what if devices else tr("nothing: no device has a link"),
        setting.is_on,
    )
    return [
        *([address] if is_told else []),
        *(
            WayOut(
                WayOutSort.PAGE,
                one.name,
                tr("a device with a link"),
                tr("sheets of the Wall, to look at"),
                setting.is_on,
                one.seen_us,
                allowed_by=opened.get(("page_device", one.name), ("", 0))[0],
                allowed_us=one.made_us,
            )
            for one in devices
        ),
    ]


def _keys(connection: Connection) -> list[WayOut]:
    return [
        WayOut(
            WayOutSort.READ_KEY,
            one.name,
            tr("a program that asks"),
            tr(
                "readings of {0}",
                ", ".join((*one.scope.places, *one.scope.groups)) or tr("everything"),
            ),
            True,
            one.used_us,
            one.requests,
            one.sent_bytes,
            one.who,
            one.made_us,
        )
        for one in read_keys(connection)
    ]


def _polls(connection: Connection, opened: _Opened, closed: ClosedWays) -> list[WayOut]:
    found = []
    for one in door_settings(connection):
        address = polled_address(one.settings)
        if address:
            who, when = opened.get(("door_setting", door_name(one.settings)), ("", None))
            found.append(
                WayOut(
                    WayOutSort.POLL,
                    address,
                    urlsplit(address).netloc,
                    tr("only that it is asked for"),
                    (WayOutSort.POLL, address) not in closed,
                    allowed_by=who,
                    allowed_us=when,
                )
            )
    return found


def _doors(connection: Connection, closed: ClosedWays, now_us: int) -> list[WayOut]:
    """Doors that listen beyond this machine, and somebody else's broker: what stations send comes
    in there, answers go out."""
    found = {
        name: WayOut(WayOutSort.DOOR, name, tr("this machine only"), _answers(name), False)
        for sort, name in sorted(closed)
        if sort is WayOutSort.DOOR
    }
    for collector in collectors(connection, now_us=now_us):
        for door in collector.doors:
            host, _, port = door.address.rpartition(":")
            is_beyond = port.isdigit() and not is_loopback(host.strip("[]"))
            if (
                door.name in DOORS_SWITCHED
                and door.state is DoorState.OPEN
                and is_beyond
                and door.name not in found
            ):
                found[door.name] = WayOut(
                    WayOutSort.DOOR,
                    door.name,
                    door.address,
                    _answers(door.name),
                    True,
                    allowed_us=door.since_us,
                )
    return list(found.values())


def _answers(door: str) -> str:
    """What goes out by a door that stations come in by."""
    if door == "mqtt":
        return tr("controls to stations, and messages to topics")
    return tr("answers to stations, and to whom has a key or a link")


def _announcements(connection: Connection, closed: ClosedWays, now_us: int) -> list[WayOut]:
    """That the doors are there, told to everybody on the network."""
    doors = [one for each in collectors(connection, now_us=now_us) for one in each.doors]
    since_us = [one.since_us for one in doors if one.name == "discovery"]
    is_off = (WayOutSort.ANNOUNCEMENT, ANNOUNCED_AS) in closed
    if not since_us and not is_off:
        return []
    return [
        WayOut(
            WayOutSort.ANNOUNCEMENT,
            ANNOUNCED_AS,
            tr("everybody on the network"),
            tr("that this machine takes readings in, and where"),
            not is_off,
            allowed_us=min(since_us, default=None),
        )
    ]


def summary(told: list[WayOut]) -> str:
    """How many ways there are, in words."""
    count = sum(one.is_on for one in told)
    return (
        tr_count(count, "One way out is open.", "{0} ways out are open.")
        if count
        else tr("Nothing leaves this machine.")
    )


SWITCHED_APART = frozenset(
    {WayOutSort.MAIL, WayOutSort.WEBHOOK, WayOutSort.MESSAGE, WayOutSort.POLL}
    | {WayOutSort.ANNOUNCEMENT, WayOutSort.DOOR}
)
"""Sorts that are switched without altering what is set up: `store.site.closed_ways`."""
