"""The site as data: places, stations and how each station talks."""

from __future__ import annotations

import enum
from dataclasses import dataclass
from zoneinfo import ZoneInfo

from rook_tally.core.quantities.kinds import KINDS, Field, Kind
from rook_tally.core.quantities.levels import Limits

SITE_NAME = "Fennel Wharf Pottery"
ZONE_NAME = "Europe/London"
ZONE = ZoneInfo(ZONE_NAME)


class Speech(enum.Enum):
    """A station's way of sending."""

    HTTP_JSON = "http json"
    HTTP_SENML = "http senml"
    MQTT_JSON = "mqtt json"
    MQTT_SENML = "mqtt senml"


@dataclass(frozen=True, slots=True)
class DemoStation:
    """A station of the pottery. `fields` left empty means all of its kind's."""

    key: str
    place: str
    kind: Kind
    speech: Speech
    fields: tuple[Field, ...] = ()
    cadence_s: float | None = None
    indoors: bool = True

    @property
    def reported(self) -> tuple[Field, ...]:
        """The fields it reports."""
        return self.fields or self.kind.fields

    @property
    def every_s(self) -> float:
        """Seconds between its reports."""
        return self.kind.cadence_s if self.cadence_s is None else self.cadence_s


def _some(kind: Kind, *names: str) -> tuple[Field, ...]:
    return tuple(field for field in kind.fields if field.name in names)


STATIONS: tuple[DemoStation, ...] = (
    DemoStation("throwing-wall", "Throwing room", KINDS["room-air"], Speech.HTTP_JSON),
    DemoStation(
        "glaze-dust",
        "Glaze booth",
        KINDS["particle-counter"],
        Speech.MQTT_JSON,
        fields=(*KINDS["particle-counter"].fields, Field("sound_level", "sound_level", "dB(A)")),
    ),
    DemoStation("glaze-extractor", "Glaze booth", KINDS["switch"], Speech.MQTT_JSON),
    DemoStation("kiln-probe", "Kiln room", KINDS["kiln-probe"], Speech.HTTP_SENML),
    DemoStation(
        "damp-probe",
        "Damp store",
        KINDS["substrate-probe"],
        Speech.MQTT_SENML,
        fields=(*KINDS["substrate-probe"].fields, Field("switch", "switch", "")),
    ),
    DemoStation("loft-node", "Drying loft", KINDS["climate"], Speech.MQTT_JSON, cadence_s=300.0),
    DemoStation(
        "shop-counter",
        "Shop",
        KINDS["room-air"],
        Speech.HTTP_JSON,
        fields=_some(KINDS["room-air"], "co2", "temp", "rh"),
        cadence_s=60.0,
    ),
    DemoStation(
        "shop-shelf",
        "Shop",
        KINDS["room-air"],
        Speech.MQTT_JSON,
        fields=_some(KINDS["room-air"], "co2", "temp"),
        cadence_s=60.0,
    ),
    DemoStation("pug-gearbox", "Pug mill", KINDS["vibration-pickup"], Speech.MQTT_JSON),
    DemoStation("yard-post", "Yard", KINDS["weather-post"], Speech.HTTP_JSON, indoors=False),
    DemoStation("mill-sluice", "Mill race", KINDS["shunt-meter"], Speech.MQTT_SENML, indoors=False),
    DemoStation("quay-gate", "Quay gate", KINDS["sound-meter"], Speech.HTTP_JSON, indoors=False),
)

LIMITS: dict[tuple[str, str], Limits] = {
    # A damp store is meant to be damp, a kiln room warm and dry.
    ("damp-probe", "rh"): Limits(below=(80, 75, 70, 60)),
    ("damp-probe", "moisture"): Limits(below=(33, 31, 28, 24)),
    ("damp-probe", "temp"): Limits(above=(20, 24, 28, 32), below=(6, 4, 2, 0)),
    ("kiln-probe", "temp"): Limits(above=(30, 34, 38, 45), below=(10, 6, 3, 0)),
    ("kiln-probe", "rh"): Limits(above=(60, 70, 80, 90), below=(25, 15, 10, 5)),
    ("loft-node", "temp"): Limits(above=(28, 32, 36, 40), below=(8, 5, 3, 0)),
    ("pug-gearbox", "x"): Limits(above=(0.15, 0.3, 0.5, 0.8)),
    ("pug-gearbox", "y"): Limits(above=(0.15, 0.3, 0.5, 0.8)),
    ("pug-gearbox", "z"): Limits(above=(0.15, 0.3, 0.5, 0.8)),
}
"""Limits the pottery set for itself, by station and field, in base units."""

UNKNOWN_SENDER = "slipway-9"
"""A sender nobody has taken in."""
