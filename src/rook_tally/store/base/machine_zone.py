"""The time zone of this machine: that of a new site until somebody says otherwise."""

from __future__ import annotations

from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from tzlocal import get_localzone_name


def machine_zone() -> str:
    """The IANA name of the machine's zone; UTC when it has none that is known by name."""
    try:
        name = get_localzone_name()
        ZoneInfo(name)
    except (ZoneInfoNotFoundError, LookupError, ValueError, OSError, TypeError):
        return "UTC"
    return name
