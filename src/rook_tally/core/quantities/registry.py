"""The quantity registry: one row a quantity.

Default limits carry their source. Sources marked "ours" have no outside authority: they are
application defaults, meant to be changed. Accuracies are those of ordinary low-cost sensors.
"""

from __future__ import annotations

from msgspec.structs import replace

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.averaging import Averaging
from rook_tally.core.quantities.levels import Four, Limits
from rook_tally.core.quantities.quantity import Quantity, QuantityScale, Where
from rook_tally.core.quantities.unit import (
    AMPERE,
    AMPERE_HOUR,
    CELSIUS,
    CENTIMETRE,
    DBM,
    DBW,
    DECIBEL_A,
    DEGREE,
    FAHRENHEIT,
    FOOT,
    HECTOPASCAL,
    HERTZ,
    INCH,
    INCH_MERCURY,
    INDEX,
    KELVIN,
    KILOHM,
    KILOMETRE_HOUR,
    KILOPASCAL,
    KILOWATT,
    KILOWATT_HOUR,
    KNOT,
    LITRE_MINUTE,
    LUX,
    METRE,
    METRE_S2,
    METRE_SECOND,
    MICROGRAM_M3,
    MILE_HOUR,
    MILLIAMPERE,
    MILLIAMPERE_HOUR,
    MILLIGRAM_M3,
    MILLIMETRE,
    MILLIMETRE_LENGTH,
    MILLIMETRE_MERCURY,
    MILLIVOLT,
    OHM,
    PASCAL,
    PER_CM3,
    PER_DECILITRE,
    PER_MINUTE,
    PERCENT,
    PPB,
    PPM,
    RATIO,
    STANDARD_GRAVITY,
    STATE,
    VOLT,
    WATT,
    WATT_HOUR,
)

_TEMPERATURE_UNITS = (CELSIUS, FAHRENHEIT, KELVIN)
_MASS_UNITS = (MICROGRAM_M3, MILLIGRAM_M3)
_FRACTION_UNITS = (PPM, PPB)
_SHARE_UNITS = (PERCENT, RATIO)
_SPEED_UNITS = (METRE_SECOND, KILOMETRE_HOUR, KNOT, MILE_HOUR)
_SPAN_UNITS = (METRE, CENTIMETRE, MILLIMETRE_LENGTH, FOOT)


def _above(*limits: float | None) -> Limits:
    first, second, third, fourth = limits
    return Limits(above=(first, second, third, fourth))


def _below(*limits: float | None) -> Limits:
    first, second, third, fourth = limits
    return Limits(below=(first, second, third, fourth))


_WARM: Four = (26, 30, 35, 40)
_COLD: Four = (18, 16, 12, 5)

