"""Ways of telling: where a notice goes, and what it says."""

from __future__ import annotations

import enum

import msgspec

from rook_tally.core.errors import UsageError
from rook_tally.core.hours_of_day import HoursOfDay
from rook_tally.core.quantities.levels import Level


class ChannelKind(enum.Enum):
    """A kind of channel."""

    DESKTOP = "desktop"
    SOUND = "sound"
    VOICE = "voice"
    MAIL = "mail"
    WEBHOOK = "webhook"
    MQTT = "mqtt"


class Security(enum.Enum):
    """Transport security of a mail server."""

    TLS = "tls"
    STARTTLS = "starttls"
    NONE = "none"


class Channel(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A way of telling somebody.

    Attributes
    ----------
    quiet : hours in which only what is severe is told; the rest waits for their end
    digest_min : minutes after midnight at which it tells once a day what rang; None tells at once
    host, port, security, user, password, sender, to : of mail
    url, secret : of a webhook; what it is sent is signed with the secret
    topic : of MQTT
    apart : what the password or secret goes by in the desktop's password store, when it is there
        and not here
    """

    name: str
    sort: ChannelKind
    quiet: HoursOfDay | None = None
    digest_min: int | None = None
    host: str = ""
    port: int = 0
    security: Security = Security.STARTTLS
    user: str = ""
    password: str = ""
    sender: str = ""
    to: tuple[str, ...] = ()
    url: str = ""
    secret: str = ""
    topic: str = ""
    apart: str = ""

    @property
    def own_secret(self) -> str:
        """The password or secret that stands here; empty when there is none, or it is apart."""
        return self.password if self.sort is ChannelKind.MAIL else self.secret

    def with_secret(self, secret: str) -> Channel:
        """This way with its password or secret here."""
        name = "password" if self.sort is ChannelKind.MAIL else "secret"
        return msgspec.structs.replace(self, apart="", **{name: secret})


BUILT_IN = (
    Channel(name="this desktop", sort=ChannelKind.DESKTOP),
    Channel(name="a sound", sort=ChannelKind.SOUND),
    Channel(name="a voice", sort=ChannelKind.VOICE),
)
"""What every site has without setting anything up."""
_MAIL_PORTS = {Security.TLS: 465, Security.STARTTLS: 587, Security.NONE: 25}


def checked_way(way: Channel) -> Channel:
    """A way that can be gone, its port filled in.

    Raises
    ------
    UsageError
        When something it needs is missing or cannot be meant.
    """
    if not way.name.strip():
        raise UsageError("a way of telling needs a name", remedy="say whom it reaches")
    if way.sort is ChannelKind.MAIL:
        if not way.host or not way.to or not way.sender:
            raise UsageError(
                f"{way.name}: mail needs a server, a sender and somebody it goes to",
                remedy="give host, sender and to",
            )
        bad = [one for one in (way.sender, *way.to) if "@" not in one or any(map(str.isspace, one))]
        if bad:
            raise UsageError(f"{way.name}: {bad[0]!r} is no mail address")
        return msgspec.structs.replace(way, port=way.port or _MAIL_PORTS[way.security])
    if way.sort is ChannelKind.WEBHOOK:
        from urllib.parse import urlsplit

        parts = urlsplit(way.url)
        if parts.scheme not in ("http", "https") or not parts.hostname:
            raise UsageError(
                f"{way.name}: {way.url!r} is no address of a webhook",
                remedy="it begins with https:// or http://",
            )
    if way.sort is ChannelKind.MQTT and (not way.topic or "+" in way.topic or "#" in way.topic):
        raise UsageError(
            f"{way.name}: {way.topic!r} is no topic to send to",
            remedy="name one topic, without + and #",
        )
    return way


def with_secrets_of(way: Channel, before: Channel | None) -> Channel:
    """A way as a file tells it, with the secrets of the one that is there where the file has
    none."""
    if before is None or before.sort is not way.sort or way.own_secret:
        return msgspec.structs.replace(way, apart="")
    return msgspec.structs.replace(
        way, password=before.password, secret=before.secret, apart=before.apart
    )


class NoticeReason(enum.Enum):
    """The reason of a notice."""

    RANG = "rang"
    CLEARED = "cleared"
    AGAIN = "again"
    ESCALATED = "escalated"
    MANY = "many"
    DIGEST = "digest"
    TRIAL = "trial"


class Notice(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A notice to somebody.

    `key` is the same however often it is sent, so that who receives it can tell a repeat.
    """

    key: str
    event: NoticeReason
    watch: str
    name: str
    time_us: int
    title: str
    text: str
    level: Level = Level.SETTLED
    series_id: int | None = None
    place: str = ""
    quantity: str = ""
    value: float | None = None
    unit: str = ""
    site: str = ""
