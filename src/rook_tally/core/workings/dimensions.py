"""What kind of number a value is, so that only what belongs together is added and compared.

A measure is a product of powers of basic kinds, as in dimensional analysis (BIPM SI brochure,
2.3.3). Besides the SI's own, things that no arithmetic turns into one another are basic kinds here:
shares, volume fractions, light, angles. Temperatures and levels in decibels are *points* on a
scale: two of them have a difference (a *step*) but no sum.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache

from rook_tally.core.quantities import unit as units
from rook_tally.core.quantities.averaging import Averaging
from rook_tally.core.quantities.unit import Dimension, Unit

_KINDS = ("K", "s", "m", "kg", "A", "%", "ppm", "lx", "°", "dB", "dBm")
_NOTHING = (Fraction(0),) * len(_KINDS)
_EXPONENT = str.maketrans("⁰¹²³⁴⁵⁶⁷⁸⁹⁻", "0123456789-")
_RAISED = str.maketrans("0123456789-", "⁰¹²³⁴⁵⁶⁷⁸⁹⁻")


@dataclass(frozen=True, slots=True)
class Measure:
    """Powers of the basic kinds; `is_point` for places on a scale, `is_truth` for yes or no."""

    powers: tuple[Fraction, ...] = _NOTHING
    is_point: bool = False
    is_truth: bool = False

    def __mul__(self, other: Measure) -> Measure:
        return Measure(tuple(a + b for a, b in zip(self.powers, other.powers, strict=True)))

    def __truediv__(self, other: Measure) -> Measure:
        return Measure(tuple(a - b for a, b in zip(self.powers, other.powers, strict=True)))

    def raised(self, power: Fraction) -> Measure:
        """This measure to a power."""
        return Measure(tuple(one * power for one in self.powers))

    @property
    def step(self) -> Measure:
        """The measure of a difference of two of these."""
        return Measure(self.powers)

    @property
    def averaging(self) -> Averaging:
        """The averaging of such values: decibels, directions and states have their own."""
        if self.is_truth:
            return Averaging.HELD
        if self in (_DIMENSIONS[_D.SOUND_LEVEL][0], _DIMENSIONS[_D.SIGNAL][0]):
            return Averaging.ENERGETIC
        if self == _DIMENSIONS[_D.ANGLE][0]:
            return Averaging.CIRCULAR
        return Averaging.ARITHMETIC

    @property
    def is_number(self) -> bool:
        """True if it is a plain number."""
        return self.powers == _NOTHING and not self.is_truth


NUMBER = Measure()
TRUTH = Measure(is_truth=True)


def _of(*, point: bool = False, **powers: int) -> Measure:
    named = {"pct": "%", "deg": "°"}
    by_kind = {named.get(name, name): power for name, power in powers.items()}
    return Measure(tuple(Fraction(by_kind.get(kind, 0)) for kind in _KINDS), is_point=point)


TIME = _of(s=1)
TEMPERATURE = _of(K=1, point=True)

_D = Dimension
# Measure of each dimension, and what its base unit is in coherent units.
_DIMENSIONS: dict[Dimension, tuple[Measure, float]] = {
    _D.TEMPERATURE: (TEMPERATURE, 1.0),
    _D.SHARE: (_of(pct=1), 1.0),
    _D.PRESSURE: (_of(kg=1, m=-1, s=-2), 100.0),
    _D.FRACTION: (_of(ppm=1), 1.0),
    _D.MASS_CONCENTRATION: (_of(kg=1, m=-3), 1e-9),
    _D.NUMBER_CONCENTRATION: (_of(m=-3), 1e4),
    _D.INDEX: (NUMBER, 1.0),
    _D.NUMBER: (NUMBER, 1.0),
    _D.RESISTANCE: (_of(kg=1, m=2, s=-3, A=-2), 1.0),
    _D.ILLUMINANCE: (_of(lx=1), 1.0),
    _D.SOUND_LEVEL: (_of(dB=1, point=True), 1.0),
    _D.ACCELERATION: (_of(m=1, s=-2), 9.80665),
    _D.LENGTH: (_of(m=1), 1.0),
    _D.DEPTH: (_of(m=1), 1e-3),
    _D.SPEED: (_of(m=1, s=-1), 1.0),
    _D.ANGLE: (_of(deg=1), 1.0),
    _D.VOLTAGE: (_of(kg=1, m=2, s=-3, A=-1), 1.0),
    _D.CURRENT: (_of(A=1), 1.0),
    _D.POWER: (_of(kg=1, m=2, s=-3), 1.0),
    _D.ENERGY: (_of(kg=1, m=2, s=-2), 3.6e6),
    _D.CHARGE: (_of(A=1, s=1), 3600.0),
    _D.SIGNAL: (_of(dBm=1, point=True), 1.0),
    _D.STATE: (TRUTH, 1.0),
    _D.ROTATION: (_of(s=-1), 1 / 60),
    _D.FREQUENCY: (_of(s=-1), 1.0),
    _D.FLOW: (_of(m=3, s=-1), 1e-3 / 60),
    _D.DURATION: (TIME, 1.0),
}

_NEVER_SHOWN = (_D.DEPTH, _D.INDEX, _D.NUMBER_CONCENTRATION, _D.ROTATION, _D.FREQUENCY)
# A dimension for results of a measure, where one says best what it is.
_SHOWN_AS: dict[Measure, Dimension] = {}
for _dimension, (_measure, _) in _DIMENSIONS.items():
    if _dimension not in _NEVER_SHOWN:
        _SHOWN_AS.setdefault(_measure, _dimension)


def measure_of(dimension: Dimension) -> Measure:
    """The measure of a quantity's values."""
    return _DIMENSIONS[dimension][0]


