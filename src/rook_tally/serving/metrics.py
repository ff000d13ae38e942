"""The newest values and the collector's own health as OpenMetrics text (IETF draft, 1.0)."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

from rook_tally.core.quantities.open_units import ucum_unit
from rook_tally.core.timestamps import SECOND_US
from rook_tally.store.readings import Latest
from rook_tally.store.site import Series

METRICS_TYPE = "application/openmetrics-text; version=1.0.0; charset=utf-8"


def metrics_text(
    series: Sequence[Series], newest: Mapping[int, Latest], health: Mapping[str, float]
) -> str:
    """The exposition: a gauge a series with its moment, then the collector's own."""
    lines = [
        "# TYPE rook_tally_reading gauge",
        "# HELP rook_tally_reading Newest value of a series in its base unit.",
        *_readings(series, newest),
    ]
    for name, value in health.items():
        lines += [f"# TYPE rook_tally_{name} gauge", f"rook_tally_{name} {value:g}"]
    return "\n".join([*lines, "# EOF", ""])


def _readings(series: Sequence[Series], newest: Mapping[int, Latest]) -> Iterator[str]:
    for one in series:
        told = newest.get(one.id)
        if told is None:
            continue
        labels = ",".join(
            f'{name}="{_escaped(value)}"'
            for name, value in (
                ("place", one.station.place.name),
                ("station", one.station.key),
                ("field", one.field),
                ("quantity", one.quantity.slug),
                ("unit", ucum_unit(one.quantity.base.symbol)),
                ("quality", "good" if told.quality == 0 else "suspect"),
            )
        )
        yield f"rook_tally_reading{{{labels}}} {told.value!r} {told.time_us / SECOND_US:.3f}"


def _escaped(value: str) -> str:
    return value.replace("\\", "\\\\").replace('"', '\\"').replace("\n", "\\n")
