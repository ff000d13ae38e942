"""Turns the settings of a field into text to be typed over, in the unit shown, and back."""

from __future__ import annotations

import math
import re

import msgspec
from msgspec.structs import replace

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.display_unit import DisplayUnit
from rook_tally.core.quantities.number_format import figure
from rook_tally.core.quantities.series_settings import SeriesSettings, checked_series_settings

_KEPT = "the field stays as it was"
_BETWEEN = re.compile(r"\s*(?:\.\.|…|\bto\b|;|\s)\s*")


class FieldWords(msgspec.Struct, frozen=True):
    """The settings of a field as typed; None leaves one as it is, an empty text takes it back."""

    title: str | None = None
    believable: str | None = None
    accuracy: str | None = None
    decimals: str | None = None
    colour: str | None = None
    hidden: bool | None = None
    left_out: bool | None = None


FIELDS = FieldWords.__struct_fields__


def settings_from(words: FieldWords, before: SeriesSettings, shown: DisplayUnit) -> SeriesSettings:
    """Settings with what was typed, which is in the unit shown.

    Raises
    ------
    UsageError
        When something typed is no number, or cannot be.
    """
    told: dict[str, object] = {}
    if words.title is not None:
        told["title"] = words.title.strip()
    if words.believable is not None:
        told["believable"] = _range(words.believable, shown)
    if words.accuracy is not None:
        text = words.accuracy.strip().removeprefix("±")
        told["accuracy"] = _number(text) * abs(shown.unit.factor) if text else None
    if words.decimals is not None:
        text = words.decimals.strip()
        told["decimals"] = int(_whole(text)) - _more_than_base(shown) if text else None
    if words.colour is not None:
        text = words.colour.strip()
        told["colour"] = _whole(text) if text else None
    if words.hidden is not None:
        told["hidden"] = words.hidden
    if words.left_out is not None:
        told["left_out"] = words.left_out
    return checked_series_settings(msgspec.structs.replace(before, **told))


def without_what_stays(typed: FieldWords, before: FieldWords) -> FieldWords:
    """Only what was typed otherwise than it stood."""
    same = [name for name in FIELDS if getattr(typed, name) == getattr(before, name)]
    return replace(typed, **dict.fromkeys(same))


def words_of(settings: SeriesSettings, shown: DisplayUnit) -> FieldWords:
    """Settings as a person types them, in the unit shown."""
    span = settings.believable
    ends = [] if span is None else sorted(shown.value(one) for one in span)
    return FieldWords(
        title=settings.title,
        believable=" … ".join(f"{one:.6g}" for one in ends),
        accuracy=""
        if settings.accuracy is None
        else f"{settings.accuracy / abs(shown.unit.factor):.6g}",
        decimals=""
        if settings.decimals is None
        else figure(settings.decimals + _more_than_base(shown), 0),
        colour="" if settings.colour is None else str(settings.colour),
        hidden=settings.hidden,
        left_out=settings.left_out,
    )


def _more_than_base(shown: DisplayUnit) -> int:
    """Decimals that the unit shown has more than the base unit, as `DisplayUnit.decimals`."""
    return math.trunc(math.log10(abs(shown.unit.factor)))


def _range(text: str, shown: DisplayUnit) -> tuple[float, float] | None:
    if not text.strip():
        return None
    parts = [one for one in _BETWEEN.split(text.strip()) if one]
    if len(parts) != 2:
        raise UsageError(
            f"{text.strip()!r} is no range", kept=_KEPT, remedy="give two numbers, such as -20 60"
        )
    low, high = sorted(float(shown.unit.to_base(_number(one))) for one in parts)
    return low, high


def _number(text: str) -> float:
    try:
        value = float(text.strip().replace("−", "-").replace(",", "."))
    except ValueError:
        value = math.nan
    if not math.isfinite(value):
        raise UsageError(f"{text.strip()!r} is no number", kept=_KEPT, remedy="such as 0.5")
    return value


def _whole(text: str) -> int:
    value = _number(text)
    if not value.is_integer():
        raise UsageError(f"{text} is no whole number", kept=_KEPT, remedy="such as 2")
    return int(value)
