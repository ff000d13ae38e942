"""A small pottery for formulas: places, stations and made-up readings."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from rook_tally.core.quantities.named_series import Group, NamedSeries
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.timestamps import MINUTE_US
from rook_tally.core.workings.alignment import Inputs, InputSamples
from rook_tally.core.workings.dimensions import coherent_factor
from rook_tally.core.workings.symbols import SymbolTable

_TOLD = (
    ("Kiln room", True, "kiln", ("temperature", "humidity", "co", "current")),
    ("Yard", False, "yard", ("temperature", "humidity", "pressure", "pm25")),
    ("Shop", True, "shop-a", ("co2", "temperature")),
    ("Shop", True, "shop-b", ("co2", "temperature")),
    ("Throwing room", True, "throwing", ("co2", "presence", "sound_level", "temperature")),
    ("Mill race", False, "mill", ("voltage_drop", "voltage", "current")),
)
USUAL = {
    "temperature": 20.0,
    "humidity": 50.0,
    "pressure": 1010.0,
    "pm25": 9.0,
    "co2": 700.0,
    "co": 1.0,
    "current": 2.0,
    "presence": 0.5,
    "sound_level": 60.0,
    "voltage_drop": 0.03,
    "voltage": 12.0,
}


def pottery(here: str | None = None) -> SymbolTable:
    """Fifteen series at five places, a reading a minute each; Shop has two alike."""
    series = [
        NamedSeries(number, QUANTITIES[slug], place, indoors, station, slug, 60.0)
        for number, (place, indoors, station, slug) in enumerate(
            (
                (place, indoors, station, slug)
                for place, indoors, station, slugs in _TOLD
                for slug in slugs
            ),
            start=1,
        )
    ]
    groups = (Group("Studios", places=("Throwing room", "Kiln room")),)
    return SymbolTable(series, QUANTITIES, groups, here)


def numbered(names: SymbolTable, quantity: str, station: str) -> NamedSeries:
    """A series by what it tells and whose it is."""
    return next(
        one for one in names.series if (one.quantity.slug, one.station) == (quantity, station)
    )


def heard(values: Mapping[int, Mapping[float, float]], names: SymbolTable) -> Inputs:
    """Readings told as minute → value by series id."""
    by_id = {one.id: one for one in names.series}
    found = {}
    for series_id, told in values.items():
        factor = coherent_factor(by_id[series_id].quantity.base.dimension)
        minutes = np.array(sorted(told))
        value = np.array([told[minute] for minute in sorted(told)]) * factor
        found[series_id] = InputSamples((minutes * MINUTE_US).astype(np.int64), value)
    return Inputs(found)


def waving(names: SymbolTable, minutes: int = 600) -> Inputs:
    """Every series telling something each minute."""
    at = np.arange(minutes)
    return Inputs(
        {
            one.id: InputSamples(
                at * MINUTE_US,
                USUAL[one.quantity.slug]
                * (1 + 0.1 * np.sin(at / 50 + one.id))
                * coherent_factor(one.quantity.base.dimension),
            )
            for one in names.series
        }
    )
