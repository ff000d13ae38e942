"""Fortnights: the readings of a slow sensor's days, a fortnight of them in one payload.

A page stays a day, with its totals. But a few hundred readings are so few that a row of their own
costs a tenth of their room, and a year of them 365 rows to be fetched and taken apart. So while all
days of a fortnight hold few readings, those stand together. A fortnight is whole: either all of its
days are in it, or each has a row of its own.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import msgspec
import numpy as np

from rook_tally.core.errors import DamagedPageError
from rook_tally.core.series.page_codec import checksum, decode_many, encode
from rook_tally.core.series.readings import Readings
from rook_tally.store.readings.pages import FEWEST_FOR_PACKED_HOURS, checksum_of
from rook_tally.store.readings.summaries import FORTNIGHT_US, PAGE_US


class Fortnight(msgspec.Struct, frozen=True):
    """The readings of all days of a fortnight of one series."""

    series_id: int
    start_us: int
    payload: bytes
    checksum: int

    def checksum_now(self) -> int:
        """CRC-32 over what it holds, so that damage to any part of it is found."""
        numbers = repr([self.series_id, self.start_us]).encode()
        return checksum(numbers, self.payload)


def fortnight_of(time_us: int) -> int:
    """Where the fortnight begins that a moment falls into: a Thursday, as 1 January 1970 was."""
    return time_us // FORTNIGHT_US * FORTNIGHT_US


def fits_a_fortnight(page: dict[str, Any]) -> bool:
    """True if a day, as a row of the page tables, may stand with others of its fortnight."""
    has_summaries = page["hours"] is not None or page["buckets"] is not None
    return page["count"] < FEWEST_FOR_PACKED_HOURS and not has_summaries


def fortnight_with(pages: Sequence[dict[str, Any]]) -> Fortnight | None:
    """All pages of a fortnight, at least one and in order, as one.

    Returns
    -------
    Fortnight or None
        None when one of them holds too much for that or is damaged, or when it takes more room than
        they do.
    """
    if not all(fits_a_fortnight(page) and page["checksum"] == checksum_of(page) for page in pages):
        return None
    try:
        payload = encode(decode_many([page["payload"] for page in pages]))
    except DamagedPageError:
        return None
    apart = sum(len(page["payload"]) for page in pages)
    return _unless_longer(pages[0]["series_id"], pages[0]["start_us"], payload, apart)


def fortnight_and(
    held: Fortnight, readings: Readings, pages: Sequence[dict[str, Any]]
) -> Fortnight | None:
    """A fortnight with some of its days in place of those it has, without taking all of it apart.

    Parameters
    ----------
    readings : Readings
        All that it holds.
    pages : rows of days of it, at least one and in order

    Returns
    -------
    Fortnight or None
        None as `fortnight_with` gives it.
    """
    if not all(map(fits_a_fortnight, pages)):
        return None
    days = np.array([page["start_us"] for page in pages])
    stays = ~np.isin(readings.time_us // PAGE_US * PAGE_US, days)
    come = decode_many([page["payload"] for page in pages])
    time_us = np.concatenate((readings.time_us[stays], come.time_us))
    order = np.argsort(time_us, kind="stable")
    value = np.concatenate((readings.value[stays], come.value))
    quality = np.concatenate((readings.quality[stays], come.quality))
    payload = encode(Readings(time_us[order], value[order], quality[order]))
    apart = len(held.payload) + sum(len(page["payload"]) for page in pages)
    return _unless_longer(held.series_id, held.start_us, payload, apart)


def _unless_longer(series_id: int, time_us: int, payload: bytes, apart: int) -> Fortnight | None:
    # One day that cannot be told in decimals makes every other of its fortnight as long.
    if len(payload) > apart:
        return None
    fortnight = Fortnight(series_id, fortnight_of(time_us), payload, 0)
    return msgspec.structs.replace(fortnight, checksum=fortnight.checksum_now())


def within_fortnight(page: dict[str, Any]) -> dict[str, Any]:
    """A page whose readings are in its fortnight."""
    values = page | {"payload": None}
    return values | {"checksum": checksum_of(values)}


def page_apart(page: dict[str, Any], readings: Readings) -> dict[str, Any]:
    """A page within a fortnight, given all readings of that, with its own in its row again."""
    start_us = page["start_us"]
    part = slice(*np.searchsorted(readings.time_us, (start_us, start_us + PAGE_US)).tolist())
    values = page | {"payload": encode(readings[part])}
    return values | {"checksum": checksum_of(values)}