_ROWS: tuple[Quantity, ...] = (
    Quantity(
        "temperature",
        "Temperature",
        _TEMPERATURE_UNITS,
        0.3,
        (-60, 85),
        1,
        limits=Limits(above=_WARM, below=_COLD),
        limits_source="cold: WHO Housing and Health Guidelines 2018 (18 °C), further steps ours; "
        "warm: EN 16798-1:2019 category II summer (26 °C), further steps ours",
        limits_hold=Where.INDOORS,
    ),
    Quantity(
        "surface_temperature",
        "Surface temperature",
        _TEMPERATURE_UNITS,
        1.0,
        (-60, 1400),
        1,
        short="Surface",
    ),
    Quantity(
        "humidity",
        "Humidity",
        _SHARE_UNITS,
        2.0,
        (0, 100),
        0,
        zero_possible=False,
        limits=Limits(above=(60, 70, 80, 90), below=(30, 20, 15, 10)),
        limits_source="EN 16798-1:2019 category II (25–60 %) rounded, further steps ours",
        limits_hold=Where.INDOORS,
    ),
    Quantity(
        "pressure",
        "Pressure",
        (HECTOPASCAL, PASCAL, KILOPASCAL, INCH_MERCURY, MILLIMETRE_MERCURY),
        1.0,
        (300, 1100),
        1,
        zero_possible=False,
    ),
    Quantity(
        "co2",
        "CO₂",
        _FRACTION_UNITS,
        40.0,
        (250, 40_000),
        0,
        zero_possible=False,
        limits=_above(800, 1000, 1400, 2000),
        limits_source="1000 and 2000: German Indoor Air Committee 2008; 800 and 1400: "
        "EN 13779:2007 classes over 400 outdoors",
        limits_hold=Where.INDOORS,
    ),
    Quantity(
        "co",
        "CO",
        _FRACTION_UNITS,
        1.0,
        (0, 1000),
        1,
        limits=_above(4, 9, 30, 87),
        limits_source="WHO Air Quality Guidelines 2010/2021: 24 h, 8 h, 1 h and 15 min, in ppm",
    ),
    Quantity("pm03_count", "PM0.3 count", (PER_DECILITRE, PER_CM3), 50.0, (0, 1_000_000), 0),
    Quantity(
        "pm1",
        "PM1",
        _MASS_UNITS,
        3.0,
        (0, 1000),
        0,
        limits=_above(15, 25, 50, 75),
        limits_source="ours: as for PM2.5",
    ),
    Quantity(
        "pm25",
        "PM2.5",
        _MASS_UNITS,
        3.0,
        (0, 1000),
        0,
        limits=_above(15, 25, 50, 75),
        limits_source="WHO Global Air Quality Guidelines 2021, 24 h: guideline, interim targets "
        "4, 2 and 1",
    ),
    Quantity("pm4", "PM4", _MASS_UNITS, 4.0, (0, 2000), 0),
    Quantity(
        "pm10",
        "PM10",
        _MASS_UNITS,
        5.0,
        (0, 2000),
        0,
        limits=_above(45, 75, 100, 150),
        limits_source="WHO Global Air Quality Guidelines 2021, 24 h: guideline, interim targets "
        "3, 2 and 1",
    ),
    Quantity(
        "voc_index",
        "VOC",
        (INDEX,),
        15.0,
        (1, 500),
        0,
        zero_possible=False,
        limits=_above(150, 250, 350, 450),
        limits_source="ours: the usual level is 100",
    ),
    Quantity(
        "nox_index",
        "NOx",
        (INDEX,),
        5.0,
        (1, 500),
        0,
        zero_possible=False,
        limits=_above(20, 150, 250, 350),
        limits_source="ours: the usual level is 1",
    ),
    Quantity(
        "tvoc",
        "TVOC",
        _MASS_UNITS,
        30.0,
        (0, 60_000),
        0,
        limits=_above(300, 1000, 3000, 10_000),
        limits_source="German Environment Agency 2007, hygienic levels 2 to 5",
        limits_hold=Where.INDOORS,
    ),
    Quantity(
        "gas_resistance",
        "Gas resistance",
        (OHM, KILOHM),
        500.0,
        (0, 50_000_000),
        0,
        zero_possible=False,
    ),
    Quantity(
        "formaldehyde",
        "Formaldehyde",
        _MASS_UNITS,
        10.0,
        (0, 6000),
        0,
        limits=_above(60, 100, 200, 400),
        limits_source="100: WHO Guidelines for Indoor Air Quality 2010, 30 min; others ours",
        limits_hold=Where.INDOORS,
    ),
    Quantity(
        "ozone",
        "Ozone",
        _MASS_UNITS,
        10.0,
        (0, 2000),
        0,
        limits=_above(60, 100, 120, 160),
        limits_source="WHO Global Air Quality Guidelines 2021: peak season, 8 h, interim "
        "targets 2 and 1",
    ),
    Quantity(
        "nitrogen_dioxide",
        "NO₂",
        _MASS_UNITS,
        10.0,
        (0, 4000),
        0,
        limits=_above(25, 50, 120, 200),
        limits_source="WHO Global Air Quality Guidelines 2021, 24 h: guideline, interim "
        "targets 2 and 1; 200: 1 h",
    ),
    Quantity("illuminance", "Light", (LUX,), 20.0, (0, 200_000), 0),
    Quantity(
        "uv_index",
        "UV",
        (INDEX,),
        0.5,
        (0, 20),
        1,
        limits=_above(3, 6, 8, 11),
        limits_source="WHO Global Solar UV Index 2002: moderate, high, very high, extreme",
    ),
    Quantity(
        "sound_level",
        "Noise",
        (DECIBEL_A,),
        1.5,
        (20, 140),
        1,
        zero_possible=False,
        limits=_above(65, 80, 85, 87),
        limits_source="80, 85 and 87: Directive 2003/10/EC, lower and upper action value and "
        "limit; 65 ours",
    ),
    Quantity("vibration_x", "Vibration x", (STANDARD_GRAVITY, METRE_S2), 0.005, (-16, 16), 3),
    Quantity("vibration_y", "Vibration y", (STANDARD_GRAVITY, METRE_S2), 0.005, (-16, 16), 3),
    Quantity("vibration_z", "Vibration z", (STANDARD_GRAVITY, METRE_S2), 0.005, (-16, 16), 3),
    Quantity("substrate_moisture", "Moisture", _SHARE_UNITS, 2.0, (0, 100), 0),
    Quantity(
        "substrate_temperature", "Substrate temperature", _TEMPERATURE_UNITS, 0.5, (-40, 85), 1
    ),
    Quantity("water_level", "Water level", _SPAN_UNITS, 0.01, (-20, 100), 2),
    Quantity("flow", "Flow", (LITRE_MINUTE,), 0.2, (0, 100_000), 1),
    Quantity("distance", "Distance", _SPAN_UNITS, 0.02, (0, 500), 2),
    Quantity("rain", "Rain", (MILLIMETRE, INCH), 0.2, (0, 500), 1),
    Quantity("wind_speed", "Wind", _SPEED_UNITS, 0.3, (0, 90), 1),
    Quantity("wind_gust", "Gust", _SPEED_UNITS, 0.3, (0, 120), 1),
    Quantity("wind_direction", "Wind from", (DEGREE,), 5.0, (0, 360), 0),
    Quantity("voltage", "Voltage", (VOLT, MILLIVOLT), 0.05, (-1000, 1000), 2),
    Quantity("voltage_drop", "Voltage drop", (VOLT, MILLIVOLT), 0.0001, (-1, 1), 4),
    Quantity("current", "Current", (AMPERE, MILLIAMPERE), 0.05, (-2000, 2000), 2),
    Quantity("power", "Power", (WATT, KILOWATT), 1.0, (-1_000_000, 1_000_000), 0),
    Quantity("energy", "Energy", (KILOWATT_HOUR, WATT_HOUR), 0.01, (-1e9, 1e9), 2),
    Quantity("charge", "Charge", (AMPERE_HOUR, MILLIAMPERE_HOUR), 0.1, (-100_000, 100_000), 1),
    Quantity(
        "mains_frequency", "Mains frequency", (HERTZ,), 0.01, (40, 70), 2, zero_possible=False
    ),
    Quantity(
        "battery",
        "Battery",
        _SHARE_UNITS,
        2.0,
        (0, 100),
        0,
        limits=_below(30, 20, 10, 5),
        limits_source="ours",
    ),
    Quantity(
        "signal_strength",
        "Signal",
        (DBM, DBW),
        3.0,
        (-140, 20),
        0,
        limits=_below(-85, -92, None, None),
        limits_source="ours",
    ),
    Quantity("presence", "Presence", (STATE,), 0.0, (0, 1), 0, scale=QuantityScale.STATE),
    Quantity("switch", "Switch", (STATE,), 0.0, (0, 1), 0, scale=QuantityScale.STATE),
    Quantity("contact", "Contact", (STATE,), 0.0, (0, 1), 0, scale=QuantityScale.STATE),
    Quantity("fan_speed", "Fan speed", (PER_MINUTE,), 20.0, (0, 30_000), 0),
)

