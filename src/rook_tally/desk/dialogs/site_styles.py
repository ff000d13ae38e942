"""The ways of writing that a person can choose of, in words."""

from __future__ import annotations

from importlib.resources import files

from rook_tally.core.moment_words import ClockStyle, DateStyle
from rook_tally.core.site_settings import DecimalMark
from rook_tally.desk.dialogs.texts import tr

_COMPILED = ".qm"


def decimal_choices() -> list[tuple[DecimalMark, str]]:
    """Signs before decimals."""
    return [
        (DecimalMark.DESKTOP, tr("as the desktop")),
        (DecimalMark.POINT, "1.5"),
        (DecimalMark.COMMA, "1,5"),
    ]


def date_choices() -> list[tuple[DateStyle, str]]:
    """Ways of writing a date."""
    return [
        (DateStyle.DAY_FIRST, tr("27 Nov 2026")),
        (DateStyle.MONTH_FIRST, tr("Nov 27, 2026")),
        (DateStyle.YEAR_FIRST, "2026-11-27"),
    ]


def clock_choices() -> list[tuple[ClockStyle, str]]:
    """Ways of reading a clock."""
    return [(ClockStyle.HOURS_24, "14:05"), (ClockStyle.HOURS_12, "2:05 pm")]


def language_choices() -> list[tuple[str, str]]:
    """The desktop's language, English as everything is written in, and each there is a translation
    for."""
    compiled = sorted(
        one.name.removeprefix("rook_tally_").removesuffix(_COMPILED)
        for one in files("rook_tally.desk.languages").iterdir()
        if one.name.endswith(_COMPILED)
    )
    return [
        ("", tr("as the desktop")),
        ("en", "English"),
        *((code, code) for code in compiled if code != "en"),
    ]
