"""A site as SensorThings sees it: a station is a Thing, a series a Datastream, a place a Location
and a feature of interest, a kind's field a Sensor, a quantity an ObservedProperty."""

from __future__ import annotations

import enum
from typing import Any

import msgspec

from rook_tally.core.arrays import FloatArray, IntArray, QualityArray, TimeArray
from rook_tally.core.quantities.open_units import ucum_unit
from rook_tally.core.quantities.quantity import Quantity
from rook_tally.core.series.readings import Quality
from rook_tally.serving.access import SeenSite
from rook_tally.store.site import Place, Series, Station

_MEASUREMENT = "http://www.opengis.net/def/observationType/OGC-OM/2.0/OM_Measurement"
_GEOJSON = "application/geo+json"


class EntitySet(enum.StrEnum):
    """A set of entities."""

    THINGS = "Things"
    LOCATIONS = "Locations"
    HISTORICAL_LOCATIONS = "HistoricalLocations"
    DATASTREAMS = "Datastreams"
    SENSORS = "Sensors"
    OBSERVED_PROPERTIES = "ObservedProperties"
    OBSERVATIONS = "Observations"
    FEATURES = "FeaturesOfInterest"


LINKS: dict[EntitySet, dict[str, tuple[EntitySet, bool]]] = {
    EntitySet.THINGS: {
        "Datastreams": (EntitySet.DATASTREAMS, True),
        "Locations": (EntitySet.LOCATIONS, True),
        "HistoricalLocations": (EntitySet.HISTORICAL_LOCATIONS, True),
    },
    EntitySet.LOCATIONS: {
        "Things": (EntitySet.THINGS, True),
        "HistoricalLocations": (EntitySet.HISTORICAL_LOCATIONS, True),
    },
    EntitySet.HISTORICAL_LOCATIONS: {
        "Thing": (EntitySet.THINGS, False),
        "Locations": (EntitySet.LOCATIONS, True),
    },
    EntitySet.DATASTREAMS: {
        "Thing": (EntitySet.THINGS, False),
        "Sensor": (EntitySet.SENSORS, False),
        "ObservedProperty": (EntitySet.OBSERVED_PROPERTIES, False),
        "Observations": (EntitySet.OBSERVATIONS, True),
    },
    EntitySet.SENSORS: {"Datastreams": (EntitySet.DATASTREAMS, True)},
    EntitySet.OBSERVED_PROPERTIES: {"Datastreams": (EntitySet.DATASTREAMS, True)},
    EntitySet.OBSERVATIONS: {
        "Datastream": (EntitySet.DATASTREAMS, False),
        "FeatureOfInterest": (EntitySet.FEATURES, False),
    },
    EntitySet.FEATURES: {"Observations": (EntitySet.OBSERVATIONS, True)},
}
"""From each set to others: the set at the other end, and whether there may be several."""


class Entity(msgspec.Struct, frozen=True):
    """An entity: its set, its id, and its members without links."""

    set: EntitySet
    id: int | str
    members: dict[str, Any]

    def value(self, path: tuple[str, ...]) -> Any:
        """A value at a path, as filters name it; None where there is none."""
        if path in (("id",), ("@iot.id",)):
            return self.id
        told: Any = self.members
        for name in path:
            if not isinstance(told, dict) or name not in told:
                return None
            told = told[name]
        return told


