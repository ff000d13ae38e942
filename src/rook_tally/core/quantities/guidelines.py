"""Guidelines that others publish for means over hours, days and years, each with its source.

In the base unit of their quantity; gases given by weight are told in ppm at 25 °C and 1013 hPa.
"""

from __future__ import annotations

import enum

import msgspec

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.named_series import slug_of
from rook_tally.core.quantities.registry import QUANTITIES


class Rule(enum.StrEnum):
    """A rule says which mean or count is compared with the limit of a guideline."""

    HOUR_MEAN = "hour"
    RUNNING_8H = "8h"
    DAY_MEAN = "day"
    YEAR_MEAN = "year"

    @property
    def words(self) -> str:
        """The mean it is about, in words."""
        return _RULE_WORDS[self]


_RULE_WORDS = {
    Rule.HOUR_MEAN: "mean of an hour",
    Rule.RUNNING_8H: "running mean of 8 h",
    Rule.DAY_MEAN: "mean of a day",
    Rule.YEAR_MEAN: "mean of a year",
}


class Guideline(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A limit for a mean of a quantity, on `allowed` days of a year at most, and where it is from.

    A day counts when 75 % of it was heard, a year when 90 % of its days count. With `station` and
    `field` the limit is what that series says, as of another town's air that a poll door asks for:
    the same mean of the same day.
    """

    slug: str
    name: str
    quantity: str
    rule: Rule
    limit: float
    allowed: int = 0
    source: str = ""
    station: str = ""
    field: str = ""

    @property
    def follows(self) -> tuple[str, str] | None:
        """Station and field of the series it follows; None for one with a limit of its own."""
        return (self.station, self.field) if self.station else None

    @property
    def title(self) -> str:
        """Its name and the mean it is about."""
        return f"{self.name}, {self.rule.words}"


def _row(
    slug: str, name: str, quantity: str, rule: Rule, limit: float, source: str, allowed: int = 0
) -> Guideline:
    return Guideline(
        slug=slug,
        name=name,
        quantity=quantity,
        rule=rule,
        limit=limit,
        allowed=allowed,
        source=source,
    )


_WHO = "WHO global air quality guidelines 2021"
_EU = "Directive 2008/50/EC"
_EU_2030 = "Directive (EU) 2024/2881, from 2030 on"
_US = "US EPA, National Ambient Air Quality Standards"
_UK = "UK, The Air Quality Standards Regulations 2010"
_DAY, _HOUR, _EIGHT, _YEAR = Rule.DAY_MEAN, Rule.HOUR_MEAN, Rule.RUNNING_8H, Rule.YEAR_MEAN

GUIDELINES = (
    _row("who-pm25-day", "WHO", "pm25", _DAY, 15.0, _WHO, 3),
    _row("who-pm25-year", "WHO", "pm25", _YEAR, 5.0, _WHO),
    _row("eu-pm25-year", "EU", "pm25", _YEAR, 25.0, _EU),
    _row("eu-2030-pm25-day", "EU 2030", "pm25", _DAY, 25.0, _EU_2030, 18),
    _row("eu-2030-pm25-year", "EU 2030", "pm25", _YEAR, 10.0, _EU_2030),
    _row("us-pm25-day", "US EPA", "pm25", _DAY, 35.0, f"{_US}, 2012; by the 98th percentile"),
    _row("us-pm25-year", "US EPA", "pm25", _YEAR, 9.0, f"{_US}, 2024; by the mean of three years"),
    _row("uk-pm25-year", "UK", "pm25", _YEAR, 20.0, _UK),
    _row("who-pm10-day", "WHO", "pm10", _DAY, 45.0, _WHO, 3),
    _row("who-pm10-year", "WHO", "pm10", _YEAR, 15.0, _WHO),
    _row("eu-pm10-day", "EU", "pm10", _DAY, 50.0, _EU, 35),
    _row("eu-pm10-year", "EU", "pm10", _YEAR, 40.0, _EU),
    _row("us-pm10-day", "US EPA", "pm10", _DAY, 150.0, f"{_US}, 1987", 1),
    _row("uk-pm10-day", "UK", "pm10", _DAY, 50.0, _UK, 35),
    _row("who-no2-day", "WHO", "nitrogen_dioxide", _DAY, 25.0, _WHO, 3),
    _row("who-no2-year", "WHO", "nitrogen_dioxide", _YEAR, 10.0, _WHO),
    _row("eu-no2-hour", "EU", "nitrogen_dioxide", _HOUR, 200.0, f"{_EU}: 18 hours a year", 18),
    _row("eu-no2-year", "EU", "nitrogen_dioxide", _YEAR, 40.0, _EU),
    _row("who-ozone-8h", "WHO", "ozone", _EIGHT, 100.0, _WHO, 3),
    _row("eu-ozone-8h", "EU", "ozone", _EIGHT, 120.0, f"{_EU}: target, mean of three years", 25),
    _row("us-ozone-8h", "US EPA", "ozone", _EIGHT, 137.0, f"{_US}, 2015: 0.070 ppm"),
    _row("who-co-day", "WHO", "co", _DAY, 3.5, f"{_WHO}: 4 mg/m³", 3),
    _row("eu-co-8h", "EU", "co", _EIGHT, 8.7, f"{_EU}: 10 mg/m³"),
    _row("us-co-8h", "US EPA", "co", _EIGHT, 9.0, f"{_US}, 1971", 1),
    _row(
        "de-co2-hour",
        "German guide value",
        "co2",
        _HOUR,
        1000.0,
        "German Environment Agency, Guide values for carbon dioxide in indoor air, 2008; the hour "
        "is ours",
    ),
    _row(
        "eu-co2-work-8h",
        "Workplace",
        "co2",
        _EIGHT,
        5000.0,
        "Directive 2006/15/EC: 5,000 ppm over eight hours",
    ),
    _row(
        "eu-noise-work-8h",
        "Workplace",
        "sound_level",
        _EIGHT,
        80.0,
        "Directive 2003/10/EC: lower action value over eight hours; where the sensor hangs, not at "
        "an ear",
    ),
    _row(
        "who-noise-day",
        "WHO",
        "sound_level",
        _DAY,
        70.0,
        "WHO Guidelines for Community Noise 1999: 70 dB(A) over 24 hours",
    ),
)


def checked_guideline(told: Guideline) -> Guideline:
    """The guideline, if it can be.

    Raises
    ------
    UsageError
        For a slug, a quantity or a number that cannot be.
    """
    kept = "no guideline was changed"
    if not told.slug or told.slug != slug_of(told.slug):
        raise UsageError(f"{told.slug!r} cannot be a guideline's name", kept=kept)
    if told.quantity not in QUANTITIES:
        raise UsageError(
            f"there is no quantity {told.quantity}",
            kept=kept,
            remedy=f"quantities: {', '.join(QUANTITIES)}",
        )
    if bool(told.station) != bool(told.field):
        raise UsageError(
            f"{told.slug} follows no series", kept=kept, remedy="name a station and its field"
        )
    if not abs(told.limit) < 1e12 or told.allowed < 0:
        raise UsageError(f"{told.slug}: its limit or its days cannot be", kept=kept)
    return told
