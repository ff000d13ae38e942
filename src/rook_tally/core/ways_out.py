"""Ways out of this machine, by sort."""

from __future__ import annotations

import enum

from rook_tally.core.alarms.channels import ChannelKind


class WayOutSort(enum.StrEnum):
    """A sort of way out."""

    MAIL = "mail"
    WEBHOOK = "webhook"
    MESSAGE = "mqtt message"
    FORWARD = "forward"
    PAGE = "page"
    READ_KEY = "read key"
    POLL = "poll"
    DOOR = "open door"
    ANNOUNCEMENT = "announcement"


SORTS_OF_WAYS = {
    ChannelKind.MAIL: WayOutSort.MAIL,
    ChannelKind.WEBHOOK: WayOutSort.WEBHOOK,
    ChannelKind.MQTT: WayOutSort.MESSAGE,
}
"""Of channels by which something leaves this machine."""

ANNOUNCED_AS = "DNS-SD"
"""The name of the one announcement there is."""
