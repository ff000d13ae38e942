"""The form of a channel, made into one; without Qt."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from urllib.parse import urlsplit

from msgspec.structs import replace

from rook_tally.core.alarms.channels import Channel, ChannelKind, Security, checked_way
from rook_tally.core.alarms.edits import hours_of
from rook_tally.core.alarms.sentences import hours_words
from rook_tally.core.errors import UsageError
from rook_tally.core.hosts import host_named, is_loopback
from rook_tally.core.hours_of_day import HoursOfDay
from rook_tally.desk.watch.texts import tr

FIELDS: Mapping[ChannelKind, tuple[str, ...]] = {
    ChannelKind.MAIL: ("to", "sender", "host", "security", "port", "user", "password"),
    ChannelKind.WEBHOOK: ("url", "secret"),
    ChannelKind.MQTT: ("topic",),
    ChannelKind.DESKTOP: (),
    ChannelKind.SOUND: (),
    ChannelKind.VOICE: (),
}
"""What each sort wants, in the order it is asked for."""
EVERY = ("quiet", "digest")
SECRET = ("password", "secret")
_CLOCK = re.compile(r"([01]?\d|2[0-3]):([0-5]\d)")


def texts_of(way: Channel) -> dict[str, str]:
    """A way as it stands in the form. Secrets are not shown: what is left empty stays."""
    digest = "" if way.digest_min is None else f"{way.digest_min // 60:02}:{way.digest_min % 60:02}"
    return {
        "to": ", ".join(way.to),
        "sender": way.sender,
        "host": way.host,
        "security": way.security.value,
        "port": str(way.port or ""),
        "user": way.user,
        "password": "",
        "url": way.url,
        "secret": "",
        "topic": way.topic,
        "quiet": "" if way.quiet is None else hours_words(way.quiet),
        "digest": digest,
    }


def way_from(
    name: str, sort: ChannelKind, texts: Mapping[str, str], before: Channel | None
) -> Channel:
    """The way that a form says.

    Parameters
    ----------
    before : the way as it is kept; secrets left empty are taken from it

    Raises
    ------
    UsageError
        When something is missing or cannot be meant.
    """
    said = {name: text.strip() for name, text in texts.items()}
    way = Channel(
        name=name.strip(),
        sort=sort,
        quiet=_quiet(said.get("quiet", "")),
        digest_min=_minute(said.get("digest", "")),
    )
    if sort is ChannelKind.MAIL:
        to = tuple(one for one in re.split(r"[,;\s]+", said.get("to", "")) if one)
        way = replace(
            way,
            to=to,
            sender=said.get("sender", ""),
            host=said.get("host", ""),
            security=Security(said.get("security") or Security.STARTTLS.value),
            port=_port(said.get("port", "")),
            user=said.get("user", ""),
            **_secret("password", said, before),
        )
    elif sort is ChannelKind.WEBHOOK:
        way = replace(way, url=said.get("url", ""), **_secret("secret", said, before))
    elif sort is ChannelKind.MQTT:
        way = replace(way, topic=said.get("topic", ""))
    return checked_way(way)


def place_words(way: Channel | None) -> str:
    """Where the password or secret of a way is kept; empty while there is none."""
    if way is None or not (way.apart or way.own_secret):
        return ""
    if way.apart:
        return tr("Kept in this desktop's password store.")
    return tr("Kept in the store with the readings, for whoever may read its file.")


def _secret(name: str, said: Mapping[str, str], before: Channel | None) -> dict[str, str]:
    """A password or secret that was typed, else the one that is kept, wherever that is."""
    if said.get(name) or before is None:
        return {name: said.get(name, "")}
    return {name: before.own_secret, "apart": before.apart}


def _quiet(text: str) -> HoursOfDay | None:
    return hours_of(text) if text else None


def _minute(text: str) -> int | None:
    if not text:
        return None
    found = _CLOCK.fullmatch(text)
    if found is None:
        raise UsageError(f"{text!r} is no time of day", remedy="write such as 07:00")
    return int(found[1]) * 60 + int(found[2])


def _port(text: str) -> int:
    if not text:
        return 0
    if not text.isdigit() or not 0 < int(text) < 65536:
        raise UsageError(f"{text!r} is no port", remedy="leave it empty for the usual one")
    return int(text)


def leaving_words(sort: ChannelKind, said: Mapping[str, str], known: Sequence[Channel]) -> str:
    """Return the sentence that names the host which hears of alarms once the form is saved; empty
    where no new host does."""
    host = said.get("host", "").strip() if sort is ChannelKind.MAIL else ""
    if sort is ChannelKind.WEBHOOK:
        host = host_named(said.get("url", "").strip().partition("://")[2].partition("/")[0])
    hosts = {one.host for one in known} | {urlsplit(one.url).hostname for one in known}
    if not host or is_loopback(host) or host in hosts:
        return ""
    return tr("From now on alarms with value and place leave this machine for {0}.", host)
