"""The stations of the pottery and how each one talks; `site.toml` holds the rest of the site."""

from __future__ import annotations

import enum
from dataclasses import dataclass
from importlib import resources
from zoneinfo import ZoneInfo

from rook_tally.core.quantities.kinds import KINDS, Field, Kind

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
    DemoStation(
        "throwing-wall",
        "Throwing room",
        KINDS["room-air"],
        Speech.HTTP_JSON,
        fields=(
            *KINDS["room-air"].fields,
            Field("pm25", "pm25", "µg/m³"),
            Field("switch", "switch", ""),
        ),
    ),
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


def site_text() -> str:
    """The site file of the pottery."""
    return resources.files("rook_tally.demo").joinpath("site.toml").read_text(encoding="utf-8")


UNKNOWN_SENDER = "slipway-9"
"""A sender nobody has taken in."""
