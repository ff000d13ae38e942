"""What the store knows of a station's battery: its level over the last months, and how often it
sent."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from sqlalchemy.engine import Connection

from rook_tally.core.comparing.power import PowerOutlook, power_outlook
from rook_tally.core.timestamps import DAY_US
from rook_tally.store.readings.envelopes import envelopes
from rook_tally.store.site.site import Series

_DAYS, _COLUMNS_A_DAY = 120, 4
_COLUMN_US = DAY_US // _COLUMNS_A_DAY
_REFILL_PERCENT, _REFILL_VOLTS = 10.0, 0.15


def battery_series(series: Sequence[Series]) -> Series | None:
    """That of a station's series which tells how full its battery is: its charge, else a voltage
    that has a lower limit."""
    charge = next((one for one in series if one.quantity.slug == "battery"), None)
    return charge or next(
        (one for one in series if one.quantity.slug == "voltage" and _lowest_limit(one)), None
    )


def station_power(
    connection: Connection, series: Sequence[Series], now_us: int
) -> PowerOutlook | None:
    """The outlook of the station of these series, from quarter days of the last 120; None where
    nothing tells how full its battery is. Empty is 0 %, or the lowest limit of its voltage."""
    battery = battery_series(series)
    if battery is None:
        return None
    end_us = now_us // _COLUMN_US * _COLUMN_US + _COLUMN_US
    start_us = end_us - _DAYS * DAY_US
    told = envelopes(connection, list(series), start_us, end_us, _DAYS * _COLUMNS_A_DAY)
    level = told[battery.id].mean
    # Of several fields in one message the one that came most often says how many there were.
    messages = np.max([one.count + one.suspect for one in told.values()], axis=0)
    # The last quarter is not over yet.
    time_us = start_us + np.arange(len(level), dtype=np.int64) * _COLUMN_US + _COLUMN_US // 2
    is_charge = battery.quantity.slug == "battery"
    return power_outlook(
        time_us[:-1],
        level[:-1],
        messages[:-1].astype(np.float64),
        empty=0.0 if is_charge else _lowest_limit(battery) or 0.0,
        refill=_REFILL_PERCENT if is_charge else _REFILL_VOLTS,
    )


def _lowest_limit(series: Series) -> float | None:
    told = [one for one in series.limits.below if one is not None]
    return min(told, default=None)
