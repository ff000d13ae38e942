"""The sheets of the pottery's spare screen."""

from __future__ import annotations

from rook_tally.core.wall.definitions import LevelLimits, Pane, PaneKind, WallSheet

SHEETS: tuple[WallSheet, ...] = (
    WallSheet(
        slug="studios",
        name="Studios",
        panes=(
            Pane(kind=PaneKind.SCORE, at=(0, 0), size=(8, 8), shows=("air_score@glaze-booth",)),
            Pane(
                kind=PaneKind.RIBBON,
                at=(8, 0),
                size=(16, 5),
                shows=("pm25@glaze-booth", "pm25@yard"),
            ),
            Pane(
                kind=PaneKind.COLUMNS, at=(8, 5), size=(16, 3), shows=("temperature@everywhere/*",)
            ),
            Pane(
                kind=PaneKind.DIAL,
                at=(0, 8),
                size=(8, 4),
                shows=("substrate_moisture@damp-store",),
                low=20.0,
                high=60.0,
            ),
            Pane(
                kind=PaneKind.LAMPS,
                at=(8, 8),
                size=(9, 4),
                shows=(
                    "switch@glaze-booth",
                    "switch@damp-store",
                    "presence@throwing-room",
                    "@quay-gate",
                ),
            ),
            Pane(kind=PaneKind.STANDING, at=(17, 8), size=(7, 3)),
            Pane(
                kind=PaneKind.WORDS,
                at=(17, 11),
                size=(7, 1),
                text="Firing today, kiln at {surface_temperature@kiln-room}",
            ),
        ),
    ),
    WallSheet(
        slug="kiln",
        name="Kiln and loft",
        panes=(
            Pane(
                kind=PaneKind.FIGURE,
                at=(0, 0),
                size=(10, 6),
                shows=("surface_temperature@kiln-room",),
                title="Kiln",
            ),
            Pane(
                kind=PaneKind.RIBBON,
                at=(10, 0),
                size=(14, 6),
                shows=("surface_temperature@kiln-room",),
                span_s=3 * 86_400.0,
            ),
            Pane(
                kind=PaneKind.DIAL,
                at=(0, 6),
                size=(6, 6),
                shows=("co@kiln-room",),
                low=0.0,
                high=60.0,
                above=LevelLimits(noticed=9.0, raised=25.0, high=35.0, severe=50.0),
            ),
            Pane(kind=PaneKind.DAY, at=(6, 6), size=(6, 6), shows=("temperature@drying-loft",)),
            Pane(kind=PaneKind.FIGURE, at=(12, 6), size=(6, 6), shows=("humidity@drying-loft",)),
            Pane(
                kind=PaneKind.TABLE,
                at=(18, 6),
                size=(6, 6),
                shows=(
                    "temperature@kiln-room",
                    "humidity@kiln-room",
                    "current@kiln-room",
                    "kiln_climb@kiln-room",
                ),
            ),
        ),
    ),
    WallSheet(
        slug="outside",
        name="Yard and mill",
        panes=(
            Pane(kind=PaneKind.FIGURE, at=(0, 0), size=(8, 6), shows=("temperature@yard",)),
            Pane(
                kind=PaneKind.RIBBON,
                at=(8, 0),
                size=(16, 6),
                shows=("pressure@yard",),
                span_s=7 * 86_400.0,
            ),
            Pane(
                kind=PaneKind.DIAL,
                at=(0, 6),
                size=(8, 6),
                shows=("voltage@mill-race",),
                low=10.0,
                high=15.0,
            ),
            Pane(kind=PaneKind.RIBBON, at=(8, 6), size=(9, 6), shows=("water_level@mill-race",)),
            Pane(
                kind=PaneKind.TABLE,
                at=(17, 6),
                size=(7, 6),
                shows=(
                    "rain@yard",
                    "illuminance@yard",
                    "pm25@yard",
                    "sound_level@quay-gate",
                    "dynamo_current@mill-race",
                ),
            ),
        ),
    ),
)
"""In the order they turn."""
