"""A forward: readings handed on to another system, whole or thinned, raw or corrected."""

from __future__ import annotations

import enum
from urllib.parse import urlsplit

import msgspec

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.named_series import slug_of
from rook_tally.core.quantities.registry import QUANTITIES

KEPT = "no forward was changed"


class ForwardKind(enum.StrEnum):
    """The protocol by which a forward hands readings on."""

    HTTP = "http"
    MQTT = "mqtt"
    ROOK_TALLY = "rook-tally"


class ForwardForm(enum.StrEnum):
    """The format in which a forward writes readings."""

    SENML = "senml"
    JSON = "json"


class Forward(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A forward as a document.

    `address`: of HTTP where it is posted to, of MQTT `mqtt://host:port/prefix` (`mqtts` with TLS),
    of another Rook Tally `https://host:port`. `places` and `quantities`: none means all. `secret`
    is sent as a bearer token (to another Rook Tally the key of a gateway), or is the password of
    `user`. `every_s`: means over so long in place of every reading.
    """

    slug: str
    kind: ForwardKind
    address: str
    places: tuple[str, ...] = ()
    quantities: tuple[str, ...] = ()
    form: ForwardForm = ForwardForm.SENML
    raw: bool = False
    every_s: float | None = None
    user: str = ""
    secret: str = ""
    is_on: bool = True

    @property
    def what(self) -> str:
        """Return the names of its places and quantities; empty for a forward of everything."""
        names = (QUANTITIES[one].name if one in QUANTITIES else one for one in self.quantities)
        return ", ".join((*self.places, *names))

    @property
    def host(self) -> str:
        """To whom it goes."""
        return urlsplit(self.address).netloc.rpartition("@")[2]


def checked_forward(told: Forward) -> Forward:
    """The forward, if it can be.

    Raises
    ------
    UsageError
        For a name, an address or a step that cannot be.
    """
    if not told.slug or told.slug != slug_of(told.slug):
        raise UsageError(
            f"{told.slug!r} cannot be a forward's name",
            kept=KEPT,
            remedy="use letters or digits; in lower case, with hyphens",
        )
    schemes = ("mqtt", "mqtts") if told.kind is ForwardKind.MQTT else ("http", "https")
    try:
        parts = urlsplit(told.address)
        is_there = parts.scheme in schemes and parts.hostname and (parts.port or 1) > 0
    except ValueError:
        is_there = False
    if not is_there:
        raise UsageError(
            f"{told.address!r} is no address to forward to by {told.kind}",
            kept=KEPT,
            remedy=f"as in {schemes[0]}://example.org/readings",
        )
    if told.kind is ForwardKind.ROOK_TALLY and told.form is not ForwardForm.SENML:
        raise UsageError(
            "another Rook Tally is sent SenML, which tells units", kept=KEPT, remedy="leave it out"
        )
    if told.every_s is not None and not 1 <= told.every_s <= 86_400:
        raise UsageError("means are of a second to a day", kept=KEPT)
    return told
