"""The messages of the pottery's stations: bodies of plain JSON and SenML."""

from __future__ import annotations

import json

from rook_tally.core.quantities.quantity import QuantityScale
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.quantities.unit import Unit
from rook_tally.core.timestamps import SECOND_US, rfc3339
from rook_tally.demo.pottery import DemoStation


def plain_json_body(station: DemoStation, time_us: int, values: dict[str, float]) -> bytes:
    """One object: the time and every field."""
    states = {
        field.name
        for field in station.reported
        if QUANTITIES[field.quantity].scale is QuantityScale.STATE
    }
    told: dict[str, object] = {"time": rfc3339(time_us)}
    told |= {name: bool(value) if name in states else value for name, value in values.items()}
    return json.dumps(told).encode()


def senml_body(station: DemoStation, time_us: int, values: dict[str, float]) -> bytes:
    """A SenML pack: base name and time first, then a record a field with its unit."""
    records: list[dict[str, object]] = []
    for field in station.reported:
        record: dict[str, object] = {"n": field.name}
        quantity = QUANTITIES[field.quantity]
        if quantity.scale is QuantityScale.STATE:
            record["vb"] = bool(values[field.name])
        else:
            unit = quantity.unit(field.unit)
            record["u"] = _senml_name(unit) if unit is not None else field.unit
            record["v"] = values[field.name]
        records.append(record)
    records[0] = {"bn": f"{station.key}/", "bt": time_us / SECOND_US} | records[0]
    return json.dumps(records).encode()


def _senml_name(unit: Unit) -> str:
    return unit.names[0] if unit.names else unit.symbol
