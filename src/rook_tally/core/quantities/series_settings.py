"""The settings of one series: its name, its believable range, how it is shown."""

from __future__ import annotations

import msgspec
from msgspec.structs import replace

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.quantity import Quantity

MOST_DECIMALS = 6
COLOURS = 6
"""Number of colours a trace may be drawn in; they are those of the theme."""
_LONGEST_TITLE = 60
_KEPT = "the field stays as it was"


class SeriesSettings(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """Settings of a series; what is None or empty is as its kind or its quantity has it.

    Attributes
    ----------
    title : what it is called instead of its quantity's name
    believable : readings outside are suspect; base unit
    accuracy : what its sensor can tell, ±, base unit
    decimals : shown in the base unit; below 0 for units that are larger than what is known
    colour : of its trace, from 1
    hidden : not in the Ledger; it is kept and watched
    left_out : what comes for it from now on is not kept
    calibration_months : a calibration is due again after so many months
    """

    title: str = ""
    believable: tuple[float, float] | None = None
    accuracy: float | None = None
    decimals: int | None = None
    colour: int | None = None
    hidden: bool = False
    left_out: bool = False
    calibration_months: float | None = None


_MOST_MONTHS = 240
PLAIN_SERIES = SeriesSettings()


def checked_series_settings(settings: SeriesSettings) -> SeriesSettings:
    """The settings again.

    Raises
    ------
    UsageError
        When a range is none, an accuracy is not above zero, or there is no such colour.
    """
    if settings.believable is not None:
        low, high = settings.believable
        if not low < high:
            raise UsageError(
                f"nothing lies between {low:g} and {high:g}",
                kept=_KEPT,
                remedy="give the lowest and the highest believable value",
            )
    if settings.accuracy is not None and not 0 < settings.accuracy < float("inf"):
        raise UsageError(
            f"no sensor is accurate to ±{settings.accuracy:g}",
            kept=_KEPT,
            remedy="give a number above zero",
        )
    if settings.decimals is not None and not -MOST_DECIMALS <= settings.decimals <= MOST_DECIMALS:
        raise UsageError(
            f"{settings.decimals} decimals cannot be shown",
            kept=_KEPT,
            remedy=f"give 0 to {MOST_DECIMALS}",
        )
    if settings.colour is not None and not 1 <= settings.colour <= COLOURS:
        raise UsageError(
            f"there is no colour {settings.colour}", kept=_KEPT, remedy=f"give 1 to {COLOURS}"
        )
    months = settings.calibration_months
    if months is not None and not 0 < months <= _MOST_MONTHS:
        raise UsageError(
            f"a calibration cannot be due after {months:g} months",
            kept=_KEPT,
            remedy=f"give more than 0 and {_MOST_MONTHS} at most",
        )
    if len(settings.title) > _LONGEST_TITLE:
        raise UsageError(
            "that name is too long", kept=_KEPT, remedy=f"use at most {_LONGEST_TITLE} letters"
        )
    return settings


def settled_quantity(quantity: Quantity, settings: SeriesSettings) -> Quantity:
    """A quantity as it is meant of a series with these settings."""
    if settings == PLAIN_SERIES:
        return quantity
    return replace(
        quantity,
        name=settings.title or quantity.name,
        believable=settings.believable or quantity.believable,
        accuracy=quantity.accuracy if settings.accuracy is None else settings.accuracy,
        decimals=quantity.decimals if settings.decimals is None else settings.decimals,
    )
