"""Rooms with two sensors, a mill and a visitor, whose truth is known."""

from __future__ import annotations

import numpy as np

from rook_tally.core.arrays import FloatArray, TimeArray
from rook_tally.core.quantities.kinds import KINDS
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.series.readings import readings_from
from rook_tally.core.timestamps import DAY_US, SECOND_US, time_us_from_text
from rook_tally.store.base import Store
from rook_tally.store.readings import append_history
from rook_tally.store.site import Series, add_series, add_station, load_site

CADENCE_S = 300
START_US = time_us_from_text("2026-03-02T00:00:00Z")
MONTH_US = round(365.25 / 12 * DAY_US)


def moments(days: float, *, late_s: float = 0.0) -> TimeArray:
    """Every five minutes from the beginning on."""
    count = round(days * 86_400 / CADENCE_S)
    late_us = round(late_s * SECOND_US)
    return START_US + late_us + np.arange(count, dtype=np.int64) * CADENCE_S * SECOND_US


def wander(count: int, seed: int, phi: float = 0.98) -> FloatArray:
    """A slow wander of unit spread."""
    steps = np.random.default_rng(seed).standard_normal(count) * np.sqrt(1 - phi * phi)
    value, told = 0.0, np.empty(count)
    for at, step in enumerate(steps.tolist()):
        value = phi * value + step
        told[at] = value
    return told


def noise(count: int, seed: int) -> FloatArray:
    """Quick noise of unit spread."""
    return np.random.default_rng(seed).standard_normal(count)


def shop_air(time_us: TimeArray) -> FloatArray:
    """CO₂ of a shop: a day's course and a wander of its own, ppm."""
    day = np.sin((time_us - START_US) / DAY_US * 2 * np.pi)
    return 650 + 120 * day + 50 * wander(len(time_us), 1)


def keep(
    store: Store,
    key: str,
    time_us: TimeArray,
    value: FloatArray,
    *,
    quantity: str = "co2",
    place: str = "Shop",
) -> Series:
    """Keep the history of a station, which is made when it is new."""
    with store.write() as connection:
        if load_site(connection).station(key) is None:
            add_station(
                connection, key, place=place, kind=KINDS["room-air"], cadence_s=float(CADENCE_S)
            )
        station = load_site(connection).station(key)
        assert station is not None
        series = add_series(
            connection,
            station,
            field=quantity,
            quantity=QUANTITIES[quantity],
            unit=QUANTITIES[quantity].base.symbol,
        )
        append_history(connection, series.id, readings_from(time_us, value))
        return next(one for one in load_site(connection).series if one.id == series.id)


def keep_shop(
    store: Store, days: float = 40.0, *, offset: float = 38.0, gain: float = 1.0, drift: float = 0.0
) -> tuple[Series, Series]:
    """A counter's sensor that is believed, and a shelf's that is off it, the drift ppm a month."""
    time_us = moments(days)
    air = shop_air(time_us)
    count = len(time_us)
    counter = keep(store, "counter", time_us, air + 4 * noise(count, 2))
    shown = gain * air + offset + drift * (time_us - START_US) / MONTH_US
    shelf = keep(store, "shelf", time_us + 7 * SECOND_US, shown + 6 * noise(count, 3))
    return counter, shelf


END_US = START_US + 40 * DAY_US
