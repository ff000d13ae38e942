"""The context that views of panes are made from."""

from __future__ import annotations

from collections.abc import Collection

import msgspec

from rook_tally.wall.pane_data import PaneData
from rook_tally.wall.site_snapshot import SiteSnapshot


class PaneContext(msgspec.Struct, frozen=True):
    """The site at a moment, and the past that its panes need.

    `trial` are ids of series whose newest value is only tried out.
    """

    snapshot: SiteSnapshot
    material: PaneData
    trial: Collection[int] = ()
