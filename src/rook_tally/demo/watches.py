"""What the pottery watches."""

from __future__ import annotations

from rook_tally.core.levels import Level
from rook_tally.core.watches.definitions import Guard, Run, Scope, Sort, Watch

WATCHES: tuple[Watch, ...] = (
    Watch(
        slug="glaze-dust", name="Glaze dust", sort=Sort.ABOVE, limit=25, clear=18, unit="µg/m³",
        scope=Scope(quantity="pm25", place="Glaze booth"), for_s=60, calm_s=120, level=Level.HIGH,
        tell=("this desktop", "a sound"), repeat_s=1200,
        run=Run(station="glaze-extractor", control="on", at_least_s=180, at_most_s=3 * 3600.0),
    ),
    Watch(
        slug="kiln-overrun", name="Kiln overrun", sort=Sort.ABOVE, limit=34, clear=32, unit="°C",
        scope=Scope(quantity="temperature", place="Kiln room"), for_s=120, calm_s=300,
        level=Level.RAISED, tell=("this desktop",),
    ),
    Watch(
        slug="stuffy-class", name="Stuffy class", sort=Sort.ABOVE, limit=1000, clear=900,
        unit="ppm", scope=Scope(quantity="co2", place="Throwing room"), for_s=300, calm_s=300,
        guards=(Guard(scope=Scope(quantity="presence", place="Throwing room")),),
        level=Level.RAISED, tell=("this desktop",),
    ),
    Watch(
        slug="damp-store-dry", name="Damp store dry", sort=Sort.BELOW, limit=31, clear=34, unit="%",
        scope=Scope(quantity="substrate_moisture", place="Damp store"), for_s=60, calm_s=60,
        level=Level.NOTICED,
        run=Run(station="damp-probe", control="mister", at_least_s=20, at_most_s=900),
    ),
    Watch(
        slug="pug-mill-shakes", name="Pug mill shakes", sort=Sort.TIMES_USUAL, limit=3, clear=2,
        scope=Scope(quantity="vibration_x", place="Pug mill"), window_s=6 * 3600.0, exclude_s=600,
        for_s=60, calm_s=120, level=Level.RAISED, tell=("this desktop",),
    ),
    Watch(
        slug="quay-gate-silent", name="Quay gate silent", sort=Sort.SILENT,
        scope=Scope(station="quay-gate"), silent_s=1800, level=Level.NOTICED,
        tell=("this desktop",),
    ),
    Watch(
        slug="mill-race-flat", name="Mill race flat", sort=Sort.BELOW, limit=11.8, clear=12.1,
        unit="V", scope=Scope(quantity="voltage", place="Mill race"), for_s=600, calm_s=600,
        level=Level.RAISED, tell=("this desktop",),
    ),
    Watch(
        slug="frost-in-the-loft", name="Frost in the loft", sort=Sort.BELOW, limit=3, clear=5,
        unit="°C", scope=Scope(quantity="temperature", place="Drying loft"), for_s=900,
        level=Level.HIGH, tell=("this desktop",),
    ),
)  # fmt: skip
"""In the order of the list."""
