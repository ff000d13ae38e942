"""Formatting of numbers, ages and stretches of time."""

from __future__ import annotations

import math

MINUS = "−"
THIN_SPACE = "\u2009"
UNKNOWN = "–"

# Set once by whoever shows figures to a person, by their locale; files and commands keep the point.
_decimal_mark = "."


def write_with(decimal_mark: str) -> None:
    """Write the decimals of figures after this sign from now on: a point or a comma."""
    global _decimal_mark
    _decimal_mark = decimal_mark


def decimal_mark() -> str:
    """The sign before the decimals: a point or a comma."""
    return _decimal_mark


def figure(value: float, decimals: int) -> str:
    """A number as shown: true minus sign, thin-spaced thousands, never `−0`."""
    if not math.isfinite(value):
        return UNKNOWN
    text = f"{abs(value):,.{decimals}f}".replace(",", THIN_SPACE).replace(".", _decimal_mark)
    negative = value < 0 and any(digit in "123456789" for digit in text)
    return MINUS + text if negative else text


def plain(text: str) -> str:
    """A figure as other programs read it: an ordinary minus sign, thousands not parted."""
    return text.replace(MINUS, "-").replace(THIN_SPACE, "").replace(UNKNOWN, "")


def age(age_s: float) -> str:
    """An age in its largest fitting unit: `9 s`, `41 min`, `3 h`, `5 d`."""
    seconds = max(age_s, 0.0)
    if seconds < 100:
        return f"{seconds:.0f} s"
    if seconds < 100 * 60:
        return f"{seconds / 60:.0f} min"
    if seconds < 48 * 3600:
        return f"{seconds / 3600:.0f} h"
    return f"{seconds / 86400:.0f} d"


def duration(length_s: float) -> str:
    """A length of time in hours and minutes: `1 h 48 min`, `12 min`, `40 s`."""
    if not math.isfinite(length_s):
        return UNKNOWN
    if length_s < 60:
        return f"{length_s:.0f} s"
    minutes = round(length_s / 60)
    hours, minutes = divmod(minutes, 60)
    if not hours:
        return f"{minutes} min"
    return f"{hours} h {minutes} min" if minutes else f"{hours} h"
