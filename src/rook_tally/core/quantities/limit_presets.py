"""Limits that others publish, to pick from: each with its source. In the quantity's base unit."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from rook_tally.core.quantities.guidelines import GUIDELINES, Guideline
from rook_tally.core.quantities.levels import Four, Limits

_NONE: Four = (None, None, None, None)


class LimitPreset(msgspec.Struct, frozen=True):
    """Published limits: `name` for commands, `title` and `source` for people."""

    name: str
    title: str
    quantity: str
    limits: Limits
    source: str


LIMIT_PRESETS = (
    LimitPreset(
        "co2-classroom",
        "Air of classrooms and offices",
        "co2",
        Limits(above=(800, 1000, 1400, 2000)),
        "1,000 and 2,000 ppm: German Environment Agency, Guide values for carbon dioxide in indoor "
        "air, 2008; 800 and 1,400 ours",
    ),
    LimitPreset(
        "co2-workplace",
        "Workplace, eight hours",
        "co2",
        Limits(above=(None, None, 5000, 15_000)),
        "5,000 ppm over eight hours: Directive 2006/15/EC; 15,000 ppm over fifteen minutes: HSE "
        "EH40/2005",
    ),
    LimitPreset(
        "pm25-who",
        "WHO, 24 hours",
        "pm25",
        Limits(above=(15, 25, 37.5, 50)),
        "WHO global air quality guidelines 2021: guideline and interim targets 4, 3 and 2 for 24 "
        "hours",
    ),
    LimitPreset(
        "pm25-us-epa",
        "US EPA, index categories",
        "pm25",
        Limits(above=(9.1, 35.5, 55.5, 125.5)),
        "US EPA Air Quality Index, breakpoints of 2024: moderate, unhealthy for sensitive groups, "
        "unhealthy, very unhealthy",
    ),
    LimitPreset(
        "pm10-who",
        "WHO, 24 hours",
        "pm10",
        Limits(above=(45, 50, 75, 100)),
        "WHO global air quality guidelines 2021: guideline and interim targets 4, 3 and 2 for 24 "
        "hours",
    ),
    LimitPreset(
        "temperature-workplace-uk",
        "Workplace, at least 16 °C",
        "temperature",
        Limits(below=(18, 16, 13, 10)),
        "16 °C, and 13 °C at heavy work: Workplace (Health, Safety and Welfare) Regulations 1992, "
        "approved code of practice; 18 and 10 ours",
    ),
    LimitPreset(
        "temperature-frost",
        "Plants and pipes, frost",
        "temperature",
        Limits(below=(5, 3, 1, 0)),
        "0 °C is where water freezes; the steps before it ours",
    ),
    LimitPreset(
        "temperature-machines",
        "Rooms of machines",
        "temperature",
        Limits(above=(27, 32, 35, 40), below=(18, 15, 10, 5)),
        "18 to 27 °C recommended, 15 to 32 °C allowed: ASHRAE thermal guidelines 2021, class A1; "
        "further steps ours",
    ),
    LimitPreset(
        "humidity-comfort",
        "Comfort",
        "humidity",
        Limits(above=(60, 70, 80, 90), below=(30, 25, 20, 15)),
        "EN 16798-1:2019 categories I to III (30–50, 25–60, 20–70 %), further steps ours",
    ),
    LimitPreset(
        "noise-work",
        "Noise at work",
        "sound_level",
        Limits(above=(None, 80, 85, 87)),
        "Directive 2003/10/EC: lower and upper action value and limit over eight hours",
    ),
    LimitPreset(
        "noise-night",
        "Bedrooms at night",
        "sound_level",
        Limits(above=(30, 40, 45, 55)),
        "30 and 45 dB(A) in bedrooms: WHO Guidelines for Community Noise 1999; 40 and 55 dB(A): "
        "WHO Night Noise Guidelines 2009",
    ),
    LimitPreset("none", "None at all", "", Limits(_NONE, _NONE), "whatever is measured is settled"),
)


def presets_for(
    quantity: str, guidelines: Sequence[Guideline] = GUIDELINES
) -> tuple[LimitPreset, ...]:
    """The presets of a quantity: published levels, and guidelines that have a limit of their own,
    above which something is raised."""
    return (
        *(one for one in LIMIT_PRESETS if one.quantity == quantity),
        *(
            LimitPreset(
                one.slug,
                one.title,
                quantity,
                Limits(above=(None, one.limit, None, None)),
                one.source or one.name,
            )
            for one in guidelines
            if one.quantity == quantity and one.follows is None
        ),
        *(one for one in LIMIT_PRESETS if not one.quantity),
    )