class ThingsSite:
    """The entities that a reader may see, but the observations."""

    def __init__(self, seen: SeenSite) -> None:
        self.seen = seen
        self.series = {one.id: one for one in seen.series}
        self._stations: dict[int, Station] = {}
        self._places: dict[int, Place] = {}
        self._quantities: dict[str, Quantity] = {}
        for one in seen.series:
            self._stations[one.station.id] = one.station
            self._places[one.station.place.id] = one.station.place
            self._quantities[one.quantity.slug] = one.quantity

    def of(self, entities: EntitySet) -> list[Entity]:
        """All of a set."""
        match entities:
            case EntitySet.THINGS:
                return [self._thing(one) for one in self._stations.values()]
            case EntitySet.LOCATIONS:
                return [self._location(one) for one in self._places.values()]
            case EntitySet.HISTORICAL_LOCATIONS:
                return []
            case EntitySet.DATASTREAMS:
                return [self._datastream(one) for one in self.series.values()]
            case EntitySet.SENSORS:
                return [self._sensor(one) for one in self._stations.values()]
            case EntitySet.OBSERVED_PROPERTIES:
                return [_property(one) for one in self._quantities.values()]
            case EntitySet.FEATURES:
                return [self._feature(one) for one in self._places.values()]
            case EntitySet.OBSERVATIONS:
                raise AssertionError("observations are read piece by piece")

    def linked(self, one: Entity, name: str) -> list[Entity]:
        """What a link of an entity leads to, observations aside."""
        target, _ = LINKS[one.set][name]
        return [other for other in self.of(target) if self._are_linked(one, other)]

    def _are_linked(self, one: Entity, other: Entity) -> bool:
        return self._ends(one) & self._ends(other) != set()

    def _ends(self, one: Entity) -> set[int]:
        """The series that an entity is about: what shares one is linked."""
        return {each.id for each in self.series.values() if self.is_about(one, each)}

    def is_about(self, one: Entity, series: Series) -> bool:
        """True if an entity is that of a series."""
        match one.set:
            case EntitySet.THINGS | EntitySet.SENSORS:
                return series.station.id == one.id
            case EntitySet.LOCATIONS | EntitySet.FEATURES:
                return series.station.place.id == one.id
            case EntitySet.DATASTREAMS:
                return series.id == one.id
            case EntitySet.OBSERVED_PROPERTIES:
                return series.quantity.slug == one.id
            case _:
                return False

    def _thing(self, one: Station) -> Entity:
        return Entity(
            EntitySet.THINGS,
            one.id,
            {
                "name": one.key,
                "description": f"{one.kind.name} in {one.place.name}",
                "properties": {
                    "kind": one.kind.slug,
                    "cadence_s": one.cadence_s,
                    "worked_out": one.is_worked_out,
                },
            },
        )

    def _location(self, one: Place) -> Entity:
        return Entity(
            EntitySet.LOCATIONS,
            one.id,
            {
                "name": one.name,
                "description": "indoors" if one.indoors else "outdoors",
                "encodingType": _GEOJSON,
                "location": self._geometry(),
            },
        )

    def _feature(self, one: Place) -> Entity:
        where = "of a room" if one.indoors else "outdoors"
        return Entity(
            EntitySet.FEATURES,
            one.id,
            {
                "name": one.name,
                "description": f"the air {where}: {one.name}",
                "encodingType": _GEOJSON,
                "feature": self._geometry(),
            },
        )

    def _geometry(self) -> dict[str, Any]:
        """Where the site is; a place has no position of its own on Earth."""
        settings = self.seen.site.settings
        if settings.latitude is None or settings.longitude is None:
            return {"type": "Feature", "geometry": None, "properties": {}}
        return {"type": "Point", "coordinates": [settings.longitude, settings.latitude]}

    def _datastream(self, one: Series) -> Entity:
        symbol = one.quantity.base.symbol
        return Entity(
            EntitySet.DATASTREAMS,
            one.id,
            {
                "name": f"{one.station.key}/{one.field}",
                "description": f"{one.quantity.name} in {one.station.place.name}",
                "observationType": _MEASUREMENT,
                "unitOfMeasurement": {
                    "name": symbol or "state",
                    "symbol": symbol,
                    "definition": f"ucum:{ucum_unit(symbol)}",
                },
                "properties": {"field": one.field, "cadence_s": one.station.cadence_s},
            },
        )

    def _sensor(self, one: Station) -> Entity:
        return Entity(
            EntitySet.SENSORS,
            one.id,
            {
                "name": f"{one.kind.name} ({one.key})",
                "description": one.kind.name,
                "encodingType": "text/plain",
                "metadata": one.kind.slug,
            },
        )


def _property(one: Quantity) -> Entity:
    return Entity(
        EntitySet.OBSERVED_PROPERTIES,
        one.slug,
        {
            "name": one.name,
            "definition": f"rook-tally:{one.slug}",
            "description": f"{one.name}, in {one.base.symbol or 'states'}",
        },
    )


class Observations(msgspec.Struct, frozen=True):
    """Observations as columns, (N,) each."""

    series: IntArray
    time_us: TimeArray
    value: FloatArray
    quality: QualityArray

    def __len__(self) -> int:
        return len(self.time_us)

    def value_at(self, path: tuple[str, ...]) -> Any:
        """A column at a path, as filters name it."""
        if path in (("phenomenonTime",), ("resultTime",)):
            return self.time_us
        if path == ("result",):
            return self.value
        if path in (("resultQuality",), ("parameters", "suspect")):
            return self.quality
        return None

    def taken(self, rows: Any) -> Observations:
        """Some of them."""
        return Observations(
            self.series[rows], self.time_us[rows], self.value[rows], self.quality[rows]
        )


def quality_words(code: int) -> str:
    """The quality of an observation in words."""
    return Quality(code).wording
