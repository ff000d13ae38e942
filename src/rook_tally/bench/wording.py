"""Figures with their uncertainty, and sentences whose main words stand out."""

from __future__ import annotations

import math

import msgspec

from rook_tally.bench.texts import tr
from rook_tally.core.quantities.display_unit import DisplayUnit
from rook_tally.core.quantities.number_format import figure
from rook_tally.store.site import Series

_MOST_DECIMALS = 4


class Sentence(msgspec.Struct, frozen=True):
    """What an answer says first; `strong`: the parts of it that stand out."""

    text: str
    strong: tuple[str, ...] = ()


def decimals_for(within: float) -> int:
    """So many decimals that an uncertainty has one telling digit."""
    if not math.isfinite(within) or within <= 0:
        return 0
    return max(0, min(_MOST_DECIMALS, -math.floor(math.log10(within))))


def plus_minus(value: float, within: float, *, signed: bool = False) -> str:
    """A figure and half its interval, `+38 ±6`; without one where it is not known."""
    if not math.isfinite(within):
        decimals = 0 if abs(value) >= 100 else 1 if abs(value) >= 10 else 2
        return signed_figure(value, decimals) if signed else figure(value, decimals)
    decimals = decimals_for(within)
    told = signed_figure(value, decimals) if signed else figure(value, decimals)
    return f"{told} ±{figure(within, decimals)}"


def signed_figure(value: float, decimals: int) -> str:
    """A figure with its sign, also a plus."""
    told = figure(value, decimals)
    return f"+{told}" if value > 0 and math.isfinite(value) else told


def in_unit(shown: DisplayUnit, value: float, within: float, *, signed: bool = False) -> str:
    """A difference with its uncertainty in the unit shown, with the unit."""
    told = plus_minus(shown.difference(value), shown.difference(within), signed=signed)
    return f"{told} {shown.symbol}".rstrip()


def level_in_unit(shown: DisplayUnit, value: float) -> str:
    """A level in the unit shown, with the unit."""
    return f"{shown.figure(value)} {shown.symbol}".rstrip()


def short_names(several: tuple[Series, ...]) -> list[str]:
    """What to call series in one sentence: by station, unless one station has several of them."""
    stations = [one.station.key for one in several]
    return [
        tr("{0} {1}", one.station.key, one.quantity.name)
        if stations.count(one.station.key) > 1
        else _station_name(one)
        for one in several
    ]


def _station_name(one: Series) -> str:
    return one.station.place.name if one.station.is_worked_out else one.station.key


def long_name(one: Series) -> str:
    """A series by place, quantity and, where it is measured, its station."""
    name = f"{one.station.place.name} {one.quantity.name}"
    return name if one.station.is_worked_out else f"{name} ({one.station.key})"
