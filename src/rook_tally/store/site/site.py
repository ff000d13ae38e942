"""The site and its parts as the store has them: places, stations, series."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import msgspec

from rook_tally.core.plans import Plan
from rook_tally.core.quantities.display_unit import DisplayUnit
from rook_tally.core.quantities.kinds import Kind
from rook_tally.core.quantities.levels import Limits
from rook_tally.core.quantities.limit_rules import LimitOrigin
from rook_tally.core.quantities.quantity import Quantity, QuantityScale
from rook_tally.core.quantities.series_settings import PLAIN_SERIES, SeriesSettings
from rook_tally.core.quantities.unit import Unit
from rook_tally.core.series.corrections import Calibrations, uncertainty_at
from rook_tally.core.site_settings import SiteSettings

WORKED_KIND = "worked out"
"""The kind of the stations that stand for workings; no real kind has a space in its name."""

REMOVED_FIELD_KIND = "removed field"
"""The kind of the rows that keep a field which was removed by itself."""


class Place(msgspec.Struct, frozen=True):
    """A room, a bed, a yard, a machine; `parent_id` is the place it is in."""

    id: int
    name: str
    indoors: bool
    parent_id: int | None = None


class Station(msgspec.Struct, frozen=True, gc=False):
    """A box that reports, or in the place of one a working.

    Attributes
    ----------
    access_hash : str or None
        None while it has no access key.
    broker_hash : str or None
        The same key as our broker's password file has it.
    firmware : str
        As it last said; empty when it says none.
    offline_since_us : int or None
        Since when it has been offline by its own word or its will; None while it is not.
    latitude, longitude : float or None
        Degrees, WGS 84.
    is_worked_out : bool
        It stands for a working at its place: its key is the working's name there.
    retired_us : int or None
        Since when nothing is expected of it; None while it is in use.
    past_of : int or None
        Of one that stands for an earlier place: the id of the station that moved on.
    maintenance_from_us, maintenance_to_us : int or None
        Its last maintenance: between them nothing is expected of it.
    hangs : str
        Where it hangs, in words; `photograph_id` is the picture of that.
    """

    id: int
    key: str
    place: Place
    kind: Kind
    cadence_s: float
    access_hash: str | None
    broker_hash: str | None = None
    firmware: str = ""
    offline_since_us: int | None = None
    notes: str = ""
    latitude: float | None = None
    longitude: float | None = None
    is_worked_out: bool = False
    retired_us: int | None = None
    past_of: int | None = None
    maintenance_from_us: int | None = None
    maintenance_to_us: int | None = None
    hangs: str = ""
    photograph_id: int | None = None

    @property
    def maintenance(self) -> tuple[int, int] | None:
        """Its last maintenance, from and to, µs; None when there was none."""
        begin, end = self.maintenance_from_us, self.maintenance_to_us
        return None if begin is None or end is None else (begin, end)

    def is_maintained(self, now_us: int) -> bool:
        """True while it is under maintenance."""
        span = self.maintenance
        return span is not None and span[0] <= now_us < span[1]


class Series(msgspec.Struct, frozen=True, gc=False):
    """One quantity of one station: the field it comes from, its wire unit, its limits.

    `unit_shown` is None for the base unit. `limits_from` says where its limits were set;
    `limits_place` is the place for which they were; `settings` is what a person settled;
    `calibrations` are its corrections where one tells how sure it is.
    """

    id: int
    station: Station
    field: str
    quantity: Quantity
    unit: str
    limits: Limits
    unit_shown: Unit | None = None
    limits_from: LimitOrigin = LimitOrigin.QUANTITY
    limits_place: str = ""
    settings: SeriesSettings = PLAIN_SERIES
    calibrations: Calibrations = ()

    @property
    def colour(self) -> int | None:
        """The colour of its trace, from 1: its own, or that of its kind; None for any."""
        if self.settings.colour is not None:
            return self.settings.colour
        told = self.station.kind.field(self.field)
        return None if told is None else told.colour

    @property
    def shown(self) -> DisplayUnit:
        """Its unit and decimals."""
        return DisplayUnit(self.quantity, self.unit_shown or self.quantity.base)

    def uncertainty_text(self, value: float, at_us: int, shown: DisplayUnit | None = None) -> str:
        """The standard uncertainty of a value at a moment in the unit shown, such as `±0.3`; empty
        where no calibration tells it."""
        told = uncertainty_at(self.calibrations, value, at_us)
        if told is None:
            return ""
        return f"±{(shown or self.shown).difference_figure(told, more=1)}"

    def symbol_beside(self, value: float, at_us: int, shown: DisplayUnit | None = None) -> str:
        """What stands behind a value: its unit, after its uncertainty where that is known."""
        symbol = "" if self.quantity.scale is QuantityScale.STATE else (shown or self.shown).symbol
        return f"{self.uncertainty_text(value, at_us, shown)} {symbol}".strip()


class Site(msgspec.Struct, frozen=True):
    """Everything a store is configured to hold, in display order.

    `stations` are those that report, `retired` those that did; the series of both and of workings
    are among `series`.

    `other_names` are further names of fields on the wire: series id by station id and name;
    `aliases` names that stations went by before: station id by name; `has_hidden` says whether any
    series is not to be shown.
    """

    name: str
    zone: str
    places: tuple[Place, ...]
    stations: tuple[Station, ...]
    series: tuple[Series, ...]
    other_names: Mapping[tuple[int, str], int] = msgspec.field(default_factory=dict)
    settings: SiteSettings = msgspec.field(default_factory=SiteSettings)
    retired: tuple[Station, ...] = ()
    aliases: Mapping[str, int] = msgspec.field(default_factory=dict)
    plans: tuple[Plan, ...] = ()
    has_hidden: bool = False

    @property
    def series_in_use(self) -> Sequence[Series]:
        """The series but those of stations out of use."""
        if not self.retired:
            return self.series
        return [one for one in self.series if one.station.retired_us is None]

    @property
    def series_shown(self) -> Sequence[Series]:
        """The series in use but those that are hidden."""
        if not self.has_hidden:
            return self.series_in_use
        return [one for one in self.series_in_use if not one.settings.hidden]

    def station(self, key: str) -> Station | None:
        """The station with this key, or None."""
        return next((station for station in self.stations if station.key == key), None)
