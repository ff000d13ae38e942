"""The readings of every station at any moment: one pure function of station, field and time."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeAlias

import numpy as np

from rook_tally.core.arrays import FloatArray, TimeArray
from rook_tally.core.timestamps import DAY_US, HOUR_US, SECOND_US
from rook_tally.demo import calendar
from rook_tally.demo.chance import bell, uniform, wander
from rook_tally.demo.pottery import DemoStation

_Model: TypeAlias = Callable[[str, TimeArray], dict[str, FloatArray]]

_DECIMALS = {
    "temp": 1,
    "surface": 1,
    "rh": 1,
    "temp_f": 1,
    "moisture": 1,
    "x": 3,
    "y": 3,
    "z": 3,
    "level": 3,
    "drop": 2,
    "battery_v": 2,
    "current": 2,
    "noise": 1,
    "co": 1,
    "rain": 1,
    "wind": 1,
    "pressure": 1,
    "pm1": 1,
    "pm25": 1,
    "pm10": 1,
    "sound_level": 1,
}


def measured(station: DemoStation, time_us: TimeArray) -> dict[str, FloatArray]:
    """The readings of a station at each moment, in the units it sends.

    Parameters
    ----------
    time_us : (N,) int64

    Returns
    -------
    dict of field name to (N,) float64, rounded as its sensor would.
    """
    values = _MODELS[station.key](station.key, time_us)
    return {
        field.name: np.round(values[field.name], _DECIMALS.get(field.name, 0))
        for field in station.reported
    }


def _span(time_us: TimeArray) -> tuple[int, int]:
    return (int(time_us[0]), int(time_us[-1])) if len(time_us) else (0, 1)


def _warmth(time_us: TimeArray) -> FloatArray:
    """The day's course: −1 before dawn, +1 in the early afternoon."""
    return np.asarray(np.cos((calendar.local_hours(time_us) - 14.5) / 24 * 2 * np.pi))


