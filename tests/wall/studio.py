"""A small pottery for sheets: dust, three temperatures, an extractor, a damp store."""

from __future__ import annotations

from rook_tally.core.quantities.kinds import KINDS
from rook_tally.core.quantities.levels import Limits
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.wall.definitions import Pane, PaneKind, WallSheet
from rook_tally.core.wall.tiling import tiled
from rook_tally.store.alarms import standing
from rook_tally.store.base import Store
from rook_tally.store.readings import latest
from rook_tally.store.site import Series, add_series, add_station, load_site, set_site
from rook_tally.store.workings import groups
from rook_tally.wall.pane_context import PaneContext
from rook_tally.wall.pane_data import PaneData, read_material
from rook_tally.wall.pane_parts import faces_of
from rook_tally.wall.pane_resolver import resolved
from rook_tally.wall.pane_views import PaneView
from rook_tally.wall.site_snapshot import SiteSnapshot
from tests.builders import MINUTE_US, NOON_US, append

DUST_LIMITS = Limits(above=(15.0, 25.0, 50.0, 75.0))
_STATIONS = (
    ("glaze-dust", "Glaze booth", "particle-counter", (("pm25", "pm25", DUST_LIMITS),)),
    ("glaze-extractor", "Glaze booth", "switch", (("on", "switch", None),)),
    ("kiln-probe", "Kiln room", "kiln-probe", (("temp", "temperature", None),)),
    (
        "damp-probe",
        "Damp store",
        "substrate-probe",
        (
            ("moisture", "substrate_moisture", Limits(below=(33.0, 31.0, 28.0, 24.0))),
            ("temp", "temperature", None),
            ("switch", "switch", None),
        ),
    ),
    (
        "yard-post",
        "Yard",
        "weather-post",
        (("temp", "temperature", None), ("pm25", "pm25", DUST_LIMITS)),
    ),
)


class Studio:
    """A store with the pottery in it; series by station and field."""

    def __init__(self, store: Store) -> None:
        self.store = store
        self.series: dict[tuple[str, str], Series] = {}
        with store.write() as connection:
            set_site(connection, name="Fennel Wharf Pottery", zone="Europe/London")
            for key, place, kind, fields in _STATIONS:
                add_station(
                    connection,
                    key,
                    place=place,
                    kind=KINDS[kind],
                    cadence_s=60,
                    indoors=place != "Yard",
                )
                station = load_site(connection).station(key)
                assert station is not None
                for field, slug, limits in fields:
                    quantity = QUANTITIES[slug]
                    self.series[key, field] = add_series(
                        connection,
                        station,
                        field=field,
                        quantity=quantity,
                        unit=quantity.base.symbol,
                        limits=limits,
                    )

    def told(self, key: str, field: str, *values: float, until_us: int = NOON_US) -> None:
        """Readings a minute apart, the last at a moment."""
        begin_us = until_us - (len(values) - 1) * MINUTE_US
        rows = [(begin_us + at * MINUTE_US, value) for at, value in enumerate(values)]
        append(self.store, self.series[key, field], *rows)

    def told_everything(self) -> None:
        """Something of every series, the dust far over its limit."""
        self.told("glaze-dust", "pm25", 5.0, 71.0, 58.0)
        self.told("glaze-extractor", "on", 0.0, 0.0, 1.0, 1.0)
        self.told("kiln-probe", "temp", 30.0, 34.0)
        self.told("damp-probe", "moisture", 40.0, 38.0)
        self.told("damp-probe", "temp", 16.0)
        self.told("damp-probe", "switch", 1.0, 0.0, 0.0)
        self.told("yard-post", "temp", 4.0)
        self.told("yard-post", "pm25", 6.0, 7.0)

    def material(self, *panes: Pane, at_us: int = NOON_US) -> PaneData:
        """What panes need."""
        with self.store.read() as connection:
            site = load_site(connection)
            told = resolved(sheet_of(*panes), site, groups(connection))
            return read_material(connection, site, told, at_us)

    def known(self, material: PaneData, *, at_us: int = NOON_US) -> PaneContext:
        """The site at a moment."""
        with self.store.read() as connection:
            snapshot = SiteSnapshot(
                load_site(connection),
                at_us,
                latest(connection, until_us=at_us),
                standing(connection),
            )
            return PaneContext(snapshot, material)

    def faces(self, *panes: Pane, at_us: int = NOON_US) -> tuple[PaneView, ...]:
        """What panes show."""
        material = self.material(*panes, at_us=at_us)
        return faces_of(material.panes, self.known(material, at_us=at_us))

    def face(self, kind: PaneKind, *shows: str, at_us: int = NOON_US, **values: object) -> PaneView:
        """What one pane shows."""
        return self.faces(pane(kind, *shows, **values), at_us=at_us)[0]


def pane(kind: PaneKind, *shows: str, **values: object) -> Pane:
    """A pane at no place yet."""
    return Pane(kind=kind, at=(0, 0), size=(24, 12), shows=shows, **values)  # type: ignore[arg-type]


def sheet_of(*panes: Pane, slug: str = "now", name: str = "Now") -> WallSheet:
    """A sheet of some panes, laid out by itself."""
    return WallSheet(slug=slug, name=name, panes=panes).with_areas(tiled([1.0] * len(panes)))
