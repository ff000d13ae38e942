"""Units of measurement: names on the wire, symbols on screen, conversion into the base unit.

The unit names of SenML are those of RFC 8428 section 12.1 and RFC 8798; conversion factors
are exact by definition (SI brochure; NIST SP 811 for inch, mile, knot, mmHg and inHg).
"""

from __future__ import annotations

import enum
from functools import lru_cache
from typing import TypeVar

import msgspec

from rook_tally.core.arrays import FloatArray

Number = TypeVar("Number", float, FloatArray)


class Dimension(enum.Enum):
    """A physical dimension: units of one can be converted."""

    TEMPERATURE = "temperature"
    SHARE = "share"
    PRESSURE = "pressure"
    FRACTION = "volume fraction"
    MASS_CONCENTRATION = "mass concentration"
    NUMBER_CONCENTRATION = "number concentration"
    INDEX = "index"
    RESISTANCE = "resistance"
    ILLUMINANCE = "illuminance"
    SOUND_LEVEL = "sound level"
    ACCELERATION = "acceleration"
    LENGTH = "length"
    DEPTH = "depth"
    SPEED = "speed"
    ANGLE = "angle"
    VOLTAGE = "voltage"
    CURRENT = "current"
    POWER = "power"
    ENERGY = "energy"
    CHARGE = "charge"
    SIGNAL = "signal"
    STATE = "state"
    ROTATION = "rotation"
    FREQUENCY = "frequency"
    FLOW = "flow"
    DURATION = "duration"
    NUMBER = "number"
    WORKED_OUT = "worked out"


class Unit(msgspec.Struct, frozen=True):
    """A unit: base value = value × factor + offset.

    `symbol` is what is shown; `names` are the spellings accepted on the wire besides it. Where base
    value = (value − zero) / divisor says the same in shorter numbers, it is reckoned so: 57 cm are
    0.57 m then, and not a digit in the seventeenth place more.
    """

    symbol: str
    dimension: Dimension
    factor: float = 1.0
    offset: float = 0.0
    names: tuple[str, ...] = ()
    divisor: float = 0.0
    zero: float = 0.0

    def to_base(self, value: Number) -> Number:
        """A value of this unit in the base unit of its dimension."""
        if self.divisor:
            return (value - self.zero) / self.divisor
        return value * self.factor + self.offset

    def from_base(self, value: Number) -> Number:
        """A value in the base unit, expressed in this unit."""
        if self.divisor:
            return value * self.divisor + self.zero
        return (value - self.offset) / self.factor


_D = Dimension

