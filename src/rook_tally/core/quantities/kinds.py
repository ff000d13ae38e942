"""The kinds that come with us: ordinary ones, and those named by the part in them."""

from __future__ import annotations

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.controls import Control, ControlKind
from rook_tally.core.quantities.kind import Field as Field
from rook_tally.core.quantities.kind import Kind as Kind
from rook_tally.core.quantities.part_kinds import PART_KINDS

ORDINARY_CADENCE_S = 60.0


_INTERVAL = Control("interval", "Sampling interval", ControlKind.NUMBER, "s", 1, 3600)
_BRIGHTNESS = Control("brightness", "Display brightness", ControlKind.NUMBER, "%", 0, 100)
_ZERO = Control("zero", "Zero calibration", ControlKind.BUTTON, confirm_s=60.0)


def _kind(
    slug: str,
    name: str,
    cadence_s: float,
    *fields: tuple[str, str, str],
    controls: tuple[Control, ...] = (),
) -> Kind:
    return Kind(slug, name, cadence_s, tuple(Field(*field) for field in fields), controls)


PLAIN = Kind("plain", "any station", ORDINARY_CADENCE_S, ())

KINDS: dict[str, Kind] = {
    kind.slug: kind
    for kind in (
        PLAIN,
        _kind(
            "room-air",
            "room air",
            20,
            ("co2", "co2", "ppm"),
            ("temp", "temperature", "°C"),
            ("rh", "humidity", "%"),
            ("voc", "voc_index", "index"),
            ("noise", "sound_level", "dB(A)"),
            ("presence", "presence", ""),
            controls=(_INTERVAL, _BRIGHTNESS, _ZERO),
        ),
        _kind(
            "particle-counter",
            "particle counter",
            10,
            ("pm1", "pm1", "µg/m³"),
            ("pm25", "pm25", "µg/m³"),
            ("pm10", "pm10", "µg/m³"),
            ("voc", "voc_index", "index"),
            ("nox", "nox_index", "index"),
            controls=(
                _INTERVAL,
                Control("fan", "Fan", ControlKind.CHOICE, choices=("auto", "quiet", "off")),
            ),
        ),
        _kind(
            "climate",
            "climate",
            60,
            ("temp", "temperature", "°C"),
            ("rh", "humidity", "%"),
            ("battery", "battery", "%"),
        ),
        _kind(
            "kiln-probe",
            "thermocouple pair",
            30,
            ("temp", "temperature", "°C"),
            ("surface", "surface_temperature", "°C"),
            ("rh", "humidity", "%"),
            ("co", "co", "ppm"),
            ("current", "current", "A"),
        ),
        _kind(
            "substrate-probe",
            "substrate probe",
            60,
            ("moisture", "substrate_moisture", "%"),
            ("rh", "humidity", "%"),
            ("temp", "temperature", "°C"),
            controls=(Control("mister", "Mister", ControlKind.SWITCH), _INTERVAL),
        ),
        _kind(
            "weather-post",
            "weather post",
            60,
            ("temp", "temperature", "°C"),
            ("rh", "humidity", "%"),
            ("pressure", "pressure", "hPa"),
            ("pm25", "pm25", "µg/m³"),
            ("rain", "rain", "mm"),
            ("light", "illuminance", "lx"),
            ("wind", "wind_speed", "m/s"),
        ),
        _kind(
            "shunt-meter",
            "shunt and level",
            60,
            ("level", "water_level", "m"),
            ("drop", "voltage_drop", "mV"),
            ("battery_v", "voltage", "V"),
        ),
        _kind(
            "vibration-pickup",
            "vibration",
            10,
            ("x", "vibration_x", "g"),
            ("y", "vibration_y", "g"),
            ("z", "vibration_z", "g"),
            ("surface", "surface_temperature", "°C"),
            ("noise", "sound_level", "dB(A)"),
        ),
        _kind(
            "sound-meter",
            "sound and dust",
            60,
            ("temp_f", "temperature", "°F"),
            ("noise", "sound_level", "dB(A)"),
            ("pm25", "pm25", "µg/m³"),
        ),
        _kind(
            "switch",
            "switch",
            60,
            ("on", "switch", ""),
            controls=(Control("on", "On", ControlKind.SWITCH),),
        ),
        *PART_KINDS,
    )
}
"""The kinds that come with the program, by slug."""


def kind_named(slug: str) -> Kind:
    """The kind with this slug; UsageError listing the known ones when there is none."""
    try:
        return KINDS[slug]
    except KeyError:
        raise UsageError(
            f"there is no kind {slug!r}", remedy="known kinds: " + ", ".join(KINDS)
        ) from None