def coherent_factor(dimension: Dimension) -> float:
    """Number of coherent units (SI; °C for temperatures) in a dimension's base unit."""
    return _DIMENSIONS[dimension][1]


@dataclass(frozen=True, slots=True)
class MeasureScale:
    """A unit as a formula may name it: coherent value = value × factor + offset."""

    symbol: str
    measure: Measure
    factor: float
    offset: float = 0.0
    unit: Unit | None = None
    base: float = 1.0

    def coherent(self, value: float) -> float:
        """A number of this unit in coherent units, to the last digit as a reading of it is kept."""
        if self.unit is not None:
            return float(self.unit.to_base(value)) * self.base
        return value * self.factor + self.offset


def _named_scales() -> dict[str, MeasureScale]:
    scales: dict[str, MeasureScale] = {}

    def add(scale: MeasureScale, *names: str) -> None:
        for name in names:
            scales.setdefault(name, scale)

    # A kelvin is a step of temperature, a degree Celsius a temperature.
    add(MeasureScale("K", TEMPERATURE.step, 1.0), "K")
    add(MeasureScale("dB", measure_of(_D.SOUND_LEVEL).step, 1.0), "dB")
    for unit in units.UNITS:
        if unit.dimension in (_D.STATE, _D.WORKED_OUT) or unit in (
            units.KELVIN,
            units.RATIO,
            units.INDEX,
            units.NUMBER,
        ):
            continue
        measure, base = _DIMENSIONS[unit.dimension]
        scale = MeasureScale(
            unit.symbol, measure, unit.factor * base, unit.offset * base, unit, base
        )
        # The inch goes by its name: `in` leads to a unit.
        names = [name for name in (unit.symbol, *unit.names) if _is_unit_name(name)]
        add(scale, *names)
    inch = units.INCH
    add(MeasureScale("in", measure_of(_D.DEPTH), inch.factor * 1e-3), "inch")
    add(MeasureScale("g/m³", _of(kg=1, m=-3), 1e-3), "g/m³", "g/m3")
    add(MeasureScale("g/kg", NUMBER, 1e-3), "g/kg")
    add(MeasureScale("km", _of(m=1), 1e3), "km")
    add(MeasureScale("L", _of(m=3), 1e-3), "L", "l")
    add(MeasureScale("m³", _of(m=3), 1.0), "m³", "m3")
    add(MeasureScale("kg", _of(kg=1), 1.0), "kg")
    add(MeasureScale("ms", TIME, 1e-3), "ms")
    add(MeasureScale("week", TIME, 604_800.0), "week", "weeks")
    add(MeasureScale("d", TIME, 86_400.0), "day", "days")
    add(MeasureScale("h", TIME, 3600.0), "hour", "hours")
    add(MeasureScale("min", TIME, 60.0), "minute", "minutes")
    add(MeasureScale("s", TIME, 1.0), "second", "seconds")
    add(MeasureScale("J", _of(kg=1, m=2, s=-2), 1.0), "J")
    add(MeasureScale("kA", _of(A=1), 1e3), "kA")
    add(MeasureScale("kV", measure_of(_D.VOLTAGE), 1e3), "kV")
    add(MeasureScale("µA", _of(A=1), 1e-6), "µA", "uA")
    return scales


def _is_unit_name(name: str) -> bool:
    return name not in ("in", "bool", "", "/", "F", "C", "#/0.1L", "#/cm3") and name[0] not in "1#/"