CELSIUS = Unit("°C", _D.TEMPERATURE, names=("Cel", "C", "degC", "celsius"))
FAHRENHEIT = Unit(
    "°F", _D.TEMPERATURE, 5 / 9, -160 / 9, ("F", "degF", "fahrenheit"), divisor=1.8, zero=32.0
)
KELVIN = Unit("K", _D.TEMPERATURE, 1.0, -273.15, names=("kelvin",))
PERCENT = Unit("%", _D.SHARE, names=("%RH", "%EL", "pct", "percent"))
RATIO = Unit("1", _D.SHARE, 100.0, names=("/",))
HECTOPASCAL = Unit("hPa", _D.PRESSURE, names=("mbar",))
PASCAL = Unit("Pa", _D.PRESSURE, 0.01, divisor=100.0)
KILOPASCAL = Unit("kPa", _D.PRESSURE, 10.0)
INCH_MERCURY = Unit("inHg", _D.PRESSURE, 25.4 * 1.33322387415)
MILLIMETRE_MERCURY = Unit("mmHg", _D.PRESSURE, 1.33322387415)
PPM = Unit("ppm", _D.FRACTION)
PPB = Unit("ppb", _D.FRACTION, 1e-3, divisor=1e3)
MICROGRAM_M3 = Unit("µg/m³", _D.MASS_CONCENTRATION, names=("ug/m3", "µg/m3", "μg/m3", "μg/m³"))
MILLIGRAM_M3 = Unit("mg/m³", _D.MASS_CONCENTRATION, 1e3, names=("mg/m3",))
PER_DECILITRE = Unit("/dL", _D.NUMBER_CONCENTRATION, names=("1/dL", "#/0.1L", "/0.1L"))
PER_CM3 = Unit("/cm³", _D.NUMBER_CONCENTRATION, 100.0, names=("1/cm3", "#/cm3", "/cm3"))
INDEX = Unit("index", _D.INDEX, names=("",))
OHM = Unit("Ω", _D.RESISTANCE, names=("Ohm", "ohm"))
KILOHM = Unit("kΩ", _D.RESISTANCE, 1e3, names=("kOhm", "kohm"))
LUX = Unit("lx", _D.ILLUMINANCE, names=("lux",))
DECIBEL_A = Unit("dB(A)", _D.SOUND_LEVEL, names=("dBA", "dB"))
STANDARD_GRAVITY = Unit("g", _D.ACCELERATION, names=("gn",))
METRE_S2 = Unit("m/s²", _D.ACCELERATION, 1 / 9.80665, names=("m/s2",))
MILLIMETRE = Unit("mm", _D.DEPTH)
INCH = Unit("in", _D.DEPTH, 25.4)
METRE = Unit("m", _D.LENGTH)
CENTIMETRE = Unit("cm", _D.LENGTH, 0.01, divisor=100.0)
MILLIMETRE_LENGTH = Unit("mm", _D.LENGTH, 0.001, divisor=1e3)
FOOT = Unit("ft", _D.LENGTH, 0.3048)
METRE_SECOND = Unit("m/s", _D.SPEED)
KILOMETRE_HOUR = Unit("km/h", _D.SPEED, 1 / 3.6, names=("kph",), divisor=3.6)
KNOT = Unit("kn", _D.SPEED, 1852 / 3600, names=("kt", "knot"))
MILE_HOUR = Unit("mph", _D.SPEED, 0.44704)
DEGREE = Unit("°", _D.ANGLE, names=("deg",))
VOLT = Unit("V", _D.VOLTAGE)
MILLIVOLT = Unit("mV", _D.VOLTAGE, 1e-3, divisor=1e3)
AMPERE = Unit("A", _D.CURRENT)
MILLIAMPERE = Unit("mA", _D.CURRENT, 1e-3, divisor=1e3)
WATT = Unit("W", _D.POWER)
KILOWATT = Unit("kW", _D.POWER, 1e3)
KILOWATT_HOUR = Unit("kWh", _D.ENERGY)
WATT_HOUR = Unit("Wh", _D.ENERGY, 1e-3, divisor=1e3)
AMPERE_HOUR = Unit("Ah", _D.CHARGE)
MILLIAMPERE_HOUR = Unit("mAh", _D.CHARGE, 1e-3, divisor=1e3)
DBM = Unit("dBm", _D.SIGNAL)
DBW = Unit("dBW", _D.SIGNAL, 1.0, 30.0)
STATE = Unit("", _D.STATE, names=("bool", "/"))
PER_MINUTE = Unit("1/min", _D.ROTATION, names=("rpm", "r/min"))
HERTZ = Unit("Hz", _D.FREQUENCY)
LITRE_MINUTE = Unit("L/min", _D.FLOW, names=("l/min",))
SECOND = Unit("s", _D.DURATION)
MINUTE = Unit("min", _D.DURATION, 60.0)
HOUR = Unit("h", _D.DURATION, 3600.0)
DAY = Unit("d", _D.DURATION, 86_400.0)
NUMBER = Unit("", _D.NUMBER)

UNITS: tuple[Unit, ...] = tuple(
    candidate for candidate in list(globals().values()) if isinstance(candidate, Unit)
)


@lru_cache(maxsize=1024)
def unit_named(name: str, dimension: Dimension) -> Unit | None:
    """The unit of a dimension that goes by this name or symbol; None when there is none.

    Names are compared as written first and without regard to case second, so that `mW` and
    `MW` would stay apart but `CEL` is still understood.
    """
    of_dimension = [unit for unit in UNITS if unit.dimension is dimension]
    for unit in of_dimension:
        if name == unit.symbol or name in unit.names:
            return unit
    folded = name.casefold()
    matching = [
        unit
        for unit in of_dimension
        if folded in {spelling.casefold() for spelling in (unit.symbol, *unit.names)}
    ]
    return matching[0] if len(matching) == 1 else None
