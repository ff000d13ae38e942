"""The settings of a site: its position, its height, its quiet hours."""

from __future__ import annotations

import enum
import re

import msgspec

from rook_tally.core.errors import UsageError
from rook_tally.core.hours_of_day import HoursOfDay
from rook_tally.core.moment_words import ClockStyle, DateStyle

_LOWEST_M, _HIGHEST_M = -500.0, 9_000.0
_LANGUAGE = re.compile(r"[a-z]{2,3}(_[A-Z]{2})?")
_POSITION = re.compile(r"\s*([+−-]?\d+(?:\.\d+)?)\s*[,; ]\s*([+−-]?\d+(?:\.\d+)?)\s*")


class Weekday(enum.Enum):
    """A day of the week."""

    MONDAY = "monday"
    TUESDAY = "tuesday"
    WEDNESDAY = "wednesday"
    THURSDAY = "thursday"
    FRIDAY = "friday"
    SATURDAY = "saturday"
    SUNDAY = "sunday"

    @property
    def number(self) -> int:
        """0 for Monday."""
        return list(Weekday).index(self)


class DecimalMark(enum.Enum):
    """The sign before the decimals of figures."""

    DESKTOP = "the desktop's"
    POINT = "point"
    COMMA = "comma"


class TimeGrain(enum.Enum):
    """Says to which unit the store keeps the times of readings."""

    MICROSECOND = "microsecond"
    MILLISECOND = "millisecond"

    @property
    def unit_us(self) -> int:
        """Microseconds of which every kept time is a whole number."""
        return 1_000 if self is TimeGrain.MILLISECOND else 1


class SiteSettings(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """Settings of a site.

    Attributes
    ----------
    latitude, longitude : degrees, WGS 84; None while nobody said
    height_m : metres above the sea
    week_begins : the day with which weeks begin on time axes
    quiet : hours in which only what is severe is told, by every channel that has none of its own
    decimals, dates, clocks : how windows write figures and moments
    language : of windows, as ISO 639 calls it; empty for the desktop's
    times : how finely the times of what comes in are kept
    """

    latitude: float | None = None
    longitude: float | None = None
    height_m: float | None = None
    quiet: HoursOfDay | None = None
    week_begins: Weekday = Weekday.MONDAY
    decimals: DecimalMark = DecimalMark.DESKTOP
    dates: DateStyle = DateStyle.DAY_FIRST
    clocks: ClockStyle = ClockStyle.HOURS_24
    language: str = ""
    times: TimeGrain = TimeGrain.MICROSECOND

    @property
    def wording(self) -> tuple[DecimalMark, DateStyle, ClockStyle, str]:
        """Return the settings that a window writes figures, moments and words by."""
        return self.decimals, self.dates, self.clocks, self.language


def checked_settings(settings: SiteSettings) -> SiteSettings:
    """The settings again.

    Raises
    ------
    UsageError
        When the position is nowhere on Earth, or the height none of a site.
    """
    latitude, longitude = settings.latitude, settings.longitude
    if (latitude is None) != (longitude is None):
        raise UsageError("a position needs both coordinates", remedy="give latitude and longitude")
    if not (abs(latitude or 0.0) <= 90 and abs(longitude or 0.0) <= 180):
        raise UsageError(
            f"{latitude:g}, {longitude:g} is nowhere on Earth",
            kept="nothing was changed",
            remedy="latitude −90 to 90, longitude −180 to 180",
        )
    height = settings.height_m
    if height is not None and not _LOWEST_M <= height <= _HIGHEST_M:
        raise UsageError(
            f"no site lies {height:g} m above the sea",
            kept="nothing was changed",
            remedy=f"give metres from {_LOWEST_M:g} to {_HIGHEST_M:g}",
        )
    if settings.language and not _LANGUAGE.fullmatch(settings.language):
        raise UsageError(
            f"{settings.language!r} is no language",
            kept="nothing was changed",
            remedy="give its code, such as en or pt_BR",
        )
    return settings


def position_from(text: str) -> tuple[float, float] | None:
    """Latitude and longitude of a text such as `50.35, -4.14`; None for an empty one.

    Raises
    ------
    UsageError
        When it holds no two numbers.
    """
    if not text.strip():
        return None
    found = _POSITION.fullmatch(text)
    if found is None:
        raise UsageError(
            f"{text.strip()!r} is no position",
            kept="nothing was changed",
            remedy="give latitude and longitude in degrees, such as 50.35, -4.14",
        )
    latitude, longitude = (float(one.replace("−", "-")) for one in found.groups())
    return latitude, longitude


def position_words(settings: SiteSettings) -> str:
    """The position as `position_from` reads it; empty when there is none."""
    if settings.latitude is None or settings.longitude is None:
        return ""
    return f"{settings.latitude:.10g}, {settings.longitude:.10g}"