def _grain(key: str, field: str, time_us: TimeArray) -> FloatArray:
    return bell(f"{key} {field}", time_us // SECOND_US)


def _months_since_may(time_us: TimeArray) -> FloatArray:
    """Months of 365.25/12 days since the last first of May (UTC), (N,)."""
    moment = time_us.astype("datetime64[us]")
    year = moment.astype("datetime64[Y]")
    may = year.astype("datetime64[M]") + np.timedelta64(4, "M")
    may = np.where(moment < may, may - np.timedelta64(12, "M"), may).astype("datetime64[us]")
    return np.asarray((moment - may).astype(np.float64) / (30.4375 * DAY_US))


def _outdoor_temperature(time_us: TimeArray) -> FloatArray:
    season = np.cos((time_us / DAY_US - 200.0) / 365.25 * 2 * np.pi)
    return (
        10.5
        + 6.5 * season
        + 2.8 * _warmth(time_us)
        + 1.8 * wander("front", time_us, 26 * 3600)
        + 0.4 * wander("gusts", time_us, 2400)
    )


def _throwing_room(key: str, t: TimeArray) -> dict[str, FloatArray]:
    lessons = calendar.classes(*_span(t))
    busy = calendar.during(t, lessons)
    breath = calendar.following(t, lessons, rise_s=3600, decay_s=2600)
    # Clay dust settles slowly, and sooner where the cleaner runs.
    swept = [one for one in lessons if calendar.is_cleaned_after(one)]
    left = [one for one in lessons if not calendar.is_cleaned_after(one)]
    dust = calendar.following(t, swept, rise_s=1800, decay_s=1150)
    dust += calendar.following(t, left, rise_s=1800, decay_s=3600)
    # The pug mill stands behind the wall.
    warmed = calendar.following(t, calendar.pugging(*_span(t)), rise_s=5400, decay_s=5400)
    return {
        "co2": 435 + 700 * breath + 18 * wander("air", t, 1500) + 6 * _grain(key, "co2", t),
        "temp": 19.6
        + 1.1 * _warmth(t)
        + 1.9 * breath
        + 0.3 * wander("stove", t, 5000)
        + 0.04 * _grain(key, "temp", t)
        + 0.9 * warmed,
        "rh": 46
        + 9 * breath
        - 2 * _warmth(t)
        + 1.5 * wander("steam", t, 3000)
        + 0.3 * _grain(key, "rh", t),
        "voc": np.clip(
            98 + 70 * breath + 12 * wander("slip", t, 1800) + 3 * _grain(key, "v", t), 1, 500
        ),
        "noise": 39 + 24 * np.minimum(busy, 1.0) + 2.5 * (1 + busy) * np.abs(_grain(key, "n", t)),
        "presence": (busy > 0).astype(np.float64),
        "pm25": np.clip(3 + 18 * dust + 0.4 * _grain(key, "pm25", t), 0.2, None),
        "switch": (calendar.during(t, calendar.cleaning(lessons)) > 0).astype(np.float64),
    }


def _glaze_dust(key: str, t: TimeArray) -> dict[str, FloatArray]:
    sprays = calendar.spraying(*_span(t))
    dust = calendar.following(t, sprays, rise_s=900, decay_s=800)
    cleared = calendar.during(t, calendar.extracting(*_span(t)))
    air = dust * (1.0 - 0.38 * cleared)
    fine = (
        5.5
        + 95 * air * (1 + 0.12 * wander("spray gun", t, 240))
        + 1.6 * wander("booth", t, 3000)
        + 0.7 * _grain(key, "pm", t)
    )
    fine = np.clip(fine, 0.5, None)
    return {
        "pm1": 0.62 * fine + 0.2 * np.abs(_grain(key, "pm1", t)),
        "pm25": fine,
        "pm10": 1.45 * fine + 1.0 * np.abs(_grain(key, "pm10", t)),
        "voc": np.clip(
            92 + 260 * air + 14 * wander("glaze", t, 2400) + 3 * _grain(key, "v", t), 1, 500
        ),
        "nox": np.clip(1.4 + 12 * air + 0.6 * wander("nox", t, 3600), 1, 500),
        "sound_level": 44 + 24.5 * cleared + 0.9 * _grain(key, "n", t),
    }


def _extractor(_key: str, t: TimeArray) -> dict[str, FloatArray]:
    return {"on": calendar.during(t, calendar.extracting(*_span(t)))}


def _kiln_room(key: str, t: TimeArray) -> dict[str, FloatArray]:
    firing = calendar.firings(*_span(t))
    hot = calendar.following(t, firing, rise_s=4 * 3600, decay_s=4.5 * 3600)
    on = calendar.during(t, firing)
    # The elements are switched in a pulse pattern of two minutes.
    pulse = ((t // (20 * SECOND_US)) % 6 < 4) & (on > 0)
    return {
        "temp": 17.5
        + 0.9 * _warmth(t)
        + 17.5 * hot
        + 0.3 * wander("kiln", t, 1800)
        + 0.05 * _grain(key, "temp", t),
        "surface": 19 + 150 * hot + 1.2 * wander("shell", t, 1500) + 0.2 * _grain(key, "s", t),
        "rh": np.clip(
            47 - 24 * hot + 1.4 * wander("vent", t, 2600) + 0.3 * _grain(key, "r", t), 8, 95
        ),
        "co": np.clip(0.3 + 3.4 * hot + 0.3 * wander("flue", t, 1200), 0, None),
        "current": np.where(pulse, 41.4 + 0.3 * _grain(key, "a", t), 0.0),
    }


_MIST_CYCLE_S = 5.5 * 3600
_MIST_ON = 0.035


def _damp_store(key: str, t: TimeArray) -> dict[str, FloatArray]:
    """Clay dries until the mister wets it: a saw tooth."""
    part = (t / SECOND_US) % _MIST_CYCLE_S / _MIST_CYCLE_S
    misting = part < _MIST_ON
    wetness = np.where(misting, part / _MIST_ON, 1.0 - (part - _MIST_ON) / (1 - _MIST_ON))
    return {
        "moisture": 33.5 + 6.5 * wetness + 0.15 * _grain(key, "m", t),
        "rh": 82 + 8 * wetness + 0.8 * wander("damp", t, 2400) + 0.2 * _grain(key, "rh", t),
        "temp": 11.5
        + 0.5 * _warmth(t)
        + 0.3 * wander("cellar", t, 9000)
        + 0.03 * _grain(key, "t", t),
        "switch": misting.astype(np.float64),
    }


def _drying_loft(key: str, t: TimeArray) -> dict[str, FloatArray]:
    kiln = calendar.following(t, calendar.firings(*_span(t)), rise_s=6 * 3600, decay_s=6 * 3600)
    return {
        "temp": 20
        + 1.6 * _warmth(t)
        + 5 * kiln
        + 0.4 * wander("loft", t, 5400)
        + 0.04 * _grain(key, "temp", t),
        "rh": 44 - 8 * kiln + 2 * wander("drying", t, 4000) + 0.3 * _grain(key, "rh", t),
        "battery": 64 + 30 * (1 - (t / DAY_US) % 180 / 180),
    }


def _shop(key: str, t: TimeArray) -> dict[str, FloatArray]:
    hours = calendar.local_hours(t)
    open_now = 1 / (1 + np.exp(-(hours - 9.7) * 3)) - 1 / (1 + np.exp(-(hours - 17.6) * 2))
    breath = open_now * (0.75 + 0.3 * wander("customers", t, 2700))
    # The shelf's cheap sensor has crept up since it was last set outdoors, on the first of May.
    drift = 9.18 * _months_since_may(t) if key == "shop-shelf" else 0.0
    shelf_grain = 14.0 if key == "shop-shelf" else 5.0
    return {
        "co2": 440
        + drift
        + 430 * np.clip(breath, 0, None)
        + 10 * wander("shop", t, 1800)
        + shelf_grain * _grain(key, "co2", t),
        "temp": 18.8
        + 1.8 * open_now
        + 0.3 * wander("heater", t, 2400)
        + 0.05 * _grain(key, "temp", t),
        "rh": 52 + 3 * open_now + 1.5 * wander("shop rh", t, 3600) + 0.3 * _grain(key, "rh", t),
    }


def _pug_mill(key: str, t: TimeArray) -> dict[str, FloatArray]:
    work = calendar.during(t, calendar.pugging(*_span(t)))
    shake = 0.02 + work
    heat = calendar.following(t, calendar.pugging(*_span(t)), rise_s=5400, decay_s=5400)
    noise = 47 + 26 * np.sqrt(np.minimum(work / 0.4, 1.2)) + 0.6 * _grain(key, "n", t)
    # Its sound sensor now and then answers with a lone zero.
    noise = np.where(uniform("lone zero", t // SECOND_US) < 0.0004, 0.0, noise)
    return {
        "x": shake * (0.62 + 0.10 * _grain(key, "x", t)),
        "y": shake * (0.48 + 0.09 * _grain(key, "y", t)),
        "z": shake * (1.00 + 0.12 * _grain(key, "z", t)),
        "surface": 17.5 + 0.8 * _warmth(t) + 14 * heat + 0.08 * _grain(key, "s", t),
        "noise": noise,
    }


def _yard(key: str, t: TimeArray) -> dict[str, FloatArray]:
    hours = calendar.local_hours(t)
    sun = np.clip(np.sin((hours - 7.4) / 8.8 * np.pi), 0, None) * ((hours > 7.4) & (hours < 16.2))
    shower = np.clip(wander("shower", t, 5 * 3600) - 1.1, 0, None)
    return {
        "temp": _outdoor_temperature(t) + 0.05 * _grain(key, "temp", t),
        "rh": np.clip(80 - 7 * _warmth(t) + 5 * wander("sea air", t, 9000), 25, 100),
        "pressure": 1012 + 7 * wander("pressure", t, 40 * 3600) + 0.05 * _grain(key, "p", t),
        "pm25": np.clip(
            7.5 + 2.5 * wander("traffic", t, 4000) + 0.5 * _grain(key, "pm", t), 0.5, None
        ),
        "rain": np.round(shower * 2, 1),
        "light": 9500 * sun * np.clip(0.7 + 0.3 * wander("cloud", t, 900), 0.1, None) + 1,
        "wind": np.clip(
            3.6 + 1.7 * wander("wind", t, 3 * 3600) + 0.9 * _grain(key, "w", t), 0, None
        ),
    }


_TIDE_US = int(12.4206 * HOUR_US)
"""The principal lunar tide, M2."""


def _mill_race(key: str, t: TimeArray) -> dict[str, FloatArray]:
    tide = np.sin(t % _TIDE_US / _TIDE_US * 2 * np.pi)
    flow = np.clip(0.55 + 0.5 * tide, 0, None)
    load = 0.25 + 0.1 * calendar.during(t, calendar.classes(*_span(t)))
    return {
        "level": 0.82 + 0.38 * tide + 0.01 * wander("race", t, 900),
        # 60 mV at 50 A: the wheel charges, the lamps discharge.
        "drop": 13.0 * flow - 40.0 * load * 0.35 + 0.12 * _grain(key, "d", t),
        "battery_v": 12.45 + 0.28 * tide + 0.02 * _grain(key, "v", t),
    }


def _quay_gate(key: str, t: TimeArray) -> dict[str, FloatArray]:
    celsius = _outdoor_temperature(t) + 1.1
    hours = calendar.local_hours(t)
    bustle = np.clip(np.sin((hours - 6) / 14 * np.pi), 0, None)
    return {
        "temp_f": celsius * 9 / 5 + 32,
        "noise": 46 + 11 * bustle + 2.2 * wander("quay", t, 700) + 1.2 * _grain(key, "n", t),
        "pm25": np.clip(9 + 4 * bustle + 2 * wander("diesel", t, 2400), 0.5, None),
    }


_MODELS: dict[str, _Model] = {
    "throwing-wall": _throwing_room,
    "glaze-dust": _glaze_dust,
    "glaze-extractor": _extractor,
    "kiln-probe": _kiln_room,
    "damp-probe": _damp_store,
    "loft-node": _drying_loft,
    "shop-counter": _shop,
    "shop-shelf": _shop,
    "pug-gearbox": _pug_mill,
    "yard-post": _yard,
    "mill-sluice": _mill_race,
    "quay-gate": _quay_gate,
}