SCALES = _named_scales()
"""Units by every name a formula may use."""

_ATOMS = sorted((re.escape(name) for name in SCALES), key=len, reverse=True)
_ATOM = rf"(?:{'|'.join(_ATOMS)})(?![\w°µ@])(?:\^-?\d|[²³⁻¹]+)?"
UNIT_PATTERN = rf"(?:{_ATOM}|1(?=/[^\W\d]))(?:[/·]{_ATOM})*"
"""How a unit is written: names, with / and · between them and small powers."""


@lru_cache(512)
def scale_named(text: str) -> MeasureScale | None:
    """The unit a text names, alone or composed (`µg/m³`, `°C/h`, `1/h`); None for none."""
    whole = SCALES.get(text)
    if whole is not None:
        return whole
    measure, factor = NUMBER, 1.0
    for at, part in enumerate(re.split(r"([/·])", text)):
        if part in ("/", "·"):
            divides = part == "/"
            continue
        divides = at > 0 and divides
        if part == "1":
            continue
        found = re.fullmatch(r"(.+?)(?:\^(-?\d)|([²³⁻¹]+))?", part)
        one = SCALES.get(part)
        power = Fraction(1)
        if one is None and found is not None:
            one = SCALES.get(found[1])
            told = found[2] or (found[3] or "1").translate(_EXPONENT)
            power = Fraction(int(told))
        if one is None:
            return None
        # In a product a temperature is a step: °C/h is how fast it moves.
        step = one.measure.step.raised(power)
        measure = measure / step if divides else measure * step
        factor = factor / one.factor ** int(power) if divides else factor * one.factor ** int(power)
    return MeasureScale(text, measure, factor)


@dataclass(frozen=True, slots=True)
class DisplayMeasure:
    """The units a result is kept and shown in.

    Attributes
    ----------
    units : the one it is kept in first, then the others it may be shown in
    factor : float
        Kept value = coherent value / factor.
    preferred : Unit
        What it is shown in unless somebody picks another.
    """

    units: tuple[Unit, ...]
    factor: float
    preferred: Unit


def shown_in(measure: Measure, asked: MeasureScale | None) -> DisplayMeasure:
    """Units for a result of this measure, that asked for preferred when there is one."""
    if measure.is_truth:
        return DisplayMeasure((units.STATE,), 1.0, units.STATE)
    dimension = _SHOWN_AS.get(measure)
    if dimension is not None:
        of_dimension = tuple(one for one in units.UNITS if one.dimension is dimension)
        base = _DIMENSIONS[dimension][1]
        if asked is None:
            return DisplayMeasure(of_dimension, base, of_dimension[0])
        for one in of_dimension:
            if one.symbol == asked.symbol:
                return DisplayMeasure(of_dimension, base, one)
    scale = asked or _composed(measure)
    unit = Unit(scale.symbol, Dimension.WORKED_OUT)
    return DisplayMeasure((unit,), scale.factor, unit)


def _composed(measure: Measure) -> MeasureScale:
    """A unit for a measure that has no name: of a named one by the hour, or of basic kinds."""
    if measure == TEMPERATURE.step:
        return SCALES["K"]
    if measure == measure_of(_D.SOUND_LEVEL).step:
        return SCALES["dB"]
    if measure == NUMBER / TIME:
        return MeasureScale("1/h", measure, 1 / 3600)
    for known, dimension in _SHOWN_AS.items():
        base = next(one for one in units.UNITS if one.dimension is dimension)
        symbol = "K" if dimension is _D.TEMPERATURE else base.symbol
        if not symbol or dimension is _D.DURATION:
            continue
        factor = _DIMENSIONS[dimension][1]
        if measure == known / TIME:
            return MeasureScale(f"{symbol}/h", measure, factor / 3600)
        if measure == known * TIME:
            return MeasureScale(f"{symbol}·h", measure, factor * 3600)
    parts = [
        kind if power == 1 else f"{kind}{str(power).translate(_RAISED)}"
        for kind, power in zip(_KINDS, measure.powers, strict=True)
        if power
    ]
    return MeasureScale("·".join(parts), measure, 1.0)


def wording_of(measure: Measure) -> str:
    """A measure in a person's words."""
    if measure.is_truth:
        return "a yes or no"
    if measure.is_number:
        return "a plain number"
    dimension = _SHOWN_AS.get(measure)
    if dimension is not None:
        return f"a {dimension.value}".replace("a index", "an index").replace("a ill", "an ill")
    if measure == TEMPERATURE.step:
        return "a step of temperature"
    return f"a number in {_composed(measure).symbol}"