_SLOW = frozenset(
    {
        "temperature",
        "surface_temperature",
        "substrate_temperature",
        "humidity",
        "pressure",
        "co2",
        "substrate_moisture",
        "battery",
        "water_level",
    }
)
_NEVER_STILL = frozenset({"co2", "sound_level", "gas_resistance"})
_ENERGETIC = frozenset({"sound_level", "signal_strength"})
_CIRCULAR = frozenset({"wind_direction"})
_COUNTERS = frozenset({"energy", "charge"})
# Zero is a point somebody chose, or there is no zero at all.
_NO_TRUE_ZERO = frozenset(
    {
        "temperature",
        "surface_temperature",
        "substrate_temperature",
        "water_level",
        "voc_index",
        "nox_index",
        "sound_level",
        "signal_strength",
        "wind_direction",
        "presence",
        "switch",
        "contact",
    }
)


def _averaging(quantity: Quantity) -> Averaging:
    if quantity.scale is QuantityScale.STATE or quantity.slug in _COUNTERS:
        return Averaging.HELD
    if quantity.slug in _CIRCULAR:
        return Averaging.CIRCULAR
    return Averaging.ENERGETIC if quantity.slug in _ENERGETIC else Averaging.ARITHMETIC


QUANTITIES: dict[str, Quantity] = {
    one.slug: replace(
        one,
        is_slow=one.slug in _SLOW,
        never_still=one.slug in _NEVER_STILL,
        averaging=_averaging(one),
        true_zero=one.slug not in _NO_TRUE_ZERO,
    )
    for one in _ROWS
}
"""Every quantity by its slug, in the order they are shown."""

ORDER: dict[str, int] = {slug: position for position, slug in enumerate(QUANTITIES)}
"""Where each quantity stands in that order."""


def quantity_named(slug: str) -> Quantity:
    """The quantity with this slug.

    Raises
    ------
    UsageError
        When there is none; it lists those that are alike.
    """
    try:
        return QUANTITIES[slug]
    except KeyError:
        alike = [known for known in QUANTITIES if slug[:3] and known.startswith(slug[:3].lower())]
        raise UsageError(
            f"there is no quantity {slug!r}",
            remedy="did you mean " + " or ".join(alike)
            if alike
            else "see the list in docs/quantities.md",
        ) from None
