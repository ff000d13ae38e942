"""Limits in a site file: `[[limit]]`, and those of a field or a working."""

from __future__ import annotations

import msgspec

from rook_tally.core.alarms.edits import hours_of
from rook_tally.core.hours_of_day import HoursOfDay
from rook_tally.core.quantities.levels import Four, HourLimits, Limits
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.site_file.content import LimitEntry


class _Levels(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    noticed: float | None = None
    raised: float | None = None
    high: float | None = None
    severe: float | None = None


class _HourSides(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    hours: str
    above: _Levels = _Levels()
    below: _Levels = _Levels()


class WrittenSides(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Limits as they are written: by side, and by hours of the day."""

    above: _Levels = _Levels()
    below: _Levels = _Levels()
    at_hours: tuple[_HourSides, ...] = ()


class _Limit(WrittenSides, frozen=True, forbid_unknown_fields=True, kw_only=True):
    quantity: str
    place: str = ""


def limit_of_table(table: object) -> LimitEntry:
    """A `[[limit]]`.

    Raises
    ------
    ValueError, msgspec.ValidationError
        When something in it cannot be.
    """
    told = msgspec.convert(table, _Limit)
    if told.quantity not in QUANTITIES:
        raise ValueError(f"there is no quantity {told.quantity}")
    return LimitEntry(quantity=told.quantity, place=told.place, limits=limits_of(told))


def limits_of(told: WrittenSides) -> Limits:
    """The limits that were written.

    Raises
    ------
    ValueError
        When the hours of one cannot be, or are all hours.
    """
    by_hours = tuple(
        HourLimits(_hours(one.hours), _four(one.above), _four(one.below)) for one in told.at_hours
    )
    return Limits(_four(told.above), _four(told.below), by_hours)


def _hours(text: str) -> HoursOfDay:
    hours = hours_of(text)
    if hours is None:
        raise ValueError(f"{text!r} are all hours; limits of the whole day need none")
    return hours


def _four(levels: _Levels) -> Four:
    return levels.noticed, levels.raised, levels.high, levels.severe
