"""Limits that people set: for a quantity on the whole site, at a place, or for one series; which of
them is in force, and how they are written."""

from __future__ import annotations

import enum
import re
from collections.abc import Mapping

import msgspec
from msgspec.structs import replace

from rook_tally.core.errors import UsageError
from rook_tally.core.hours_of_day import HoursOfDay
from rook_tally.core.quantities.display_unit import DisplayUnit
from rook_tally.core.quantities.levels import NO_LIMITS, Four, HourLimits, Level, Limits
from rook_tally.core.quantities.number_input import number_text, typed_number
from rook_tally.core.quantities.quantity import Quantity

LEVELS = (Level.NOTICED, Level.RAISED, Level.HIGH, Level.SEVERE)
_PAIR = re.compile(r"\s*([a-z]+)\s*=\s*([^=]+?)(?=\s+[a-z]+\s*=|$)", re.IGNORECASE)


class LimitOrigin(enum.Enum):
    """Where the limits of a series come from, the nearest first."""

    SERIES = "series"
    PLACE = "place"
    SITE = "site"
    WORKING = "working"
    QUANTITY = "quantity"


class LimitScope(msgspec.Struct, frozen=True, kw_only=True):
    """For what limits are set: a quantity on the whole site, at a place, or of one series; or what
    a working gives, wherever it is made.

    Attributes
    ----------
    quantity : slug
    place : name; empty for the whole site and for one series
    series_id : None but for one series
    working : slug of the working; empty for what is measured
    """

    quantity: str
    place: str = ""
    series_id: int | None = None
    working: str = ""


class LimitsInForce(msgspec.Struct, frozen=True):
    """Limits, where they come from, and the place whose they are; empty for other origins."""

    limits: Limits
    origin: LimitOrigin = LimitOrigin.QUANTITY
    place: str = ""


def limits_in_force(
    quantity: Quantity,
    *,
    indoors: bool,
    own: Limits | None,
    rules: Mapping[tuple[str, int | None], Limits],
    places: tuple[tuple[int, str], ...],
    zone: str = "",
) -> LimitsInForce:
    """The limits of a series: its own, else those of its place, of the place around it, of the
    site, else the quantity's.

    Parameters
    ----------
    rules : by (quantity's slug, place's id; None for the whole site)
    places : (id, name) of the series' place, then of those around it, from the inside out
    zone : of the site, whose clocks hours are told by

    What is set for the whole site holds where the quantity's own limits do: what is set for
    temperatures does not make a frosty yard severe.
    """
    if own is not None:
        return LimitsInForce(own.in_zone(zone), LimitOrigin.SERIES)
    for place_id, name in places:
        found = rules.get((quantity.slug, place_id))
        if found is not None:
            return LimitsInForce(found.in_zone(zone), LimitOrigin.PLACE, name)
    found = rules.get((quantity.slug, None))
    if found is not None and quantity.holds_at(indoors=indoors):
        return LimitsInForce(found.in_zone(zone), LimitOrigin.SITE)
    return LimitsInForce(quantity.default_limits(indoors=indoors))


def limits_of(above: Four, below: Four) -> Limits:
    """Limits of both sides.

    Raises
    ------
    UsageError
        When they do not rise upwards and fall downwards, or the sides cross.
    """
    for side, ordered in ((above, 1), (below, -1)):
        given = [one for one in side if one is not None]
        if given != sorted(given, key=lambda one: ordered * one) or len(set(given)) < len(given):
            which = "upper limits rise" if ordered > 0 else "lower limits fall"
            raise UsageError(
                f"{which} from noticed to severe",
                kept="the limits stay as they were",
                remedy="give each level a limit further out than the one before it",
            )
    uppers = [one for one in above if one is not None]
    lowers = [one for one in below if one is not None]
    if uppers and lowers and min(uppers) <= max(lowers):
        raise UsageError(
            "the upper limits begin below the lower ones",
            kept="the limits stay as they were",
            remedy="leave room between them for what is fine",
        )
    return Limits(above, below)


def with_hours(limits: Limits | None, hours: HoursOfDay, told: Limits | None) -> Limits:
    """Limits with others at some hours, or with `told` None without those; hours that were set
    before keep their place.

    Raises
    ------
    UsageError
        When none are set for those hours that could be taken back.
    """
    was = limits or NO_LIMITS
    kept = [one for one in was.by_hours if one.hours != hours]
    if told is None and len(kept) == len(was.by_hours):
        raise UsageError(
            "no limits are set for those hours",
            kept="nothing was changed",
            remedy="`rook-tally limit list` names the hours that have some",
        )
    by_hours = list(was.by_hours)
    if told is None:
        by_hours = kept
    else:
        new = HourLimits(hours, told.above, told.below)
        at = [one.hours for one in by_hours].index(hours) if len(kept) < len(by_hours) else None
        by_hours = [*by_hours, new] if at is None else [*by_hours[:at], new, *by_hours[at + 1 :]]
    return replace(was, by_hours=tuple(by_hours))


def typed_side(text: str, told: DisplayUnit) -> Four:
    """One side of limits as a person writes it, `noticed=800 raised=1000`, in the unit shown; four
    limits in the base unit.

    Raises
    ------
    UsageError
        When it is written otherwise.
    """
    found: dict[Level, float] = {}
    rest = text.strip()
    while rest:
        pair = _PAIR.match(rest)
        level = None if pair is None else Level.__members__.get(pair[1].upper())
        if pair is None or level is None or level is Level.SETTLED or level in found:
            raise UsageError(
                f"{text!r} does not say limits",
                kept="the limits stay as they were",
                remedy='write each level once, as in "noticed=800 raised=1000 severe=2000"',
            )
        found[level] = told.unit.to_base(typed_number(pair[2]))
        rest = rest[pair.end() :].strip()
    first, second, third, fourth = (found.get(one) for one in LEVELS)
    return (first, second, third, fourth)


def side_text(side: Four, told: DisplayUnit) -> str:
    """One side of limits, as `typed_side` reads it."""
    pairs = zip(LEVELS, side, strict=True)
    return " ".join(
        f"{level.wording}={number_text(round(told.value(limit), 9))}"
        for level, limit in pairs
        if limit is not None
    )
