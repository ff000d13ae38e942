"""The content of a site file."""

from __future__ import annotations

import enum

import msgspec

from rook_tally.core.alarms.channels import Channel
from rook_tally.core.alarms.definitions import Watch
from rook_tally.core.door_settings import DoorSettings
from rook_tally.core.forwards.definitions import Forward
from rook_tally.core.quantities.guidelines import Guideline
from rook_tally.core.quantities.kinds import Kind
from rook_tally.core.quantities.levels import Limits
from rook_tally.core.quantities.series_settings import PLAIN_SERIES, SeriesSettings
from rook_tally.core.reports.definitions import Report
from rook_tally.core.series.corrections import CorrectionUncertainty
from rook_tally.core.site_settings import SiteSettings
from rook_tally.core.wall.definitions import WallSheet
from rook_tally.core.workings.definitions import Working

DOOR_NAMED_BY = (
    *("sort", "path", "url", "pattern", "adapter", "address", "unit", "root", "listen"),
)
"""The members by which doors of one sort are told apart in a file."""


class SitePart(enum.Enum):
    """A part of a site file, as the file calls its tables."""

    SITE = "site"
    UNITS = "units"
    SETTINGS = "settings"
    KINDS = "kind"
    PLACES = "place"
    STATIONS = "station"
    LIMITS = "limit"
    GROUPS = "group"
    WORKINGS = "working"
    PLANS = "plan"
    DOORS = "door"
    CHANNELS = "channel"
    WATCHES = "watch"
    SHEETS = "sheet"
    BENCH = "bench"
    GUIDELINES = "guideline"
    REPORTS = "report"
    FORWARDS = "forward"
    PAGE = "page"
    KEYS = "key"
    FIRMWARE = "firmware"


class SiteEntry(msgspec.Struct, frozen=True, kw_only=True):
    """The site itself."""

    name: str
    zone: str
    settings: SiteSettings = SiteSettings()


class PlaceEntry(msgspec.Struct, frozen=True, kw_only=True):
    """A place; `inside` names the one it is in."""

    name: str
    inside: str = ""
    outdoors: bool = False


class FieldCorrection(msgspec.Struct, frozen=True, kw_only=True):
    """A correction of a field from a moment on."""

    from_us: int
    gain: float
    offset: float
    who: str = ""
    why: str = ""
    uncertainty: CorrectionUncertainty | None = None


class FieldEntry(msgspec.Struct, frozen=True, kw_only=True):
    """A field of a station: what it measures, in which unit it is sent, limits of its own (in the
    base unit) and corrections; `names` are further names it is sent under, `settings` what a person
    settled."""

    name: str
    quantity: str
    unit: str
    names: tuple[str, ...] = ()
    limits: Limits | None = None
    settings: SeriesSettings = PLAIN_SERIES
    corrections: tuple[FieldCorrection, ...] = ()


class StationEntry(msgspec.Struct, frozen=True, kw_only=True):
    """A station. `cadence_s` None is learned from what it sends; `aliases` are keys it had before;
    `past_of` is the key of the station that moved on from its place; `maintenance_us` from when to
    when its last maintenance is; `hangs` says where it hangs, with
    a photograph; hashes of its access key only where secrets are asked for."""

    key: str
    place: str
    kind: str = "plain"
    cadence_s: float | None = None
    notes: str = ""
    latitude: float | None = None
    longitude: float | None = None
    aliases: tuple[str, ...] = ()
    retired_us: int | None = None
    past_of: str = ""
    maintenance_us: tuple[int, int] | None = None
    hangs: str = ""
    photograph: bytes | None = None
    access_hash: str = ""
    broker_hash: str = ""
    fields: tuple[FieldEntry, ...] = ()


class PlanMarkEntry(msgspec.Struct, frozen=True, kw_only=True):
    """Where a station hangs on a plan: shares of its width and height."""

    station: str
    at: tuple[float, float]


class PlanEntry(msgspec.Struct, frozen=True, kw_only=True):
    """A plan: its picture, a PNG or a JPEG, and what hangs on it."""

    name: str
    picture: bytes
    marks: tuple[PlanMarkEntry, ...] = ()


class LimitEntry(msgspec.Struct, frozen=True, kw_only=True):
    """Limits of a quantity, in its base unit; at a place, or with none on the whole site."""

    quantity: str
    place: str = ""
    limits: Limits


class GroupEntry(msgspec.Struct, frozen=True, kw_only=True):
    """A group of places, and of series told as station and field."""

    name: str
    places: tuple[str, ...] = ()
    series: tuple[tuple[str, str], ...] = ()


class SeriesName(msgspec.Struct, frozen=True):
    """A series by its station's key and its field."""

    station: str
    field: str


class BenchEntry(msgspec.Struct, frozen=True, kw_only=True):
    """Something kept on the Bench: `what` is the tag of `core.comparing.bench_items`, with the
    series and numbers that belong to it (base unit, minutes, m³)."""

    what: str
    series: tuple[SeriesName, ...] = ()
    event: str = ""
    before_min: float = 30.0
    after_min: float = 120.0
    above: float | None = None
    volume_m3: float | None = None
    cleaner: SeriesName | None = None


class DeviceEntry(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """A phone or a tablet that may look at pages, by the hash of its link's key."""

    name: str
    key_hash: str


class PageEntry(
    msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True, omit_defaults=True
):
    """Where pages are served. `device` None leaves those that have a link alone."""

    on: bool = False
    host: str = "0.0.0.0"
    port: int = 4780
    names: tuple[str, ...] = ()
    device: tuple[DeviceEntry, ...] | None = None


class KeySort(enum.Enum):
    """What a key is for: a program of others that reads, or a gateway that brings readings."""

    READ = "read"
    GATEWAY = "gateway"


class KeyEntry(
    msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True, omit_defaults=True
):
    """A key, by its hash; one that reads may be limited to places and groups."""

    sort: KeySort
    name: str
    key_hash: str
    places: tuple[str, ...] = ()
    groups: tuple[str, ...] = ()


class FirmwareEntry(
    msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True, omit_defaults=True
):
    """The key that signs firmware, as hexadecimal: stations know its public half."""

    public: str
    private: str = ""


class SiteContent(msgspec.Struct, frozen=True, kw_only=True):
    """All of it. A part that is None is not in the file, and reading it leaves that part of a site
    alone."""

    site: SiteEntry | None = None
    units: dict[str, str] | None = None
    settings: dict[str, str | float] | None = None
    kinds: tuple[Kind, ...] | None = None
    places: tuple[PlaceEntry, ...] | None = None
    stations: tuple[StationEntry, ...] | None = None
    limits: tuple[LimitEntry, ...] | None = None
    groups: tuple[GroupEntry, ...] | None = None
    workings: tuple[Working, ...] | None = None
    plans: tuple[PlanEntry, ...] | None = None
    doors: tuple[DoorSettings, ...] | None = None
    channels: tuple[Channel, ...] | None = None
    watches: tuple[Watch, ...] | None = None
    sheets: tuple[WallSheet, ...] | None = None
    bench: tuple[BenchEntry, ...] | None = None
    guidelines: tuple[Guideline, ...] | None = None
    reports: tuple[Report, ...] | None = None
    forwards: tuple[Forward, ...] | None = None
    page: PageEntry | None = None
    keys: tuple[KeyEntry, ...] | None = None
    firmware: FirmwareEntry | None = None

    def only(self, parts: frozenset[SitePart]) -> SiteContent:
        """Some parts of it."""
        names = {one: one.name.lower() for one in SitePart}
        return msgspec.structs.replace(
            self, **{name: None for part, name in names.items() if part not in parts}
        )
