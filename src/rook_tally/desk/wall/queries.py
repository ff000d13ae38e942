"""Queries of the Wall."""

from __future__ import annotations

from dataclasses import dataclass

import msgspec
from sqlalchemy.engine import Connection

from rook_tally.core.quantities.guidelines import Guideline
from rook_tally.core.wall.definitions import WallSheet
from rook_tally.store.site import (
    PageDevice,
    PageSetting,
    load_site,
    page_devices,
    page_setting,
    sheets,
)
from rook_tally.store.site.guidelines import guidelines
from rook_tally.store.workings import groups, workings
from rook_tally.wall.pane_data import PaneData, read_material
from rook_tally.wall.pane_resolver import resolved
from rook_tally.wall.suggestions import score_slugs


class SheetListing(msgspec.Struct, frozen=True):
    """All sheets, what the quantities of scores are called, how pages are served, and the
    guidelines that columns can be held against."""

    sheets: tuple[WallSheet, ...]
    scores: frozenset[str]
    page: PageSetting
    devices: tuple[PageDevice, ...]
    guidelines: tuple[Guideline, ...] = ()


@dataclass(frozen=True, slots=True)
class SheetListingQuery:
    """Asks what sheets there are."""

    subject: str = "wall.sheets"

    def run(self, connection: Connection) -> SheetListing:
        """All there are."""
        return SheetListing(
            tuple(sheets(connection)),
            score_slugs(workings(connection)),
            page_setting(connection),
            tuple(page_devices(connection)),
            tuple(guidelines(connection)),
        )


@dataclass(frozen=True, slots=True)
class WallMaterial:
    """A sheet with what its panes need, and the series every sheet is about, by slug."""

    sheet: WallSheet
    material: PaneData
    series_of: dict[str, frozenset[int]]


@dataclass(frozen=True, slots=True)
class WallQuery:
    """Asks what a sheet's panes need at a moment."""

    sheet: WallSheet
    others: tuple[WallSheet, ...]
    at_us: int
    subject: str = "wall"

    def run(self, connection: Connection) -> WallMaterial:
        """The past of the sheet's panes; of the other sheets only what they are about."""
        site, in_groups = load_site(connection), groups(connection)
        panes = resolved(self.sheet, site, in_groups)
        series_of = {
            one.slug: frozenset(
                series.id for pane in resolved(one, site, in_groups) for series in pane.series
            )
            for one in self.others
        }
        series_of[self.sheet.slug] = frozenset(one.id for pane in panes for one in pane.series)
        return WallMaterial(
            self.sheet, read_material(connection, site, panes, self.at_us), series_of
        )
